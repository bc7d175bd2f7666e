//! Slots of ids that were reserved in a burst: few, at indices far apart.

use super::{Location, VACANT};
use rustc_hash::FxHashMap;

/// The first far index; dense slots lie below.
pub(super) const FAR: u32 = 1 << 31;

/// Far indices are handed out in blocks of this size and multiples of it.
pub(super) const BLOCK: u32 = 64;

/// The slots in use, block by block. A far index serves one entity: it is never handed out again.
#[derive(Clone, Debug)]
pub(super) struct FarSlots {
    blocks: FxHashMap<u32, Block>,
    /// The first index that was never handed out; a multiple of [`BLOCK`].
    next: u32,
}

#[derive(Clone, Debug)]
struct Block {
    /// A bit for each slot that is reserved or lived in.
    taken: u64,
    slots: Box<[Location; BLOCK as usize]>,
}

impl Default for FarSlots {
    fn default() -> Self {
        Self {
            blocks: FxHashMap::default(),
            next: FAR,
        }
    }
}

impl FarSlots {
    #[cfg(any(test, feature = "snapshot"))]
    /// No slot in use, and indices that continue from one that was never handed out.
    pub(super) fn continuing_from(next: u32) -> Self {
        Self {
            next: next.max(FAR),
            ..Self::default()
        }
    }

    /// Whether an index is far, and was handed out before.
    #[cfg(feature = "snapshot")]
    pub(super) fn was_handed_out(&self, index: u32) -> bool {
        (FAR..self.next).contains(&index)
    }

    pub(super) fn next(&self) -> u32 {
        self.next
    }

    pub(super) fn bytes(&self) -> usize {
        self.blocks.len() * (size_of::<Block>() + size_of::<[Location; BLOCK as usize]>())
    }

    /// Where the entity of an index is, if the index is taken.
    #[cold]
    pub(super) fn locate(&self, index: u32) -> Option<Location> {
        let block = self.blocks.get(&(index / BLOCK))?;
        let at = index % BLOCK;
        (block.taken & 1 << at != 0).then(|| block.slots[at as usize])
    }

    /// Takes an index that was reserved.
    pub(super) fn take(&mut self, index: u32) {
        self.set(index, VACANT);
        let end = (index / BLOCK + 1).saturating_mul(BLOCK);
        self.next = self.next.max(end);
    }

    /// Puts an entity into the slot of an index.
    #[cold]
    pub(super) fn set(&mut self, index: u32, location: Location) {
        let block = self.blocks.entry(index / BLOCK).or_insert_with(|| Block {
            taken: 0,
            slots: Box::new([VACANT; BLOCK as usize]),
        });
        let at = index % BLOCK;
        block.taken |= 1 << at;
        block.slots[at as usize] = location;
    }

    /// Retires an index.
    #[cold]
    pub(super) fn burn(&mut self, index: u32) {
        let number = index / BLOCK;
        if let Some(block) = self.blocks.get_mut(&number) {
            block.taken &= !(1 << (index % BLOCK));
            if block.taken == 0 {
                self.blocks.remove(&number);
            }
        }
    }
}
