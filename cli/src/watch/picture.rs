//! The picture of a scene in characters.

use crate::draw::snapshot::{Look, Snapshot};
use gerust::prelude::*;
use glam::Vec2;

/// The direction of a view.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum View {
    /// x to the right, y up.
    Side,
    /// x to the right, z down.
    Top,
}

impl View {
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Side => "side",
            Self::Top => "top",
        }
    }

    pub(super) fn other(self) -> Self {
        match self {
            Self::Side => Self::Top,
            Self::Top => Self::Side,
        }
    }

    /// Right and up in the picture.
    fn flat(self, place: Vec3) -> Vec2 {
        match self {
            Self::Side => place.truncate(),
            Self::Top => Vec2::new(place.x, -place.z),
        }
    }
}

/// What stands in a cell.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Mark {
    Nothing,
    Box(Look),
    /// An entity without a box.
    Point,
    Contact,
    /// The entity that is selected.
    Selected,
}

impl Mark {
    pub(super) fn letter(self) -> char {
        match self {
            Self::Nothing => ' ',
            Self::Box(Look::Static) => '▒',
            Self::Box(Look::Kinematic) => '▓',
            Self::Box(Look::Dynamic) => '█',
            Self::Box(Look::Sensor) => '░',
            Self::Box(Look::Off) => '·',
            Self::Point => '∙',
            Self::Contact => 'x',
            Self::Selected => '◆',
        }
    }
}

/// What part of a scene is seen.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(super) struct Camera {
    center: Vec3,
    size: Vec3,
}

impl Camera {
    /// A view of all entities, with a margin.
    pub(super) fn around(snapshot: &Snapshot) -> Self {
        let boxes = snapshot
            .boxes
            .iter()
            .flat_map(|one| [one.aabb.min, one.aabb.max]);
        let corners = boxes.chain(snapshot.points.iter().copied());
        let corners =
            corners.filter(|corner| corner.is_finite() && corner.abs().max_element() < 1e6);
        let (min, max) = corners.fold(
            (Vec3::splat(f32::MAX), Vec3::splat(f32::MIN)),
            |(min, max), corner| (min.min(corner), max.max(corner)),
        );
        match min.cmple(max).all() {
            true => Self {
                center: (min + max) / 2.0,
                size: (max - min).max(Vec3::ONE) * 1.05,
            },
            false => Self {
                center: Vec3::ZERO,
                size: Vec3::splat(10.0),
            },
        }
    }
}

/// A letter is twice as high as it is wide.
const LETTER_HEIGHT: f32 = 2.0;

/// Rows of cells, the uppermost first.
pub(super) fn picture(
    snapshot: &Snapshot,
    camera: &Camera,
    view: View,
    selected: Option<Entity>,
    (columns, rows): (u16, u16),
) -> Vec<Vec<Mark>> {
    let (columns, rows) = (usize::from(columns.max(1)), usize::from(rows.max(1)));
    let mut cells = vec![vec![Mark::Nothing; columns]; rows];
    let size = match view {
        View::Side => Vec2::new(camera.size.x, camera.size.y),
        View::Top => Vec2::new(camera.size.x, camera.size.z),
    };
    let across = Vec2::new(columns as f32, rows as f32 * LETTER_HEIGHT);
    // Metres in the width of a letter, the same in both directions.
    let scale = (size / across).max_element();
    let center = view.flat(camera.center);
    let cell = |place: Vec3| {
        let way = (view.flat(place) - center) / scale;
        let x = (way.x + columns as f32 / 2.0).floor();
        let y = (rows as f32 / 2.0 - way.y / LETTER_HEIGHT).floor();
        (x, y)
    };
    let mut fill = |aabb: &Aabb, mark: Mark| {
        let (one, other) = (cell(aabb.min), cell(aabb.max));
        let within = |value: f32, most: usize| value.clamp(0.0, most as f32 - 1.0) as usize;
        let is_outside = one.0.max(other.0) < 0.0
            || one.0.min(other.0) >= columns as f32
            || one.1.max(other.1) < 0.0
            || one.1.min(other.1) >= rows as f32;
        if is_outside {
            return;
        }
        let (left, right) = (
            within(one.0.min(other.0), columns),
            within(one.0.max(other.0), columns),
        );
        let (upper, lower) = (
            within(one.1.min(other.1), rows),
            within(one.1.max(other.1), rows),
        );
        for row in &mut cells[upper..=lower] {
            row[left..=right].fill(mark);
        }
    };
    let mut boxes: Vec<_> = snapshot.boxes.iter().collect();
    // Small boxes are drawn in front of large ones.
    let area = |aabb: &Aabb| {
        let size = view.flat(aabb.max - aabb.min).abs();
        size.x * size.y
    };
    boxes.sort_by(|a, b| area(&b.aabb).total_cmp(&area(&a.aabb)));
    for one in &boxes {
        fill(&one.aabb, Mark::Box(one.look));
    }
    for &point in &snapshot.points {
        fill(&Aabb::from_corners(point, point), Mark::Point);
    }
    for contact in &snapshot.contacts {
        let middle = contact.region.center();
        fill(&Aabb::from_corners(middle, middle), Mark::Contact);
    }
    for one in boxes.iter().filter(|one| Some(one.entity) == selected) {
        fill(&one.aabb, Mark::Selected);
    }
    cells
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::draw::snapshot::DrawnBox;

    fn snapshot(boxes: &[(Vec3, Vec3, Look)]) -> Snapshot {
        let mut world = World::new();
        let drawn = boxes.iter().map(|&(min, max, look)| DrawnBox {
            entity: world.spawn((0_u8,)),
            name: None,
            aabb: Aabb::from_corners(min, max),
            look,
            is_tile: false,
        });
        Snapshot {
            frame: 0,
            seconds: 0.0,
            origin: None,
            boxes: drawn.collect(),
            points: vec![Vec3::new(0.0, 9.0, 0.0)],
            grids: Vec::new(),
            contacts: Vec::new(),
            links: Vec::new(),
            trails: Vec::new(),
        }
    }

    fn text(cells: &[Vec<Mark>]) -> Vec<String> {
        let rows = cells.iter();
        rows.map(|row| row.iter().map(|mark| mark.letter()).collect())
            .collect()
    }

    #[test]
    fn small_boxes_stand_before_large_ones() {
        let snapshot = snapshot(&[
            (
                Vec3::new(-2.0, 4.0, -2.0),
                Vec3::new(2.0, 6.0, 2.0),
                Look::Dynamic,
            ),
            (
                Vec3::new(-10.0, 0.0, -5.0),
                Vec3::new(10.0, 8.0, 5.0),
                Look::Static,
            ),
        ]);
        let camera = Camera::around(&snapshot);
        let side = text(&picture(&snapshot, &camera, View::Side, None, (21, 6)));
        assert_eq!(side.len(), 6);
        assert!(side[0].contains('∙') && !side[0].contains('█'), "{side:#?}");
        assert!(
            side[2].starts_with('▒') && side[2].contains('█'),
            "{side:#?}"
        );
        assert!(side[5].contains('▒'), "{side:#?}");
        let top = picture(
            &snapshot,
            &camera,
            View::Top,
            Some(snapshot.boxes[0].entity),
            (21, 6),
        );
        assert!(top.iter().flatten().any(|mark| *mark == Mark::Selected));
    }

    #[test]
    fn what_is_far_away_or_nothing_does_no_harm() {
        let far = snapshot(&[(Vec3::splat(1e30), Vec3::splat(2e30), Look::Static)]);
        let camera = Camera::around(&far);
        let cells = picture(&far, &camera, View::Top, None, (10, 4));
        assert!(
            cells
                .iter()
                .flatten()
                .all(|mark| !matches!(mark, Mark::Box(_)))
        );
        let empty = Snapshot {
            points: Vec::new(),
            ..snapshot(&[])
        };
        let camera = Camera::around(&empty);
        picture(&empty, &camera, View::Side, None, (0, 0));
    }
}
