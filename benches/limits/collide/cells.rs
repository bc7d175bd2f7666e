//! Bodies sorted into the cells of a grid, for the loops that are written by hand.

#[derive(Default)]
pub(super) struct Cells {
    /// Bodies by cell, and where each cell begins in that list.
    bodies: Vec<u32>,
    starts: Vec<u32>,
}

impl Cells {
    /// Sorts all bodies anew; `cells` lists the cell of each, and there are `count` cells.
    pub(super) fn sort(
        &mut self,
        count: usize,
        cells: impl ExactSizeIterator<Item = usize> + Clone,
    ) {
        self.starts.clear();
        self.starts.resize(count + 1, 0);
        for cell in cells.clone() {
            self.starts[cell + 1] += 1;
        }
        for at in 1..self.starts.len() {
            self.starts[at] += self.starts[at - 1];
        }
        let mut next = self.starts.clone();
        self.bodies.resize(cells.len(), 0);
        for (number, cell) in cells.enumerate() {
            self.bodies[next[cell] as usize] = number as u32;
            next[cell] += 1;
        }
    }

    pub(super) fn of(&self, cell: usize) -> &[u32] {
        &self.bodies[self.starts[cell] as usize..self.starts[cell + 1] as usize]
    }
}
