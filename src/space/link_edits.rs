//! Links that are recorded while systems run.

use super::link::SiblingPlace;
use crate::error::Error;
use crate::store::{Components, EditKind, Edits, Entity, World};

struct Link {
    child: Entity,
    parent: Entity,
    place: SiblingPlace,
}

impl EditKind for Link {
    fn apply(self, world: &mut World) -> Result<(), Error> {
        world.link_at(self.child, self.parent, self.place)
    }
}

struct Unlink(Entity);

impl EditKind for Unlink {
    fn apply(self, world: &mut World) -> Result<(), Error> {
        world.unlink(self.0).map(drop)
    }
}

struct LinkInPlace {
    child: Entity,
    parent: Entity,
}

impl EditKind for LinkInPlace {
    fn apply(self, world: &mut World) -> Result<(), Error> {
        world.link_in_place(self.child, self.parent).map(drop)
    }
}

struct UnlinkInPlace(Entity);

impl EditKind for UnlinkInPlace {
    fn apply(self, world: &mut World) -> Result<(), Error> {
        world.unlink_in_place(self.0).map(drop)
    }
}

impl Edits<'_> {
    /// Records that an entity is put under a parent; see [`World::link`]. A link that would make a cycle is not carried
    /// out and counts as a missed edit.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let spreader = runtime.world_mut().spawn((Transform::at(0.0, 9.0, 0.0),));
    /// runtime.add_system(
    ///     System::named("pick up").phase(Phase::Setup).takes::<Edits>().runs(move |mut edits| {
    ///         let container = edits.spawn((Transform::default(),));
    ///         edits.link(container, spreader);
    ///     }),
    /// )?;
    /// runtime.run_frames(1)?;
    /// assert_eq!(runtime.world().children(spreader).count(), 1);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn link(&mut self, child: Entity, parent: Entity) {
        self.link_at(child, parent, SiblingPlace::Last);
    }

    /// Records that an entity is taken out from under its parent; see [`World::unlink`].
    pub fn unlink(&mut self, child: Entity) {
        self.push(Unlink(child));
    }

    /// Records that an entity is put at a place among the children of a parent; see [`World::link_at`].
    pub fn link_at(&mut self, child: Entity, parent: Entity, place: SiblingPlace) {
        self.push(Link {
            child,
            parent,
            place,
        });
    }

    /// Records that an entity is put under a parent and stays where it is in the world; see [`World::link_in_place`].
    pub fn link_in_place(&mut self, child: Entity, parent: Entity) {
        self.push(LinkInPlace { child, parent });
    }

    /// Records that an entity is taken out from under its parent and stays where it is in the world; see
    /// [`World::unlink_in_place`].
    pub fn unlink_in_place(&mut self, child: Entity) {
        self.push(UnlinkInPlace(child));
    }

    /// Records a spawn as the last child of a parent, and returns the id under which the entity will live. If the parent
    /// has gone by then, the entity lives without a parent, and the link counts as a missed edit.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let mast = runtime.world_mut().spawn((Transform::default(),));
    /// runtime.add_system(
    ///     System::named("hang a lamp").phase(Phase::Setup).takes::<Edits>().runs(move |mut edits| {
    ///         edits.spawn_under(mast, (Transform::at(0.0, 10.0, 0.0),));
    ///     }),
    /// )?;
    /// runtime.run_frames(1)?;
    /// assert_eq!(runtime.world().children(mast).count(), 1);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn spawn_under<B: Components>(&mut self, parent: Entity, components: B) -> Entity {
        let child = self.spawn(components);
        self.link(child, parent);
        child
    }
}
