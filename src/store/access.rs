//! What a system has declared that it reaches.

use super::component::short_name;
use std::any::{TypeId, type_name};

/// The kind of thing that is reached.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum ResourceKind {
    Component,
    Global,
    Event,
}

/// One declared reach.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Reach {
    pub(crate) kind: ResourceKind,
    id: TypeId,
    pub(crate) name: &'static str,
    pub(crate) writes: bool,
}

impl Reach {
    fn same_resource(&self, other: &Self) -> bool {
        self.kind == other.kind && self.id == other.id
    }
}

/// Everything that a system reads and writes, as its claims declare it. The schedule is planned from this alone.
#[derive(Clone, Default, Debug)]
pub struct Access {
    reaches: Vec<Reach>,
    clash: Option<&'static str>,
}

impl Access {
    /// Adds a reach; one that clashes with an earlier one of the same system is remembered for [`Access::own_clash`].
    pub(crate) fn add<T: 'static>(&mut self, kind: ResourceKind, writes: bool) {
        let reach = Reach {
            kind,
            id: TypeId::of::<T>(),
            name: short_name(type_name::<T>()),
            writes,
        };
        match self
            .reaches
            .iter_mut()
            .find(|known| known.same_resource(&reach))
        {
            Some(known) if known.writes || writes => {
                self.clash.get_or_insert(reach.name);
                known.writes = true;
            }
            Some(_) => {}
            None => self.reaches.push(reach),
        }
    }

    /// The resource that is claimed twice, once to write it.
    pub(crate) fn own_clash(&self) -> Option<&'static str> {
        self.clash
    }

    /// What two systems reach of which one writes it, if there is such a thing: they must not run at the same time.
    #[must_use]
    pub fn clash_with(&self, other: &Self) -> Option<&'static str> {
        self.reaches.iter().find_map(|mine| {
            other
                .reaches
                .iter()
                .find(|theirs| mine.same_resource(theirs) && (mine.writes || theirs.writes))
                .map(|theirs| theirs.name)
        })
    }

    /// The names of what is reached, each with whether it is written, in the order of the claims.
    pub fn reaches(&self) -> impl Iterator<Item = (&'static str, bool)> {
        self.reaches.iter().map(|reach| (reach.name, reach.writes))
    }
}
