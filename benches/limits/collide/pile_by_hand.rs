//! Cubes that are thrown into a pit, written by hand for this scene alone: without groups, order of hits, masses, friction or events.
//! Each cube moves along one axis after the other until an obstacle stops it, so its pile ends up higher than ours.

use super::cells::Cells;
use gerust::prelude::*;

const HALF: f32 = 0.25;
const STEP: f32 = 1.0 / 60.0;
/// The walls are this far from the middle, and the floor is at 0.
const WALL: f32 = 5.5;
/// Cells of the size of a cube.
const SIDE: i32 = 24;
const LAYERS: i32 = 64;

#[derive(Default)]
pub(super) struct PileByHand {
    places: Vec<Vec3>,
    velocities: Vec<Vec3>,
    cells: Cells,
    pub(super) pairs: Vec<(u32, u32)>,
}

impl PileByHand {
    pub(super) fn throw(&mut self, place: Vec3, velocity: Vec3) {
        self.places.push(place);
        self.velocities.push(velocity);
    }

    pub(super) fn frame(&mut self) {
        let cells = self.places.iter().map(|&place| index(cell(place)));
        self.cells.sort((SIDE * SIDE * LAYERS) as usize, cells);
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
        let before = self.places[number];
        let mut place = before;
        place[axis] += way;
        let mut is_stopped = false;
        for around in around(before) {
            for &other in self.cells.of(around) {
                let there = self.places[other as usize];
                let apart = (place - there).abs().max_element();
                if other as usize != number && apart < 2.0 * HALF {
                    place[axis] = there[axis] - (2.0 * HALF).copysign(way);
                    is_stopped = true;
                }
            }
        }
        let (least, most) = match axis {
            1 => (HALF, f32::MAX),
            _ => (HALF - WALL, WALL - HALF),
        };
        if place[axis] < least || place[axis] > most {
            place[axis] = place[axis].clamp(least, most);
            is_stopped = true;
        }
        if is_stopped {
            self.velocities[number][axis] = 0.0;
        }
        self.places[number] = place;
    }

    /// Lists what touches.
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
            }
        }
        pairs.sort_unstable();
        self.pairs = pairs;
    }
}

fn cell(place: Vec3) -> [i32; 3] {
    let along = |place: f32, most: i32| ((place / (2.0 * HALF)).floor() as i32).clamp(1, most - 2);
    [
        along(place.x + WALL + 2.0 * HALF, SIDE),
        along(place.y + 2.0 * HALF, LAYERS),
        along(place.z + WALL + 2.0 * HALF, SIDE),
    ]
}

fn index([x, y, z]: [i32; 3]) -> usize {
    ((y * SIDE + z) * SIDE + x) as usize
}

fn around(place: Vec3) -> impl Iterator<Item = usize> {
    let [x, y, z] = cell(place);
    (0..27).map(move |number| {
        index([
            x + number % 3 - 1,
            y + number / 9 - 1,
            z + number / 3 % 3 - 1,
        ])
    })
}
