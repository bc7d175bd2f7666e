//! Copies of templates that are recorded while systems run.

use super::template::{CopyOf, Copying};
use crate::error::Error;
use crate::store::{EditKind, Edits, Entity, World};

struct SpawnCopy {
    entity: Entity,
    copying: Copying,
}

impl EditKind for SpawnCopy {
    fn apply(self, world: &mut World) -> Result<(), Error> {
        if world.check_room(0).is_err() {
            // The frame will fail. More copies could take all memory before it ends.
            world.forgo_reserved(self.entity);
            return Ok(());
        }
        self.copying.spawn_as(world, self.entity)
    }
}

impl Edits<'_> {
    /// Records that a copy of a template is made, and returns the id under which its root will live; see [`Edits::spawn`]. Without
    /// its parent the copy is not made, and counts as a missed edit.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut templates = Templates::default();
    /// templates.add(Template::named("pallet").with(Transform::default()));
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(templates);
    /// runtime.add_system(
    ///     System::named("launch")
    ///         .takes::<(Global<Templates>, Edits)>()
    ///         .runs(|(templates, mut edits)| {
    ///             let pallet = templates.get("pallet").expect("it was added");
    ///             edits.spawn_copy(pallet.copy().at(Vec3::Y * 10.0));
    ///         }),
    /// )?;
    /// runtime.run_frames(3)?;
    /// assert_eq!(runtime.world().rows::<&MadeFrom>().count(), 3);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn spawn_copy(&mut self, copy: CopyOf<'_>) -> Entity {
        let copying = copy.for_later();
        self.spawn_by(|entity| SpawnCopy { entity, copying })
    }
}
