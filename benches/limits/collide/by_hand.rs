//! Boxes that slide over a floor, written by hand for this scene alone: without groups, order of hits, friction or events. Each body
//! moves along one axis after the other until an obstacle stops it.

use super::cells::Cells;
use gerust::prelude::*;

const CELL: f32 = 2.0;
const SIDE: usize = 160;
const HALF: f32 = 0.5;
const STEP: f32 = 1.0 / 60.0;

pub(super) struct ByHand {
    places: Vec<Vec3>,
    velocities: Vec<Vec3>,
    /// The tops of the tiles lie at 0; this says which cells have one.
    has_tile: Vec<bool>,
    cells: Cells,
    pub(super) pairs: Vec<(u32, u32)>,
}

impl ByHand {
    pub(super) fn new(bodies: impl Iterator<Item = (Vec3, Vec3)>, tiles: usize) -> Self {
        let (places, velocities) = bodies.unzip();
        let mut has_tile = vec![false; SIDE * SIDE];
        for number in 0..tiles {
            let corner = Vec3::new((number % 100) as f32, 0.0, (number / 100) as f32) * CELL;
            has_tile[cell(corner + Vec3::ONE)] = true;
        }
        Self {
            places,
            velocities,
            has_tile,
            cells: Cells::default(),
            pairs: Vec::new(),
        }
    }

    pub(super) fn frame(&mut self) {
        let cells = self.places.iter().map(|&place| cell(place));
        self.cells.sort(SIDE * SIDE, cells);
        for number in 0..self.places.len() {
            self.velocities[number].y -= 9.81 * STEP;
            for axis in 0..3 {
                self.move_along(number, axis);
            }
        }
        self.list_pairs();
    }

    fn move_along(&mut self, number: usize, axis: usize) {
        let way = self.velocities[number][axis] * STEP;
        let mut place = self.places[number];
        place[axis] += way;
        let mut is_stopped = false;
        for around in around(place) {
            for &other in self.cells.of(around) {
                let there = self.places[other as usize];
                if other as usize != number && overlap(place, there) {
                    place[axis] = there[axis] - (2.0 * HALF).copysign(way);
                    is_stopped = true;
                }
            }
            let lies_on = axis == 1 && self.has_tile[around] && place.y < HALF && place.y > -HALF;
            if lies_on && reaches(place, around) {
                place.y = HALF;
                is_stopped = true;
            }
        }
        if is_stopped {
            self.velocities[number][axis] = 0.0;
        }
        self.places[number] = place;
    }

    /// Lists what touches: bodies and bodies, bodies and tiles.
    fn list_pairs(&mut self) {
        let mut pairs = std::mem::take(&mut self.pairs);
        pairs.clear();
        for (number, &place) in self.places.iter().enumerate() {
            for around in around(place) {
                for &other in self.cells.of(around) {
                    let gap = (place - self.places[other as usize]).abs().max_element();
                    if (number as u32) < other && gap <= 2.0 * HALF + 1e-3 {
                        pairs.push((number as u32, other));
                    }
                }
                let is_near = place.y <= HALF + 1e-3 && place.y > -HALF;
                if self.has_tile[around] && is_near && reaches(place, around) {
                    pairs.push((number as u32, (self.places.len() + around) as u32));
                }
            }
        }
        pairs.sort_unstable();
        self.pairs = pairs;
    }
}

/// Bodies that have left the floor gather in the outermost cells.
fn coordinate(along: f32) -> usize {
    ((along / CELL) as i32 + 30).clamp(1, SIDE as i32 - 2) as usize
}

fn cell(place: Vec3) -> usize {
    coordinate(place.z) * SIDE + coordinate(place.x)
}

fn around(place: Vec3) -> impl Iterator<Item = usize> {
    let center = cell(place);
    [0, SIDE, 2 * SIDE]
        .into_iter()
        .flat_map(move |row| (0..3).map(move |column| center + row + column - SIDE - 1))
}

fn overlap(a: Vec3, b: Vec3) -> bool {
    (a - b).abs().max_element() < 2.0 * HALF
}

/// Whether a body reaches into a cell.
fn reaches(place: Vec3, cell: usize) -> bool {
    let center = |number: usize| (number as f32 - 30.0 + 0.5) * CELL;
    let along = |place: f32, number: usize| (place - center(number)).abs() < HALF + CELL / 2.0;
    along(place.x, cell % SIDE) && along(place.z, cell / SIDE)
}
