//! Chunks of a column.

use super::CHUNK;
use crate::store::component::{Component, ComponentTypes};
use crate::store::entity::TableId;
use glam::Vec3;
use std::any::Any;
use std::fmt;
use std::sync::Arc;

/// The values of the rows of a chunk: a `Vec` of the type, or the number of values without data.
pub(super) type Chunk = Arc<dyn Any + Send + Sync>;

type IsSame = fn(&ComponentTypes, TableId, usize, &(dyn Any + Send + Sync)) -> bool;

/// A type whose values can be compared exactly: unlike `==`, it tells zeros of different signs apart, and takes a NaN as equal to
/// itself.
pub(crate) trait SameBits {
    fn has_same_bits(&self, other: &Self) -> bool;
}

impl SameBits for Vec3 {
    #[inline]
    fn has_same_bits(&self, other: &Self) -> bool {
        self.to_array().map(f32::to_bits) == other.to_array().map(f32::to_bits)
    }
}

/// How chunks of a registered type are copied and put back.
#[derive(Clone, Copy)]
pub(crate) struct ChunkFunctions {
    /// The values of the `at`-th chunk of a table.
    pub(super) copy: fn(&ComponentTypes, TableId, usize) -> Chunk,
    /// Whether a chunk that counts as written has the same values, bit for bit. `None` for types that cannot say.
    pub(super) is_same: Option<IsSame>,
    /// Adds the values of a chunk to a table.
    pub(super) put: fn(&mut ComponentTypes, TableId, &(dyn Any + Send + Sync), u64),
}

impl fmt::Debug for ChunkFunctions {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("ChunkFunctions")
    }
}

impl ChunkFunctions {
    pub(crate) fn of<T: Component + Clone>() -> Self {
        Self {
            is_same: None,
            copy: |types, table, at| {
                let (mut columns, position) = types.borrow_column::<T>(table);
                let column = columns.at_mut(position);
                let end = column.len().min((at + 1) * CHUNK);
                Arc::new(column[at * CHUNK..end].to_vec())
            },
            put: |types, table, chunk, tick| {
                let id = types.id_or_register::<T>();
                let values: Option<&Vec<T>> = chunk.downcast_ref();
                let values =
                    values.expect("a chunk is put back as the type that it was copied from");
                types.push_many(id, table, values.iter().cloned(), tick);
            },
        }
    }

    /// Of a type whose values can be compared: systems often write what was there before.
    pub(crate) fn of_comparable<T: Component + Clone + SameBits>() -> Self {
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
            is_same: None,
            copy: |types, table, at| {
                let (mut columns, position) = types.borrow_column::<T>(table);
                let rows = columns.at_mut(position).len();
                Arc::new(rows.min((at + 1) * CHUNK) - at * CHUNK)
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
