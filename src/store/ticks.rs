//! When rows were written and attached, for the component types that some system filters by it.
//!
//! A tick is a number that grows with every run of a system. A row counts as written by a run if it was handed out for
//! writing then: what is done with a `&mut T` is not watched. A walk over a whole table writes one tick per chunk of 64
//! rows (about 1.05 times the untracked walk); a single row has a tick of its own. The later of the two counts.

use std::ops::Range;
use std::sync::atomic::{AtomicU64, Ordering};

/// Rows that share a tick.
pub(crate) const CHUNK: usize = 64;

/// The ticks of one column.
///
/// Ticks are atomic, so that a walk can mark rows while a condition of the same walk reads them; no order between threads
/// is asked of them, because systems that clash never run side by side.
#[derive(Default, Debug)]
pub(crate) struct ColumnTicks {
    chunks: Vec<AtomicU64>,
    written: Vec<AtomicU64>,
    attached: Vec<u64>,
}

/// When one row was written last, and when it was attached.
#[derive(Clone, Copy, Debug)]
pub(crate) struct RowTicks {
    pub(crate) written: u64,
    pub(crate) attached: u64,
}

impl RowTicks {
    pub(crate) fn attached(tick: u64) -> Self {
        Self {
            written: tick,
            attached: tick,
        }
    }
}

fn load(tick: &AtomicU64) -> u64 {
    tick.load(Ordering::Relaxed)
}

impl ColumnTicks {
    /// Ticks for rows that were there before anybody asked: they count as attached now.
    pub(crate) fn filled(rows: usize, tick: u64) -> Self {
        let mut ticks = Self::default();
        for _ in 0..rows {
            ticks.push(RowTicks::attached(tick));
        }
        ticks
    }

    #[inline]
    pub(crate) fn mark_all(&self, tick: u64) {
        for chunk in &self.chunks {
            chunk.store(tick, Ordering::Relaxed);
        }
    }

    pub(crate) fn mark_rows(&self, rows: Range<usize>, tick: u64) {
        for written in &self.written[rows] {
            written.store(tick, Ordering::Relaxed);
        }
    }

    #[inline]
    pub(crate) fn mark(&self, row: u32, tick: u64) {
        self.written[row as usize].store(tick, Ordering::Relaxed);
    }

    #[inline]
    pub(crate) fn written(&self, row: usize) -> u64 {
        load(&self.written[row]).max(load(&self.chunks[row / CHUNK]))
    }

    /// Both ticks of a row.
    #[cfg(feature = "snapshot")]
    pub(crate) fn of_row(&self, row: usize) -> RowTicks {
        RowTicks {
            written: self.written(row),
            attached: self.attached(row),
        }
    }

    /// Sets both ticks of a row.
    #[cfg(feature = "snapshot")]
    pub(crate) fn set(&mut self, row: usize, ticks: RowTicks) {
        self.spread(row / CHUNK);
        self.written[row] = AtomicU64::new(ticks.written);
        self.attached[row] = ticks.attached;
    }

    /// Whether any row of a chunk was written after a tick.
    #[cfg(feature = "snapshot")]
    pub(crate) fn is_chunk_written(&self, chunk: usize, since: u64) -> bool {
        let start = chunk * CHUNK;
        let end = (start + CHUNK).min(self.written.len());
        load(&self.chunks[chunk]) > since
            || self.written[start..end]
                .iter()
                .any(|tick| load(tick) > since)
    }

    #[inline]
    pub(crate) fn attached(&self, row: usize) -> u64 {
        self.attached[row]
    }

    pub(crate) fn push(&mut self, ticks: RowTicks) {
        let row = self.written.len();
        if row.is_multiple_of(CHUNK) {
            self.chunks.push(AtomicU64::new(0));
        } else if load(&self.chunks[row / CHUNK]) > ticks.written {
            // The newcomer must not seem to have been there when its chunk was marked.
            self.spread(row / CHUNK);
        }
        self.written.push(AtomicU64::new(ticks.written));
        self.attached.push(ticks.attached);
    }

    /// Takes a row out; the last row takes its place.
    pub(crate) fn swap_remove(&mut self, row: u32) -> RowTicks {
        let row = row as usize;
        let last = self.written.len() - 1;
        let removed = RowTicks {
            written: self.written(row),
            attached: self.attached.swap_remove(row),
        };
        let moved = self.written(last);
        if row != last {
            self.spread(row / CHUNK);
            self.written[row] = AtomicU64::new(moved);
        }
        self.written.pop();
        self.chunks.truncate(last.div_ceil(CHUNK));
        removed
    }

    /// Writes a chunk's tick into its rows, so that one of them can get an earlier one.
    fn spread(&mut self, chunk: usize) {
        let tick = std::mem::take(self.chunks[chunk].get_mut());
        if tick == 0 {
            return;
        }
        let start = chunk * CHUNK;
        let end = (start + CHUNK).min(self.written.len());
        for written in &mut self.written[start..end] {
            let written = written.get_mut();
            *written = (*written).max(tick);
        }
    }
}

#[cfg(test)]
mod tests;
