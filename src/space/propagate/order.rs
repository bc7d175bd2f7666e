//! All linked entities, parents before children.

use super::PlacedTable;
#[cfg(feature = "parallel")]
use super::spread::{Trees, WORTH_THREADS};
use crate::profile;
use crate::space::adrift::FiniteCheck;
use crate::space::links::{LinkNode, next_in_preorder};
#[cfg(feature = "parallel")]
use crate::store::Workers;
use crate::store::{Conditions, Entity, Locator, Rows, TableId};
use glam::Affine3A;
use std::ops::Range;
#[cfg(feature = "parallel")]
use std::sync::atomic::{AtomicBool, Ordering};

const NONE: u32 = u32::MAX;

/// The linked entities that have a transform, in preorder: each parent before its children, and everything below an entity
/// right after it.
///
/// 32 bytes per node, and 4 per row. The list is made again when a link has changed, at most once per walk: O(linked
/// entities). When rows have only moved, as when a component was attached, only their row numbers are refreshed.
#[derive(Default, Debug)]
pub(in crate::space) struct Order {
    nodes: Vec<Node>,
    entities: Vec<Entity>,
    /// The tables with their versions, in the order of the walk.
    tables: Vec<(TableId, u64)>,
    /// By table and row: the node.
    node_of: Vec<Vec<u32>>,
    /// A bit for each node that must be placed with all below it.
    changed: Vec<u64>,
    /// The words of `changed` outside of which no bit is set.
    changed_words: Range<usize>,
    is_stale: bool,
    /// Whether all nodes are in one table, each in the row of its own number, as after spawning a tree from the top down.
    is_aligned: bool,
}

/// A row: the number of the table in the walk, and the row in it.
#[derive(Clone, Copy, Debug)]
struct Place {
    table: u32,
    row: u32,
}

const NOWHERE: Place = Place {
    table: NONE,
    row: NONE,
};

#[derive(Clone, Copy, Debug)]
pub(super) struct Node {
    place: Place,
    /// The place of the nearest node above; nowhere for one that has nothing placed above it. Kept here as well, because
    /// looking the parent's node up took a fifth of the time where few nodes change.
    above: Place,
    /// That node itself.
    pub(super) parent: u32,
    /// How many nodes there are from here on to the last one below.
    pub(super) size: u32,
}

impl Order {
    pub(in crate::space) fn mark_stale(&mut self) {
        self.is_stale = true;
    }

    /// Looks whether links have changed or rows have moved since the last walk.
    pub(super) fn bring_up_to_date<C: Conditions>(
        &mut self,
        links: &Rows<(Entity, &LinkNode)>,
        tables: &[PlacedTable<'_, '_, C>],
        locate: Locator<'_>,
    ) {
        let now = tables.iter().map(|table| (table.table, table.version));
        if !self.is_stale && now.clone().eq(self.tables.iter().copied()) {
            return;
        }
        self.tables.clear();
        self.tables.extend(now);
        if self.is_stale || !self.find_rows(tables, locate) {
            let _span = profile::part("rebuild hierarchy order");
            self.rebuild(links, locate);
            let all_found = self.find_rows(tables, locate);
            debug_assert!(all_found, "every node was located just now");
            self.is_stale = false;
        }
    }

    /// Looks up the rows of all nodes; says whether the nodes are still those that the tables hold.
    fn find_rows<C: Conditions>(
        &mut self,
        tables: &[PlacedTable<'_, '_, C>],
        locate: Locator<'_>,
    ) -> bool {
        let number_of = numbers(&self.tables);
        self.node_of.resize_with(tables.len(), Vec::new);
        for (nodes, table) in self.node_of.iter_mut().zip(tables) {
            nodes.clear();
            nodes.resize(table.slices.0.len(), NONE);
        }
        for (at, (node, &entity)) in self.nodes.iter_mut().zip(&self.entities).enumerate() {
            let Some(place) = find(locate, &number_of, entity) else {
                return false;
            };
            node.place = place;
            self.node_of[place.table as usize][place.row as usize] = at as u32;
        }
        for at in 0..self.nodes.len() {
            let parent = self.nodes.get(self.nodes[at].parent as usize);
            self.nodes[at].above = parent.map_or(NOWHERE, |parent| parent.place);
        }
        let mut places = self.nodes.iter().map(|node| node.place).zip(0_u32..);
        self.is_aligned = places.all(|(place, at)| (place.table, place.row) == (0, at));
        let rows: usize = self.node_of.iter().map(Vec::len).sum();
        self.changed.resize(self.nodes.len().div_ceil(64), 0);
        rows == self.nodes.len()
    }

    /// Lists all nodes anew; all of them count as changed.
    fn rebuild(&mut self, links: &Rows<(Entity, &LinkNode)>, locate: Locator<'_>) {
        self.nodes.clear();
        self.entities.clear();
        let number_of = numbers(&self.tables);
        let link_of = |entity| links.get(entity).map(|(_, links)| *links);
        for (root, root_links) in links.iter() {
            if root_links.parent().is_none() {
                self.push_subtree(root, link_of, |entity| {
                    find(locate, &number_of, entity).is_some()
                });
            }
        }
        for at in (0..self.nodes.len()).rev() {
            let Node { parent, size, .. } = self.nodes[at];
            if parent != NONE {
                self.nodes[parent as usize].size += size;
            }
        }
        self.note_all();
    }

    fn push_subtree(
        &mut self,
        root: Entity,
        links: impl Fn(Entity) -> Option<LinkNode> + Copy,
        has_place: impl Fn(Entity) -> bool,
    ) {
        // From the root down to the entity pushed last, each with the nearest node at or above it: chains may be deep, so
        // no recursion.
        let mut path: Vec<(Entity, u32)> = Vec::new();
        let mut at = Some(root);
        while let Some(entity) = at {
            let parent = links(entity).and_then(|links| links.parent());
            while path.last().is_some_and(|&(above, _)| Some(above) != parent) {
                path.pop();
            }
            let above = path.last().map_or(NONE, |&(_, node)| node);
            let nearest = match has_place(entity) {
                true => self.push_node(entity, above),
                // An entity without a transform passes its parent's placement on.
                false => above,
            };
            path.push((entity, nearest));
            at = next_in_preorder(root, entity, links);
        }
    }

    fn push_node(&mut self, entity: Entity, parent: u32) -> u32 {
        let at = u32::try_from(self.nodes.len()).expect("fewer than 2^32 entities");
        self.nodes.push(Node {
            place: NOWHERE,
            above: NOWHERE,
            parent,
            size: 1,
        });
        self.entities.push(entity);
        at
    }

    /// Notes that the transform in a row has changed.
    #[inline]
    pub(super) fn note(&mut self, table: usize, row: usize) {
        let node = self.node_of[table][row] as usize;
        let word = node / 64;
        self.changed[word] |= 1 << (node % 64);
        let words = &mut self.changed_words;
        *words = match words.start == words.end {
            true => word..word + 1,
            false => words.start.min(word)..words.end.max(word + 1),
        };
    }

    /// Notes that the transforms of a whole table have changed.
    pub(super) fn note_table(&mut self, table: usize) {
        if self.node_of.len() == 1 {
            return self.note_all();
        }
        for row in 0..self.node_of[table].len() {
            self.note(table, row);
        }
    }

    fn note_all(&mut self) {
        self.changed.clear();
        self.changed.resize(self.nodes.len().div_ceil(64), u64::MAX);
        self.changed_words = 0..self.changed.len();
    }

    /// Places every node that has changed and everything below it, in order. Returns whether one may not be finite.
    pub(super) fn place<C: Conditions>(
        &mut self,
        tables: &mut [PlacedTable<'_, '_, C>],
        #[cfg(feature = "parallel")] workers: &Workers,
    ) -> bool {
        let _span = profile::part("propagate");
        // Changed trees that stand side by side make one range.
        let mut range = 0..0;
        let mut may_fail = false;
        for word in std::mem::take(&mut self.changed_words) {
            let mut bits = std::mem::take(&mut self.changed[word]);
            while bits != 0 {
                let at = word * 64 + bits.trailing_zeros() as usize;
                bits &= bits - 1;
                if at < range.end || at >= self.nodes.len() {
                    continue;
                }
                let end = at + self.nodes[at].size as usize;
                let is_root = |node: usize| self.nodes[node].parent == NONE;
                if at == range.end && is_root(at) && is_root(range.start) {
                    range.end = end;
                    continue;
                }
                let before = std::mem::replace(&mut range, at..end);
                may_fail |= self.place_changed(
                    before,
                    tables,
                    #[cfg(feature = "parallel")]
                    workers,
                );
            }
        }
        may_fail |= self.place_changed(
            range,
            tables,
            #[cfg(feature = "parallel")]
            workers,
        );
        may_fail
    }

    fn place_changed<C: Conditions>(
        &mut self,
        range: Range<usize>,
        tables: &mut [PlacedTable<'_, '_, C>],
        #[cfg(feature = "parallel")] workers: &Workers,
    ) -> bool {
        #[cfg(feature = "parallel")]
        if self.is_aligned && range.len() >= WORTH_THREADS && workers.threads() > 1 {
            return self.place_spread(range, &mut tables[0], workers);
        }
        self.place_range(range.start, range.end, tables)
    }

    /// [`Order::place_range`] on several threads, for nodes that stand in the order of their rows: each thread then writes
    /// rows of its own. Where they do not, a detour through memory of its own took longer than one thread does.
    #[cfg(feature = "parallel")]
    fn place_spread<C: Conditions>(
        &self,
        range: Range<usize>,
        table: &mut PlacedTable<'_, '_, C>,
        workers: &Workers,
    ) -> bool {
        let above = self.nodes[range.start].parent;
        let (locals, worlds) = &mut table.slices;
        let (before, worlds) = worlds[..range.end].split_at_mut(range.start);
        let above = before.get(above as usize).map(|above| above.0);
        let trees = Trees {
            nodes: &self.nodes[range.clone()],
            locals: &locals[range.clone()],
            first: range.start,
            may_fail: &AtomicBool::new(false),
        };
        workers.run(|| trees.place(above, worlds));
        table.mark_rows(range);
        trees.may_fail.load(Ordering::Relaxed)
    }

    fn place_range<C: Conditions>(
        &self,
        first: usize,
        end: usize,
        tables: &mut [PlacedTable<'_, '_, C>],
    ) -> bool {
        let mut finite = FiniteCheck::default();
        // Rows side by side are noted together; most nodes stand in the order of their rows.
        let (mut of, mut rows) = (0, 0..0);
        for node in &self.nodes[first..end] {
            let above = placed_at(node.above, tables);
            let table = &mut tables[node.place.table as usize];
            let row = node.place.row as usize;
            let placed = placed(above, table.slices.0[row].affine());
            finite.look(&placed);
            table.slices.1[row].0 = placed;
            if of == node.place.table as usize && row == rows.end {
                rows.end += 1;
                continue;
            }
            let before = std::mem::replace(&mut rows, row..row + 1);
            let before_of = std::mem::replace(&mut of, node.place.table as usize);
            tables[before_of].mark_rows(before);
        }
        if let Some(table) = tables.get(of) {
            table.mark_rows(rows);
        }
        finite.may_fail()
    }
}

/// The world placement in a row, unless it is nowhere.
#[inline]
fn placed_at<C: Conditions>(place: Place, tables: &[PlacedTable<'_, '_, C>]) -> Option<Affine3A> {
    let table = tables.get(place.table as usize)?;
    Some(table.slices.1[place.row as usize].0)
}

#[inline]
pub(super) fn placed(above: Option<Affine3A>, local: Affine3A) -> Affine3A {
    match above {
        Some(above) => above * local,
        None => local,
    }
}

/// By table id: the number of the table in the walk, `NONE` where it is not walked.
fn numbers(tables: &[(TableId, u64)]) -> Vec<u32> {
    let most = tables.iter().map(|(table, _)| table.index() + 1).max();
    let mut numbers = vec![NONE; most.unwrap_or(0)];
    for (number, (table, _)) in tables.iter().enumerate() {
        numbers[table.index()] = number as u32;
    }
    numbers
}

/// The place of an entity; `None` if it is in no table that is walked.
fn find(locate: Locator<'_>, number_of: &[u32], entity: Entity) -> Option<Place> {
    let (table, row) = locate.find(entity)?;
    let table = *number_of.get(table.index())?;
    (table != NONE).then_some(Place { table, row })
}
