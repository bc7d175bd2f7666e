//! Which boxes are painted before which, so that what is nearer covers what is farther.

use super::snapshot::DrawnBox;
use super::view::View;
use gerust::Aabb;

/// More boxes than these are put in order by their centers alone, which is faster and sometimes wrong.
const MOST_IN_PAIRS: usize = 2_000;

/// Boxes in the order of the slanted view. Of two that a plane across an axis parts, the one on the viewer's side is painted later;
/// two that are parted in both ways do not cover each other. O(n²) comparisons.
pub(super) fn back_to_front(boxes: &[DrawnBox]) -> Vec<&DrawnBox> {
    let mut sorted: Vec<&DrawnBox> = boxes.iter().collect();
    let nearness = |drawn: &DrawnBox| View::Slanted.nearness(drawn.aabb.center());
    sorted.sort_by(|a, b| nearness(a).total_cmp(&nearness(b)));
    if sorted.len() > MOST_IN_PAIRS {
        return sorted;
    }
    let mut order = Order {
        state: vec![State::Unseen; sorted.len()],
        boxes: &sorted,
        painted: Vec::with_capacity(sorted.len()),
    };
    for at in 0..sorted.len() {
        order.paint(at);
    }
    let painted = order.painted.into_iter();
    painted.map(|at| sorted[at]).collect()
}

/// Whether one box cannot cover another one: a plane parts them, and it is on the far side.
fn is_behind(one: &Aabb, other: &Aabb) -> bool {
    // Boxes that touch are parted.
    const TOUCH: f32 = 1e-3;
    one.max.cmple(other.min + TOUCH).any()
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum State {
    Unseen,
    Begun,
    Painted,
}

struct Order<'b> {
    state: Vec<State>,
    boxes: &'b [&'b DrawnBox],
    painted: Vec<usize>,
}

impl Order<'_> {
    /// Paints a box after all that it may cover. Three boxes can cover each other in a ring: then one of them comes too early.
    fn paint(&mut self, first: usize) {
        // A list in the place of recursion, which would go as deep as there are boxes.
        let mut stack = vec![(first, 0)];
        while let Some((at, next)) = stack.pop() {
            if next == 0 {
                if self.state[at] != State::Unseen {
                    continue;
                }
                self.state[at] = State::Begun;
            }
            let own = &self.boxes[at].aabb;
            let below = (next..self.boxes.len()).find(|&other| {
                let aabb = &self.boxes[other].aabb;
                self.state[other] == State::Unseen && is_behind(aabb, own) && !is_behind(own, aabb)
            });
            match below {
                Some(other) => {
                    stack.push((at, other + 1));
                    stack.push((other, 0));
                }
                None => {
                    self.state[at] = State::Painted;
                    self.painted.push(at);
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::draw::snapshot::Look;
    use gerust::prelude::*;

    fn drawn(boxes: &[([f32; 3], [f32; 3])]) -> Vec<DrawnBox> {
        let mut world = World::new();
        let boxes = boxes.iter().map(|&(min, max)| DrawnBox {
            entity: world.spawn((0_u8,)),
            name: None,
            aabb: Aabb::from_corners(min.into(), max.into()),
            look: Look::Static,
            is_tile: false,
        });
        boxes.collect()
    }

    #[test]
    fn what_stands_on_a_floor_is_painted_after_it_wherever_it_stands() {
        let boxes = drawn(&[
            ([-30.0, 0.0, -30.0], [-28.0, 2.0, -28.0]),
            ([-50.0, -2.0, -50.0], [50.0, 0.0, 50.0]),
            ([40.0, 0.0, 40.0], [42.0, 2.0, 42.0]),
            ([-30.0, 2.0, -30.0], [-28.0, 4.0, -28.0]),
        ]);
        let order: Vec<Entity> = back_to_front(&boxes)
            .iter()
            .map(|drawn| drawn.entity)
            .collect();
        let place = |at: usize| order.iter().position(|entity| *entity == boxes[at].entity);
        assert!(place(1) < place(0) && place(1) < place(2));
        assert!(
            place(0) < place(3),
            "a box that stands on another is painted after it"
        );
        assert_eq!(order.len(), 4);
    }

    #[test]
    fn a_ring_of_boxes_is_painted_somehow() {
        // Each lies before the next, round a corner.
        let boxes = drawn(&[
            ([0.0, 0.0, 0.0], [1.0, 1.0, 9.0]),
            ([0.0, 1.0, 8.0], [9.0, 2.0, 9.0]),
            ([8.0, 0.0, 0.0], [9.0, 9.0, 8.0]),
            ([0.0, 0.0, 0.0], [9.0, 9.0, 9.0]),
        ]);
        assert_eq!(back_to_front(&boxes).len(), 4);
        assert!(back_to_front(&[]).is_empty());
    }
}
