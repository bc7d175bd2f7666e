//! Questions about the systems of a runtime.

use super::frame_loop::Runtime;
use crate::error::Error;
use crate::schedule::Findings;
use crate::store::{Entity, RowMatch};

impl Runtime {
    /// What the run so far has shown: systems that never ran, rows that matched nothing, what threads bring, and components that
    /// [have no effect](Runtime::without_effect).
    ///
    /// # Errors
    ///
    /// If the order of the systems cannot hold; see [`Schedule::plan`](crate::Schedule::plan).
    pub fn findings(&self) -> Result<Findings, Error> {
        self.schedule
            .findings(&self.world, &self.crew, self.without_effect())
    }

    /// How an entity stands to each claim of rows of a system: why the system does, or does not, see it.
    ///
    /// # Errors
    ///
    /// If there is no system of that name, or the entity is no longer alive.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Moored;
    ///
    /// let mut runtime = Runtime::new();
    /// let barge = runtime.world_mut().spawn((Name::new("barge"), Transform::default(), Moored));
    /// runtime.add_system(
    ///     System::named("drift").takes::<Rows<&mut Transform, Lacking<Moored>>>().runs(|_| ()),
    /// )?;
    /// let answers = runtime.explain_rows("drift", barge)?;
    /// assert_eq!(answers[0].to_string(), "`barge` has Transform but has Moored, which it must not");
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn explain_rows(&self, system: &str, entity: Entity) -> Result<Vec<RowMatch>, Error> {
        self.schedule.explain_rows(&self.world, system, entity)
    }
}
