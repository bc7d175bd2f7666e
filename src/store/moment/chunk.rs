//! Chunks of a column.

use super::CHUNK;
use crate::store::component::{Component, ComponentTypes};
use crate::store::entity::{Entity, TableId};
use crate::store::snapshot::write_value;
use glam::Vec3;
use serde::Serialize;
use std::any::Any;
use std::fmt;
use std::sync::Arc;

/// The values of the rows of a chunk: a `Vec` of the type, or the number of values without data.
pub(crate) type Chunk = Arc<dyn Any + Send + Sync>;

type IsSame = fn(&ComponentTypes, TableId, usize, &(dyn Any + Send + Sync)) -> bool;

/// A type whose values can be compared exactly: unlike `==`, it tells zeros of different signs apart, and takes a NaN as equal to
/// itself.
pub(crate) trait SameBits {
    fn has_same_bits(&self, other: &Self) -> bool;
}

/// All numbers are compared, without a branch for each: most values that are compared are the same.
impl<const N: usize> SameBits for [f32; N] {
    #[inline]
    fn has_same_bits(&self, other: &Self) -> bool {
        let pairs = self.iter().zip(other);
        pairs.fold(0, |differing, (one, other)| {
            differing | (one.to_bits() ^ other.to_bits())
        }) == 0
    }
}

impl SameBits for Vec3 {
    #[inline]
    fn has_same_bits(&self, other: &Self) -> bool {
        self.to_array().has_same_bits(&other.to_array())
    }
}

impl SameBits for Entity {
    #[inline]
    fn has_same_bits(&self, other: &Self) -> bool {
        (self.index() ^ other.index()) | (self.generation() ^ other.generation()) == 0
    }
}

/// A copy of a value, in the place of an old copy that nothing else refers to, so that a ring of moments allocates nothing once it is full.
pub(crate) fn copied<T: Clone + Send + Sync + 'static>(value: &T, old: Option<Chunk>) -> Chunk {
    copied_by(
        old,
        || value.clone(),
        |place: &mut T| place.clone_from(value),
    )
}

/// [`copied`], where a value is made or refilled by functions.
pub(crate) fn copied_by<T: Send + Sync + 'static>(
    old: Option<Chunk>,
    make: impl FnOnce() -> T,
    refill: impl FnOnce(&mut T),
) -> Chunk {
    if let Some(mut old) = old
        && let Some(place) = Arc::get_mut(&mut old).and_then(|old| old.downcast_mut())
    {
        refill(place);
        return old;
    }
    Arc::new(make())
}

/// A copy of some values, in the place of an old copy that nothing else refers to.
pub(crate) fn copied_slice<T: Clone>(values: &[T], old: Option<Arc<Vec<T>>>) -> Arc<Vec<T>> {
    if let Some(mut old) = old
        && let Some(place) = Arc::get_mut(&mut old)
    {
        place.clear();
        place.extend_from_slice(values);
        return old;
    }
    Arc::new(values.to_vec())
}

/// How chunks of a registered type are copied and put back.
#[derive(Clone, Copy)]
pub(crate) struct ChunkFunctions {
    /// The values of the `at`-th chunk of a table, in the place of an old chunk if there is one.
    pub(super) copy: fn(&ComponentTypes, TableId, usize, Option<Chunk>) -> Chunk,
    /// Whether a chunk that counts as written has the same values, bit for bit. `None` for types that cannot say.
    pub(super) is_same: Option<IsSame>,
    /// The bytes of a value of a chunk.
    pub(super) write: fn(&(dyn Any + Send + Sync), usize) -> Result<Vec<u8>, String>,
    /// Adds the values of a chunk to a table.
    pub(super) put: fn(&mut ComponentTypes, TableId, &(dyn Any + Send + Sync), u64),
}

impl fmt::Debug for ChunkFunctions {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("ChunkFunctions")
    }
}

/// The values of a chunk of a type with data.
fn values_of<T: Component>(chunk: &(dyn Any + Send + Sync)) -> &[T] {
    let values = chunk.downcast_ref::<Vec<T>>();
    values.expect("a chunk is asked for the type that it was copied from")
}

impl ChunkFunctions {
    pub(crate) fn of<T: Component + Clone + Serialize>() -> Self {
        Self {
            write: |chunk, row| write_value(&values_of::<T>(chunk)[row]),
            is_same: None,
            copy: |types, table, at, old| {
                let (mut columns, position) = types.borrow_column::<T>(table);
                let column = columns.at_mut(position);
                let values = &column[at * CHUNK..column.len().min((at + 1) * CHUNK)];
                copied_by(
                    old,
                    || values.to_vec(),
                    |place: &mut Vec<T>| {
                        place.clear();
                        place.extend_from_slice(values);
                    },
                )
            },
            put: |types, table, chunk, tick| {
                let id = types.id_or_register::<T>();
                types.push_many(id, table, values_of::<T>(chunk).iter().cloned(), tick);
            },
        }
    }

    /// Of a type whose values can be compared: systems often write what was there before.
    pub(crate) fn of_comparable<T: Component + Clone + Serialize + SameBits>() -> Self {
        Self {
            is_same: Some(|types, table, at, chunk| {
                let (mut columns, position) = types.borrow_column::<T>(table);
                let present = columns.at_mut(position)[at * CHUNK..].iter().take(CHUNK);
                let values = chunk.downcast_ref::<Vec<T>>();
                values.is_some_and(|values| {
                    values.len() == present.len()
                        && values
                            .iter()
                            .zip(present)
                            .all(|(one, other)| one.has_same_bits(other))
                })
            }),
            ..Self::of::<T>()
        }
    }

    /// Of a type without data.
    pub(crate) fn of_tag<T: Component + Default>() -> Self {
        Self {
            write: |_, _| write_value(&true),
            is_same: None,
            copy: |types, table, at, old| {
                let (mut columns, position) = types.borrow_column::<T>(table);
                let rows = columns.at_mut(position).len();
                copied(&(rows.min((at + 1) * CHUNK) - at * CHUNK), old)
            },
            put: |types, table, chunk, tick| {
                let id = types.id_or_register::<T>();
                let count: Option<&usize> = chunk.downcast_ref();
                let count =
                    *count.expect("a chunk is put back as the type that it was copied from");
                types.push_many(id, table, (0..count).map(|_| T::default()), tick);
            },
        }
    }
}
