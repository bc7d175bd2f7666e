//! Which pairs to look at: those of which at least one has changed.

use super::contact::{margin_for, margin_of};
use crate::collide::aabb::Aabb;
use crate::collide::boxes::{Boxes, Slot, TREES};
use crate::collide::layers::Layers;
use crate::collide::threads::{Threads, clear_lists, in_parts};

/// Two colliders whose boxes touch, the one with the lesser id first.
#[derive(Clone, Copy, Debug)]
pub(super) struct Pair {
    /// The indices of the two entities. Of those that live no two have the same, so this orders as the ids do.
    key: u64,
    pub(super) slots: (Slot, Slot),
    /// How far apart they may be.
    pub(super) margin: f32,
}

/// The pairs that were found, and what each thread found in a tree; the lists are kept from frame to frame.
#[derive(Default, Debug)]
pub(super) struct Pairs {
    pub(super) list: Vec<Pair>,
    found: Vec<Vec<Pair>>,
}

/// The least number of boxes for which a thread pays; a search among them takes about half a millisecond.
const PIECE: usize = if cfg!(test) { 4 } else { 2_048 };
/// If more than a quarter of a tree has changed, all of it is searched: leaf by leaf is cheaper than box by box.
const MOST_PICKED_SHARE: usize = 4;

/// Lists all pairs that touch and of which at least one has changed, in the order of their ids. Returns `false` if there are more than
/// `most`; then the list is incomplete.
pub(super) fn pairs(
    boxes: &mut Boxes,
    layers: &Layers,
    margin: f32,
    most: usize,
    threads: &Threads,
    pairs: &mut Pairs,
) -> bool {
    let mut changed = [0; TREES];
    for &slot in boxes.changed_slots() {
        let item = boxes.item(slot);
        changed[item.tree()] += usize::from(item.takes_part);
    }
    let is_whole: [bool; TREES] = std::array::from_fn(|number| {
        changed[number] * MOST_PICKED_SHARE > boxes.tree(number).len()
    });
    if is_whole.contains(&true) {
        boxes.change_all(is_whole);
    }
    let boxes = &*boxes;
    let (slack, is_far) = slack(boxes, margin);
    let found = |(a, own): (Slot, Aabb), (b, other): (Slot, Aabb), list: &mut Vec<Pair>| {
        let (brief, other_brief) = (boxes.brief(a), boxes.brief(b));
        if !layers.do_meet(brief.layer, other_brief.layer) {
            return;
        }
        // Only far from the origin there are pairs with a margin of their own.
        let margin = match is_far {
            true => margin_of(&own, &other, margin),
            false => margin,
        };
        if !are_within(&own, &other, margin) {
            return;
        }
        if list.len() > most {
            return;
        }
        let (first, second) = (brief.index, other_brief.index);
        let is_in_order = first < second;
        let (low, high) = if is_in_order {
            (first, second)
        } else {
            (second, first)
        };
        list.push(Pair {
            key: u64::from(low) << 32 | u64::from(high),
            slots: if is_in_order { (a, b) } else { (b, a) },
            margin,
        });
    };
    let Pairs { list, found: lists } = pairs;
    list.clear();
    let largest = (0..TREES).map(|number| boxes.tree(number).len()).max();
    clear_lists(lists, threads.pieces(largest.unwrap_or(0), PIECE));
    for number in 0..TREES {
        let tree = boxes.tree(number);
        let pieces = threads.pieces(tree.len(), PIECE);
        if is_whole[number] {
            threads.divide(tree.leaves(), &mut lists[..pieces], |leaves, list| {
                in_parts(leaves, most, list, |leaves, list| {
                    tree.box_pairs(leaves, slack, |a, b| found(a, b, list));
                });
            });
        }
        for other_number in number + 1..TREES {
            let other = boxes.tree(other_number);
            // The smaller tree is walked, the larger one searched.
            let (walked, searched) = match (is_whole[number], is_whole[other_number]) {
                (true, true) if tree.len() > other.len() => (other, tree),
                (true, _) => (tree, other),
                (false, true) => (other, tree),
                (false, false) => continue,
            };
            let pieces = threads.pieces(walked.len(), PIECE);
            threads.divide(walked.leaves(), &mut lists[..pieces], |leaves, list| {
                in_parts(leaves, most, list, |leaves, list| {
                    walked.box_pairs_with(leaves, searched, slack, |a, b| found(a, b, list));
                });
            });
        }
    }
    for found in lists {
        list.append(found);
    }
    for &slot in boxes.changed_slots() {
        let item = boxes.item(slot);
        let number = item.tree();
        if !item.takes_part || is_whole[number] {
            continue;
        }
        if list.len() > most {
            break;
        }
        let region = item.aabb.grown(slack);
        for other in (0..TREES).filter(|&other| !is_whole[other]) {
            boxes.tree(other).touching(&region, |met| {
                // Of two that have changed, one finds the other.
                let finds = (number, slot) < (other, met);
                if met != slot && (finds || !boxes.has_changed(met)) {
                    found((slot, item.aabb), (met, boxes.item(met).aabb), list);
                }
            });
        }
    }
    list.sort_unstable_by_key(|pair| pair.key);
    list.len() <= most
}

/// A margin that is enough to find any pair, and whether some pairs have a margin of their own.
pub(in crate::collide) fn slack(boxes: &Boxes, margin: f32) -> (f32, bool) {
    let trees = (0..TREES).filter_map(|number| boxes.tree(number).bounds());
    let widest = trees
        .map(|all| margin_for(&all, margin))
        .fold(margin, f32::max);
    let rounding = (0..TREES)
        .filter_map(|number| boxes.tree(number).bounds())
        .map(|all| margin_for(&all, 0.0))
        .fold(0.0, f32::max);
    (widest + rounding, widest > margin)
}

/// Whether two boxes are no further apart than a margin along any axis. The result does not depend on which is the
/// first: a pair must not come and go with the order in which a tree lists the two.
#[inline]
fn are_within(a: &Aabb, b: &Aabb, margin: f32) -> bool {
    let gap = (b.min - a.max).max(a.min - b.max);
    gap.max_element() <= margin
}
