//! Dividing the work of a frame among the threads of the runtime.

use crate::store::{Conditions, Items, Rows};
use std::ops::Range;

/// The threads that a frame may use. Without the feature `parallel`, the caller's only.
#[derive(Clone, Default, Debug)]
pub(super) struct Threads {
    #[cfg(feature = "parallel")]
    workers: Option<crate::store::Workers>,
}

impl Threads {
    /// The threads of the runtime that hands out the rows.
    pub(super) fn of<I: Items, C: Conditions>(rows: &Rows<'_, I, C>) -> Self {
        #[cfg(not(feature = "parallel"))]
        let _ = rows;
        Self {
            #[cfg(feature = "parallel")]
            workers: Some(rows.workers().clone()),
        }
    }

    /// The number of pieces into which `count` items are divided: at most one for each thread, each of at least `least` items.
    pub(super) fn pieces(&self, count: usize, least: usize) -> usize {
        #[cfg(feature = "parallel")]
        let threads = self.workers.as_ref().map_or(1, |workers| workers.threads());
        #[cfg(not(feature = "parallel"))]
        let threads = 1;
        (count / least).clamp(1, threads)
    }

    /// Runs work that may divide itself among the threads.
    pub(super) fn run(&self, work: impl FnOnce() + Send) {
        #[cfg(feature = "parallel")]
        if let Some(workers) = &self.workers {
            return workers.run(work);
        }
        work();
    }

    /// Divides a range among lists, in order, and calls `each` with every part and its list. The lists one after the other hold what
    /// a single call would find.
    pub(super) fn divide<T: Send>(
        &self,
        range: Range<usize>,
        lists: &mut [T],
        each: impl Fn(Range<usize>, &mut T) + Send + Sync,
    ) {
        match lists {
            [] => {}
            [list] => each(range, list),
            lists => self.run(|| divide(range, lists, &each)),
        }
    }
}

/// Leaves that are searched between two checks of the number of pairs. The more, the longer a search continues after the limit.
const LEAVES_AT_ONCE: usize = 64;

/// Calls `search` with parts of a range of leaves until the list has more than `most` pairs.
pub(super) fn in_parts<T>(
    leaves: Range<usize>,
    most: usize,
    list: &mut Vec<T>,
    mut search: impl FnMut(Range<usize>, &mut Vec<T>),
) {
    for first in leaves.clone().step_by(LEAVES_AT_ONCE) {
        if list.len() > most {
            return;
        }
        search(first..leaves.end.min(first + LEAVES_AT_ONCE), list);
    }
}

fn divide<T: Send>(
    range: Range<usize>,
    lists: &mut [T],
    each: &(impl Fn(Range<usize>, &mut T) + Sync),
) {
    match lists {
        [] => {}
        [list] => each(range, list),
        lists => {
            let middle = range.start + range.len() / 2;
            let (left, right) = lists.split_at_mut(lists.len() / 2);
            let (first, second) = (range.start..middle, middle..range.end);
            #[cfg(feature = "parallel")]
            rayon::join(|| divide(first, left, each), || divide(second, right, each));
            #[cfg(not(feature = "parallel"))]
            {
                divide(first, left, each);
                divide(second, right, each);
            }
        }
    }
}

/// Makes a list of at least `count` lists, all empty.
pub(super) fn clear_lists<T>(lists: &mut Vec<Vec<T>>, count: usize) {
    if lists.len() < count {
        lists.resize_with(count, Vec::new);
    }
    lists.iter_mut().for_each(Vec::clear);
}

#[cfg(test)]
mod tests {
    use super::Threads;

    #[test]
    fn lists_one_after_the_other_are_what_one_thread_finds() {
        for count in 1..9 {
            let mut lists = vec![Vec::new(); count];
            Threads::default().divide(3..100, &mut lists, |range, list: &mut Vec<usize>| {
                list.extend(range);
            });
            assert_eq!(lists.concat(), (3..100).collect::<Vec<_>>());
        }
    }

    #[test]
    fn little_work_is_one_piece() {
        let threads = Threads::default();
        assert_eq!((threads.pieces(0, 8), threads.pieces(1_000, 8)), (1, 1));
    }
}
