//! Who comes before whom, with everything that follows from it.

use fixedbitset::FixedBitSet;

/// A strict partial order of the systems of a phase, closed: a system that comes before a system's predecessor comes before the
/// system. n² / 8 bytes.
#[derive(Clone, Debug, Default)]
pub(super) struct Precedence {
    /// By system: all that come before it.
    before: Vec<FixedBitSet>,
    /// Systems that come before some other one: only for these must an addition be handed on.
    has_followers: FixedBitSet,
}

impl Precedence {
    pub(super) fn new(systems: usize) -> Self {
        Self {
            before: vec![FixedBitSet::with_capacity(systems); systems],
            has_followers: FixedBitSet::with_capacity(systems),
        }
    }

    pub(super) fn is_before(&self, first: usize, second: usize) -> bool {
        self.before[second].contains(first)
    }

    /// Adds a pair with all that follows. `second` must not come before `first`. O(n) words, or O(n²) if others come
    /// after `second` already.
    pub(super) fn add(&mut self, first: usize, second: usize) {
        debug_assert!(first != second && !self.is_before(second, first));
        if self.is_before(first, second) {
            return;
        }
        let mut gained = self.before[first].clone();
        gained.insert(first);
        if self.has_followers.contains(second) {
            for before in &mut self.before {
                if before.contains(second) {
                    before.union_with(&gained);
                }
            }
        }
        self.before[second].union_with(&gained);
        self.has_followers.union_with(&gained);
    }

    /// The systems that `wanted` holds, each after all that come before it, those registered first as early as that
    /// allows. O(n²) bits.
    pub(super) fn sequence(&self, wanted: &FixedBitSet) -> Vec<u32> {
        let mut waiting: Vec<usize> = self
            .before
            .iter()
            .map(|before| before.intersection_count(wanted))
            .collect();
        let mut ready: std::collections::BTreeSet<usize> =
            wanted.ones().filter(|&at| waiting[at] == 0).collect();
        let mut sequence = Vec::with_capacity(wanted.count_ones(..));
        while let Some(next) = ready.pop_first() {
            sequence.push(next as u32);
            if !self.has_followers.contains(next) {
                continue;
            }
            for later in wanted.ones().filter(|&later| self.is_before(next, later)) {
                waiting[later] -= 1;
                if waiting[later] == 0 {
                    ready.insert(later);
                }
            }
        }
        sequence
    }

    /// The pairs from which all others follow: the transitive reduction over the systems of a sequence. For each place in the
    /// sequence the places of its direct predecessors, latest first. O(n²) bits, and n / 64 words for each pair.
    pub(super) fn reduced(&self, sequence: &[u32]) -> Vec<Vec<u32>> {
        let mut implied = FixedBitSet::with_capacity(self.before.len());
        let direct_of = |place: usize| {
            let before = &self.before[sequence[place] as usize];
            implied.clear();
            let mut direct = Vec::new();
            // From the latest back: what comes before a direct predecessor is implied by it.
            for earlier in (0..place).rev() {
                let system = sequence[earlier] as usize;
                if before.contains(system) && !implied.contains(system) {
                    direct.push(earlier as u32);
                    implied.union_with(&self.before[system]);
                }
            }
            direct
        };
        (0..sequence.len()).map(direct_of).collect()
    }
}
