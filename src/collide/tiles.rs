//! Grids of solid tiles.

use super::aabb::Aabb;
use crate::error::{Error, Kind};
use fixedbitset::FixedBitSet;
use glam::{Affine3A, Vec3};
use std::ops::RangeInclusive;

/// In which plane the rows of a map lie.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub enum MapPlane {
    /// On the ground, seen from above: columns along x, rows along z, the first row at the least z.
    #[default]
    Ground,
    /// Upright, seen from the front: columns along x, rows along y, the first row at the top.
    Wall,
}

/// A grid of tiles, some of them solid, as the shape of one collider.
///
/// Neighbors share their faces to the bit, so bodies slide over the seams as over one slab. A body asks only for the tiles near
/// its way: how large the grid is does not matter. A bit per tile.
///
/// A grid lies along the axes of the world: it moves and is scaled with its entity, but is not turned.
///
/// # Example
///
/// ```
/// use gerust::collide::{MapPlane, TileGrid};
/// use gerust::prelude::*;
///
/// let yard = TileGrid::from_rows(["####", "#..#", "####"], Vec3::splat(2.0), MapPlane::Ground)?;
/// assert_eq!(yard.size(), Vec3::new(8.0, 2.0, 6.0));
/// assert_eq!(yard.solid_count(), 10);
///
/// // A cart of 1.8 m drives east, from the free tile in the middle against the wall.
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Gravity(Vec3::ZERO));
/// runtime.world_mut().spawn((Transform::default(), Collider::tiles(yard)));
/// let cart = runtime.world_mut().spawn((
///     Transform::at(3.0, 1.0, 3.0),
///     Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.9))),
///     Body::dynamic().with_velocity(Vec3::X * 30.0),
/// ));
/// runtime.run_frames(30)?;
/// assert_eq!(runtime.world().get::<Transform>(cart)?.translation.x, 5.1);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(try_from = "StoredGrid")
)]
pub struct TileGrid {
    /// The size of a tile.
    tile: Vec3,
    /// Tiles along each axis; one along the axis across the plane.
    counts: [u32; 3],
    /// By x, then y, then z.
    solid: Solid,
}

/// A bit for each tile.
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize),
    serde(into = "Vec<u32>")
)]
struct Solid(FixedBitSet);

impl From<Solid> for Vec<u32> {
    fn from(solid: Solid) -> Self {
        solid.0.ones().map(|tile| tile as u32).collect()
    }
}

/// A grid as it was stored, which may make no sense.
#[cfg(feature = "snapshot")]
#[derive(serde::Deserialize)]
#[serde(rename = "TileGrid")]
struct StoredGrid {
    tile: Vec3,
    counts: [u32; 3],
    solid: Vec<u32>,
}

#[cfg(feature = "snapshot")]
impl TryFrom<StoredGrid> for TileGrid {
    type Error = Error;

    fn try_from(stored: StoredGrid) -> Result<Self, Error> {
        let mut grid = Self::new(stored.counts, stored.tile)?;
        for tile in stored.solid {
            if tile as usize >= grid.solid.0.len() {
                return Err(Error::from(Kind::BadTiles {
                    reason: format!("there is no tile {tile} in {:?}", stored.counts),
                }));
            }
            grid.solid.0.insert(tile as usize);
        }
        Ok(grid)
    }
}

/// Tiles of a grid at most: 32 MB of bits.
const MOST_TILES: u64 = 1 << 28;

impl TileGrid {
    /// A grid of free tiles: `counts` along each axis, from the entity's origin towards +x, +y and +z.
    ///
    /// # Errors
    ///
    /// If a side of a tile is not a positive, finite number, if there are no tiles, or more than 2²⁸.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::TileGrid;
    /// use gerust::prelude::*;
    ///
    /// let mut stack = TileGrid::new([2, 3, 1], Vec3::new(6.0, 2.5, 2.5))?;
    /// stack.set_solid([1, 0, 0], true);
    /// assert!(stack.is_solid([1, 0, 0]) && !stack.is_solid([0, 0, 0]));
    /// assert!(!stack.is_solid([9, 9, 9]), "outside is free");
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn new(counts: [u32; 3], tile: Vec3) -> Result<Self, Error> {
        let refuse = |reason: String| Err(Error::from(Kind::BadTiles { reason }));
        if !tile.is_finite() || tile.min_element() <= 0.0 {
            return refuse(format!(
                "a tile cannot have the size {tile}; write positive numbers of metres"
            ));
        }
        let count = counts
            .iter()
            .try_fold(1_u64, |all, &along| all.checked_mul(u64::from(along)));
        match count {
            Some(0) => refuse(String::from(
                "it has no tiles; give it one or more along each axis",
            )),
            Some(count) if count <= MOST_TILES => Ok(Self {
                tile,
                counts,
                solid: Solid(FixedBitSet::with_capacity(count as usize)),
            }),
            _ => refuse(format!(
                "{counts:?} tiles are more than {MOST_TILES}; make the tiles larger, or several grids"
            )),
        }
    }

    /// A grid from rows of text: `#` is solid, `.` or a space is free.
    ///
    /// On the [ground](MapPlane::Ground) the first row lies at the entity's origin, and further rows follow along +z, so the
    /// text is the map as seen from above with x to the right. On a [wall](MapPlane::Wall) the last row stands on the
    /// entity's origin.
    ///
    /// # Errors
    ///
    /// As [`TileGrid::new`], if a row has another length than the first, or for another character; the message says where.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::{MapPlane, TileGrid};
    /// use gerust::prelude::*;
    ///
    /// let stairs = TileGrid::from_rows(["..#", ".##"], Vec3::ONE, MapPlane::Wall)?;
    /// assert!(stairs.is_solid([1, 0, 0]) && !stairs.is_solid([1, 1, 0]));
    /// let error = TileGrid::from_rows(["##", "#x"], Vec3::ONE, MapPlane::Wall).unwrap_err();
    /// assert!(error.to_string().contains("row 2, column 2"));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn from_rows<R: AsRef<str>>(
        rows: impl IntoIterator<Item = R>,
        tile: Vec3,
        plane: MapPlane,
    ) -> Result<Self, Error> {
        let rows: Vec<Vec<char>> = rows
            .into_iter()
            .map(|row| row.as_ref().chars().collect())
            .collect();
        let refuse = |reason: String| Err(Error::from(Kind::BadTiles { reason }));
        let columns = rows.first().map_or(0, Vec::len);
        let (width, height) = (columns as u32, rows.len() as u32);
        let mut grid = Self::new(
            match plane {
                MapPlane::Ground => [width, 1, height],
                MapPlane::Wall => [width, height, 1],
            },
            tile,
        )?;
        for (number, row) in rows.iter().enumerate() {
            if row.len() != columns {
                return refuse(format!(
                    "row {} has {} tiles, but row 1 has {columns}; make all rows equally long",
                    number + 1,
                    row.len()
                ));
            }
            for (column, &tile) in row.iter().enumerate() {
                let is_solid = match tile {
                    '#' => true,
                    '.' | ' ' => false,
                    other => {
                        return refuse(format!(
                            "`{other}` in row {}, column {} is no tile; write `#` for a solid one and `.` for a free one",
                            number + 1,
                            column + 1
                        ));
                    }
                };
                let (column, number) = (column as u32, number as u32);
                grid.set_solid(
                    match plane {
                        MapPlane::Ground => [column, 0, number],
                        MapPlane::Wall => [column, height - 1 - number, 0],
                    },
                    is_solid,
                );
            }
        }
        Ok(grid)
    }

    fn number(&self, at: [u32; 3]) -> Option<usize> {
        let is_inside = at.iter().zip(&self.counts).all(|(at, count)| at < count);
        let [x, y, z] = at.map(|at| at as usize);
        let [columns, rows, _] = self.counts.map(|count| count as usize);
        is_inside.then(|| (z * rows + y) * columns + x)
    }

    /// Whether the tile at a position is solid; outside of the grid none is.
    #[must_use]
    pub fn is_solid(&self, at: [u32; 3]) -> bool {
        self.number(at)
            .is_some_and(|number| self.solid.0.contains(number))
    }

    /// Makes a tile solid or free. Positions outside of the grid stay free.
    pub fn set_solid(&mut self, at: [u32; 3], solid: bool) {
        if let Some(number) = self.number(at) {
            self.solid.0.grow(number + 1);
            self.solid.0.set(number, solid);
        }
    }

    /// How many tiles are solid. O(tiles / 64).
    #[must_use]
    pub fn solid_count(&self) -> usize {
        self.solid.0.count_ones(..)
    }

    /// How many tiles there are along each axis, solid or free.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::{MapPlane, TileGrid};
    /// use gerust::prelude::*;
    ///
    /// let yard = TileGrid::from_rows(["..#", "#.."], Vec3::ONE, MapPlane::Ground)?;
    /// assert_eq!(yard.counts(), [3, 1, 2]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn counts(&self) -> [u32; 3] {
        self.counts
    }

    /// The size of the whole grid, in metres of the entity's own space.
    #[must_use]
    pub fn size(&self) -> Vec3 {
        self.tile * Vec3::from(self.counts.map(|count| count as f32))
    }

    /// The positions of all solid tiles, by x, then y, then z.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::{MapPlane, TileGrid};
    /// use gerust::prelude::*;
    ///
    /// let yard = TileGrid::from_rows([".#", "#."], Vec3::ONE, MapPlane::Ground)?;
    /// assert_eq!(yard.solid_tiles().collect::<Vec<_>>(), [[1, 0, 0], [0, 0, 1]]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn solid_tiles(&self) -> impl Iterator<Item = [u32; 3]> {
        let [columns, rows, _] = self.counts;
        self.solid.0.ones().map(move |number| {
            let number = number as u32;
            [
                number % columns,
                number / columns % rows,
                number / (columns * rows),
            ]
        })
    }
}

/// A grid at its place in the world.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(super) struct PlacedTiles {
    /// The corner with the least coordinates.
    pub(super) corner: Vec3,
    tile: Vec3,
    /// By axis: whether the grid is mirrored, so that its last tile is the first in the world.
    is_mirrored: [bool; 3],
}

impl PlacedTiles {
    /// A grid under a placement that scales it along its axes.
    pub(super) fn new(grid: &TileGrid, map: &Affine3A) -> Self {
        let scale = Vec3::new(
            map.matrix3.x_axis.x,
            map.matrix3.y_axis.y,
            map.matrix3.z_axis.z,
        );
        let place = Vec3::from(map.translation);
        let end = place + grid.size() * scale;
        Self {
            corner: Vec3::select(scale.cmplt(Vec3::ZERO), end, place),
            tile: grid.tile * scale.abs(),
            is_mirrored: [0, 1, 2].map(|axis| scale[axis] < 0.0),
        }
    }

    /// The box at a position in the world, counted from the corner. Both neighbors of a face come to it by the same
    /// expression.
    pub(super) fn tile(&self, at: [u32; 3]) -> Aabb {
        let corner =
            |step: u32| self.corner + self.tile * Vec3::from(at.map(|at| (at + step) as f32));
        Aabb {
            min: corner(0),
            max: corner(1),
        }
    }

    /// Whether the tile at a position in the world is solid.
    fn is_solid(&self, grid: &TileGrid, at: [u32; 3]) -> bool {
        grid.is_solid([0, 1, 2].map(|axis| match self.is_mirrored[axis] {
            true => grid.counts[axis] - 1 - at[axis],
            false => at[axis],
        }))
    }

    pub(super) fn bounds(&self, grid: &TileGrid) -> Aabb {
        Aabb {
            min: self.corner,
            max: self.tile(grid.counts.map(|count| count - 1)).max,
        }
    }

    /// Calls `visit` with the box of each solid tile that touches a region. O(tiles in the region).
    pub(super) fn touching(&self, grid: &TileGrid, region: &Aabb, mut visit: impl FnMut(Aabb)) {
        let [along_x, along_y, along_z] = [0, 1, 2].map(|axis| self.range(grid, region, axis));
        for z in along_z {
            for y in along_y.clone() {
                for x in along_x.clone() {
                    if self.is_solid(grid, [x, y, z]) {
                        let tile = self.tile([x, y, z]);
                        if tile.touches(region) {
                            visit(tile);
                        }
                    }
                }
            }
        }
    }

    /// The tiles along an axis that a region may touch.
    fn range(&self, grid: &TileGrid, region: &Aabb, axis: usize) -> RangeInclusive<u32> {
        let at = |coordinate: f32| (coordinate - self.corner[axis]) / self.tile[axis];
        // One to each side for rounding: what is too much is left out by the exact comparison.
        let first = (at(region.min[axis]).floor() - 1.0).max(0.0);
        let last = (at(region.max[axis]).floor() + 1.0).min(grid.counts[axis] as f32 - 1.0);
        match first <= last {
            true => first as u32..=last as u32,
            #[expect(clippy::reversed_empty_ranges, reason = "it is meant to be empty")]
            false => 1..=0,
        }
    }
}

#[cfg(test)]
mod tests;
