//! The order of the systems of a phase, as one round needs it.

/// The order among the places of a phase. A *place* is a position in the sequence in which one thread runs the phase.
#[derive(Default, Debug)]
pub(crate) struct Graph {
    /// By place: how many direct predecessors there are.
    waits_for: Vec<u32>,
    /// By place: where the list of its direct followers starts; the next start is its end.
    starts: Vec<u32>,
    followers: Vec<u32>,
    /// By place: whether only the caller's thread may run it.
    on_caller_thread: Vec<bool>,
}

impl Graph {
    /// A graph from the direct predecessors of each place.
    pub(crate) fn new(direct: &[Vec<u32>], on_caller_thread: Vec<bool>) -> Self {
        let mut follower_counts = vec![0_u32; direct.len()];
        for &before in direct.iter().flatten() {
            follower_counts[before as usize] += 1;
        }
        let mut starts = Vec::with_capacity(direct.len() + 1);
        let mut next = 0;
        for count in follower_counts {
            starts.push(next);
            next += count;
        }
        starts.push(next);
        let mut followers = vec![0; next as usize];
        let mut filled = starts.clone();
        for (place, direct) in direct.iter().enumerate() {
            for &before in direct {
                let slot = &mut filled[before as usize];
                followers[*slot as usize] = place as u32;
                *slot += 1;
            }
        }
        Self {
            waits_for: direct.iter().map(|direct| direct.len() as u32).collect(),
            starts,
            followers,
            on_caller_thread,
        }
    }

    pub(crate) fn len(&self) -> usize {
        self.waits_for.len()
    }

    pub(super) fn waits_for(&self) -> &[u32] {
        &self.waits_for
    }

    pub(super) fn followers(&self, place: u32) -> &[u32] {
        let place = place as usize;
        &self.followers[self.starts[place] as usize..self.starts[place + 1] as usize]
    }

    pub(super) fn is_for_caller(&self, place: u32) -> bool {
        self.on_caller_thread[place as usize]
    }
}
