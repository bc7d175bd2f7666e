//! Where names go: near their boxes, never over each other.

/// A rectangle in pixels: left, top, right, bottom.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) struct Area {
    pub(super) left: i32,
    pub(super) top: i32,
    pub(super) right: i32,
    pub(super) bottom: i32,
}

impl Area {
    fn at(left: i32, top: i32, size: (i32, i32)) -> Self {
        Self {
            left,
            top,
            right: left + size.0,
            bottom: top + size.1,
        }
    }

    fn overlaps(&self, other: &Self) -> bool {
        self.left < other.right
            && other.left < self.right
            && self.top < other.bottom
            && other.top < self.bottom
    }

    fn is_within(&self, outer: &Self) -> bool {
        self.left >= outer.left
            && self.right <= outer.right
            && self.top >= outer.top
            && self.bottom <= outer.bottom
    }
}

/// Pixels between a box and its name.
const GAP: i32 = 2;

/// Finds free places one by one. A name without a free place is left out, since names on top of each other are unreadable.
pub(super) struct Labels {
    panel: Area,
    taken: Vec<Area>,
}

impl Labels {
    pub(super) fn new(panel: Area) -> Self {
        Self {
            panel,
            taken: Vec::new(),
        }
    }

    /// A free place for a text of a size: inside of the box if it fits there, else above, below, or beside it.
    pub(super) fn place(&mut self, of: Area, size: (i32, i32)) -> Option<(i32, i32)> {
        let center = (
            (of.left + of.right - size.0) / 2,
            (of.top + of.bottom - size.1) / 2,
        );
        let inside = Area::at(center.0, center.1, size);
        let around = [
            (center.0, of.top - GAP - size.1),
            (center.0, of.bottom + GAP),
            (of.right + GAP, center.1),
            (of.left - GAP - size.0, center.1),
        ];
        let place = std::iter::once(inside)
            .filter(|place| place.is_within(&of))
            .chain(around.map(|(left, top)| Area::at(left, top, size)))
            .find(|place| {
                place.is_within(&self.panel)
                    && !self.taken.iter().any(|taken| taken.overlaps(place))
            })?;
        self.taken.push(place);
        Some((place.left, place.top))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const PANEL: Area = Area {
        left: 0,
        top: 0,
        right: 300,
        bottom: 200,
    };

    #[test]
    fn a_name_goes_inside_of_a_box_that_is_large_enough() {
        let of = Area::at(100, 100, (80, 40));
        assert_eq!(Labels::new(PANEL).place(of, (60, 10)), Some((110, 115)));
    }

    #[test]
    fn a_name_goes_above_a_box_that_is_too_small_and_below_if_that_is_taken() {
        let of = Area::at(100, 100, (10, 10));
        let mut labels = Labels::new(PANEL);
        assert_eq!(labels.place(of, (60, 12)), Some((75, 86)));
        assert_eq!(labels.place(of, (60, 12)), Some((75, 112)));
    }

    proptest! {
        #[test]
        fn names_never_meet_and_never_leave_the_panel(
            boxes in proptest::collection::vec((0..290, 0..190, 1..80, 1..60), 1..40)
        ) {
            let mut labels = Labels::new(PANEL);
            for (left, top, width, height) in boxes {
                labels.place(Area::at(left, top, (width, height)), (50, 12));
            }
            for (at, a) in labels.taken.iter().enumerate() {
                prop_assert!(a.is_within(&PANEL));
                prop_assert!(labels.taken[at + 1..].iter().all(|b| !a.overlaps(b)));
            }
        }
    }
}
