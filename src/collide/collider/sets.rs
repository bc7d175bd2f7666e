//! The boxes of a collider: one, several, sets of them by name, or a grid of tiles.

use crate::collide::aabb::Aabb;
use crate::collide::tiles::TileGrid;
use std::ops::Range;
use std::sync::Arc;

/// The boxes of a collider, in the entity's own space. Several boxes are shared: a collider is cheap to
/// copy from a template.
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(try_from = "StoredBoxes")
)]
pub(in crate::collide) enum OwnBoxes {
    One(Aabb),
    Several(Arc<[Aabb]>),
    Sets {
        sets: Arc<BoxSets>,
        /// 0 is the default, the others follow in the order in which they were added.
        current: u32,
    },
    Tiles(Arc<TileGrid>),
}

/// Boxes as they were stored, which may make no sense.
#[cfg(feature = "snapshot")]
#[derive(serde::Deserialize)]
#[serde(rename = "OwnBoxes")]
enum StoredBoxes {
    One(Aabb),
    Several(Arc<[Aabb]>),
    Sets { sets: Arc<BoxSets>, current: u32 },
    Tiles(Arc<TileGrid>),
}

#[cfg(feature = "snapshot")]
impl TryFrom<StoredBoxes> for OwnBoxes {
    type Error = String;

    fn try_from(stored: StoredBoxes) -> Result<Self, String> {
        Ok(match stored {
            StoredBoxes::One(aabb) => Self::One(aabb),
            StoredBoxes::Several(boxes) => Self::Several(boxes),
            StoredBoxes::Sets { sets, current } if current as usize > sets.named.len() => {
                return Err(format!(
                    "box set {current} is the current one, and there are {} besides the default",
                    sets.named.len()
                ));
            }
            StoredBoxes::Sets { sets, current } => Self::Sets { sets, current },
            StoredBoxes::Tiles(grid) => Self::Tiles(grid),
        })
    }
}

#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::collide) struct BoxSets {
    pub(super) default: Vec<Aabb>,
    pub(super) named: Vec<NamedSet>,
}

#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct NamedSet {
    pub(super) name: String,
    pub(super) boxes: Vec<Aabb>,
    /// The pictures of an animation during which it is the current one.
    pub(super) pictures: Range<u32>,
}

/// The name of the set that a collider has from the start.
pub(super) const DEFAULT_SET: &str = "default";

impl OwnBoxes {
    pub(super) fn of(mut boxes: Vec<Aabb>) -> Self {
        match boxes.len() {
            1 => Self::One(boxes.remove(0)),
            _ => Self::Several(boxes.into()),
        }
    }

    /// The current boxes; none for a grid.
    #[inline]
    pub(in crate::collide) fn current(&self) -> &[Aabb] {
        match self {
            Self::One(aabb) => std::slice::from_ref(aabb),
            Self::Several(boxes) => boxes,
            Self::Sets { sets, current } => match current.checked_sub(1) {
                None => &sets.default,
                Some(number) => &sets.named[number as usize].boxes,
            },
            Self::Tiles(_) => &[],
        }
    }

    /// The default boxes; none for a grid.
    pub(super) fn default_boxes(&self) -> &[Aabb] {
        match self {
            Self::Sets { sets, .. } => &sets.default,
            other => other.current(),
        }
    }

    /// The sets, to add to: made from the default boxes if there are none yet.
    pub(super) fn sets_mut(&mut self) -> &mut BoxSets {
        if !matches!(self, Self::Sets { .. }) {
            *self = Self::Sets {
                sets: Arc::new(BoxSets {
                    default: self.default_boxes().to_vec(),
                    named: Vec::new(),
                }),
                current: 0,
            };
        }
        match self {
            Self::Sets { sets, .. } => Arc::make_mut(sets),
            _ => unreachable!("it has just been made one"),
        }
    }
}
