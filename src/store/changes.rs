//! Changes to the rows of one type: ticks for systems that ask by [`Written`](crate::Written) and
//! [`Attached`](crate::Attached), and a bit per row for the one system that keeps something derived from the type up to date.

use super::ticks::{ColumnTicks, RowTicks};
use std::ops::Range;
use std::sync::atomic::{AtomicU64, Ordering};

/// Which notes are kept for each row.
#[derive(Clone, Copy, Default, Debug)]
pub(crate) struct Kept {
    pub(crate) ticks: bool,
    /// Whether a system asks for the ticks.
    pub(crate) watched: bool,
    pub(crate) unseen: bool,
}

/// The changes of all columns of one type, in the order of the columns.
#[derive(Default, Debug)]
pub struct Changes {
    kept: Kept,
    columns: Vec<ColumnChanges>,
}

/// The changes of one column.
#[derive(Default, Debug)]
pub(crate) struct ColumnChanges {
    ticks: Option<ColumnTicks>,
    unseen: Option<UnseenRows>,
}

impl Changes {
    /// Adds what is to be kept, for columns with the given numbers of rows. Present rows count as attached at a tick.
    pub(crate) fn keep(&mut self, more: Kept, rows: &[usize], tick: u64) {
        self.columns.resize_with(rows.len(), ColumnChanges::default);
        for (column, &rows) in self.columns.iter_mut().zip(rows) {
            if more.ticks {
                column
                    .ticks
                    .get_or_insert_with(|| ColumnTicks::filled(rows, tick));
            }
            if more.unseen {
                column
                    .unseen
                    .get_or_insert_with(|| UnseenRows::filled(rows));
            }
        }
        self.kept.ticks |= more.ticks;
        self.kept.watched |= more.watched;
        self.kept.unseen |= more.unseen;
    }

    pub(crate) fn keeps_ticks(&self) -> bool {
        self.kept.ticks
    }

    #[cfg(feature = "snapshot")]
    pub(crate) fn is_watched(&self) -> bool {
        self.kept.watched
    }

    #[cfg(feature = "snapshot")]
    pub(crate) fn ticks_mut(&mut self, position: u32) -> Option<&mut ColumnTicks> {
        self.column_mut(position).ticks.as_mut()
    }

    pub(crate) fn add_column(&mut self) {
        self.columns.push(ColumnChanges {
            ticks: self.kept.ticks.then(ColumnTicks::default),
            unseen: self.kept.unseen.then(UnseenRows::default),
        });
    }

    /// Forgets the columns at some positions, which ascend.
    pub(crate) fn remove_columns(&mut self, positions: &[u32]) {
        let mut position = 0;
        self.columns.retain(|_| {
            let goes = positions.binary_search(&position).is_ok();
            position += 1;
            !goes
        });
    }

    #[inline]
    pub(crate) fn column(&self, position: u32) -> &ColumnChanges {
        &self.columns[position as usize]
    }

    pub(crate) fn column_mut(&mut self, position: u32) -> &mut ColumnChanges {
        &mut self.columns[position as usize]
    }

    pub(crate) fn ticks(&self, position: u32) -> Option<&ColumnTicks> {
        self.column(position).ticks.as_ref()
    }

    pub(crate) fn unseen(&self, position: u32) -> Option<&UnseenRows> {
        self.column(position).unseen.as_ref()
    }
}

impl ColumnChanges {
    #[inline]
    pub(crate) fn mark_all(&self, tick: u64) {
        if let Some(ticks) = &self.ticks {
            ticks.mark_all(tick);
        }
        if let Some(unseen) = &self.unseen {
            unseen.mark_all();
        }
    }

    #[inline]
    pub(crate) fn mark(&self, row: u32, tick: u64) {
        if let Some(ticks) = &self.ticks {
            ticks.mark(row, tick);
        }
        if let Some(unseen) = &self.unseen {
            unseen.mark(row);
        }
    }

    pub(crate) fn mark_rows(&self, rows: Range<usize>, tick: u64) {
        if let Some(ticks) = &self.ticks {
            ticks.mark_rows(rows.clone(), tick);
        }
        if let Some(unseen) = &self.unseen {
            unseen.mark_rows(rows);
        }
    }

    pub(crate) fn push(&mut self, row: RowTicks) {
        if let Some(ticks) = &mut self.ticks {
            ticks.push(row);
        }
        if let Some(unseen) = &mut self.unseen {
            unseen.push();
        }
    }

    /// Takes a row out; the last row takes its place.
    pub(crate) fn swap_remove(&mut self, row: u32) -> RowTicks {
        if let Some(unseen) = &mut self.unseen {
            unseen.swap_remove(row);
        }
        match &mut self.ticks {
            Some(ticks) => ticks.swap_remove(row),
            None => RowTicks::attached(0),
        }
    }
}

/// Bits of a word.
const WORD: usize = 64;

/// A bit for each row that was written, attached or moved since the last look. 1/8 byte per row.
///
/// The bits are atomic, so that a walk can set them through a shared guard; who may set and who may look at the same
/// time is settled by the claims on the type.
#[derive(Default, Debug)]
pub(crate) struct UnseenRows {
    words: Vec<AtomicU64>,
    rows: usize,
}

impl UnseenRows {
    fn filled(rows: usize) -> Self {
        let mut unseen = Self::default();
        for _ in 0..rows {
            unseen.push();
        }
        unseen
    }

    fn mark_all(&self) {
        for word in &self.words {
            word.store(u64::MAX, Ordering::Relaxed);
        }
    }

    /// One atomic instruction for each 64 rows: one for each row took two thirds as long as placing it.
    fn mark_rows(&self, rows: Range<usize>) {
        let mut row = rows.start;
        while row < rows.end {
            let first = row % WORD;
            let count = (WORD - first).min(rows.end - row);
            let bits = u64::MAX >> (WORD - count) << first;
            self.words[row / WORD].fetch_or(bits, Ordering::Relaxed);
            row += count;
        }
    }

    fn mark(&self, row: u32) {
        let row = row as usize;
        self.words[row / WORD].fetch_or(1 << (row % WORD), Ordering::Relaxed);
    }

    fn push(&mut self) {
        if self.rows.is_multiple_of(WORD) {
            self.words.push(AtomicU64::new(0));
        }
        self.rows += 1;
        self.mark(self.rows as u32 - 1);
    }

    fn swap_remove(&mut self, row: u32) {
        self.rows -= 1;
        // The row that takes the place counts as moved.
        self.mark(row);
        self.words.truncate(self.rows.div_ceil(WORD));
    }

    /// Whether all rows are unseen, as after a walk over all of them; if so, all count as seen from now
    /// on. O(rows / 64), and O(1) if the first row was seen.
    pub(crate) fn see_if_all(&self) -> bool {
        let Some((last, whole)) = self.words.split_last() else {
            return false;
        };
        let is_full = |word: &AtomicU64| word.load(Ordering::Relaxed) == u64::MAX;
        let used = u64::MAX >> (self.words.len() * WORD - self.rows);
        if !whole.iter().all(is_full) || last.load(Ordering::Relaxed) & used != used {
            return false;
        }
        for word in &self.words {
            word.store(0, Ordering::Relaxed);
        }
        true
    }

    /// Calls `f` with each unseen row, in order; from now on it counts as seen. O(rows / 64), and O(1)
    /// for each row.
    pub(crate) fn see(&self, mut f: impl FnMut(usize)) {
        for (number, word) in self.words.iter().enumerate() {
            // Looking first: a word without bits need not be written.
            if word.load(Ordering::Relaxed) == 0 {
                continue;
            }
            let mut bits = word.swap(0, Ordering::Relaxed);
            while bits != 0 {
                let row = number * WORD + bits.trailing_zeros() as usize;
                // Bits beyond the last row are left over from whole words.
                if row >= self.rows {
                    break;
                }
                f(row);
                bits &= bits - 1;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[derive(Clone, Debug)]
    enum Step {
        Push,
        SwapRemove(usize),
        Mark(usize),
        MarkRows(usize, usize),
        MarkAll,
        See,
    }

    fn step() -> impl Strategy<Value = Step> {
        prop_oneof![
            6 => Just(Step::Push),
            2 => any::<usize>().prop_map(Step::SwapRemove),
            2 => any::<usize>().prop_map(Step::Mark),
            1 => (any::<usize>(), any::<usize>()).prop_map(|(start, end)| Step::MarkRows(start, end)),
            1 => Just(Step::MarkAll),
            1 => Just(Step::See),
        ]
    }

    proptest! {
        /// Every row that was written, pushed or moved since the last look is seen at the next, once, in order, and no other.
        #[test]
        fn unseen_rows_equal_a_plain_list(steps in proptest::collection::vec(step(), 0..400)) {
            let mut unseen = UnseenRows::default();
            let mut plain: Vec<bool> = Vec::new();
            for step in steps {
                match step {
                    Step::Push => {
                        unseen.push();
                        plain.push(true);
                    }
                    Step::SwapRemove(row) if !plain.is_empty() => {
                        let row = row % plain.len();
                        unseen.swap_remove(row as u32);
                        plain.swap_remove(row);
                        if let Some(moved) = plain.get_mut(row) {
                            *moved = true;
                        }
                    }
                    Step::Mark(row) if !plain.is_empty() => {
                        let row = row % plain.len();
                        unseen.mark(row as u32);
                        plain[row] = true;
                    }
                    Step::MarkRows(start, end) => {
                        let (start, end) = (start % (plain.len() + 1), end % (plain.len() + 1));
                        let rows = start.min(end)..start.max(end);
                        unseen.mark_rows(rows.clone());
                        plain[rows].fill(true);
                    }
                    Step::MarkAll => {
                        unseen.mark_all();
                        plain.fill(true);
                    }
                    Step::See => {
                        let mut seen = Vec::new();
                        if unseen.see_if_all() {
                            seen.extend(0..plain.len());
                        } else {
                            prop_assert!(plain.is_empty() || plain.contains(&false));
                        }
                        unseen.see(|row| seen.push(row));
                        let wanted: Vec<usize> = (0..plain.len()).filter(|&row| plain[row]).collect();
                        prop_assert_eq!(seen, wanted);
                        plain.fill(false);
                    }
                    Step::SwapRemove(_) | Step::Mark(_) => {}
                }
            }
        }
    }
}
