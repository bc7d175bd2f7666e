//! Systems that leave a runtime or are replaced.

use super::frame_loop::Runtime;
use crate::error::Error;
use crate::schedule::System;

impl Runtime {
    /// Removes a system, with all that it remembers. To stop one for a while, [`Runtime::set_enabled`] costs less. O(systems).
    ///
    /// # Errors
    ///
    /// If there is no system of this name, if it is a built-in one, or if another system is ordered against it by
    /// [`after`](crate::schedule::SystemDraft::after) or [`before`](crate::schedule::SystemDraft::before).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_system(System::named("steer").takes::<()>().runs(|()| ()))?;
    /// runtime.add_system(System::named("wake").after("steer").takes::<()>().runs(|()| ()))?;
    /// let error = runtime.remove_system("steer").unwrap_err();
    /// assert_eq!(
    ///     error.to_string(),
    ///     "system `steer` cannot leave the schedule: system `wake` is to run after `steer`; remove or replace that one first"
    /// );
    /// runtime.remove_system("wake")?;
    /// runtime.remove_system("steer")?;
    /// assert!(runtime.schedule().system("steer").is_none());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn remove_system(&mut self, name: &str) -> Result<(), Error> {
        self.schedule.remove(name)
    }

    /// Puts another system in the place of one: it keeps the place in the registration order, unless it belongs to another phase,
    /// and the switch. It begins as if it had just been added: an [`Inbox`](crate::Inbox) begins anew, and
    /// [`Written`](crate::Written) holds for every row in the first run. O(systems).
    ///
    /// # Errors
    ///
    /// As [`Runtime::remove_system`] and [`Runtime::add_system`]; the old system then stays. A system that is ordered against the
    /// old one needs a new one of the same name or label.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Tide(f32);
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(Tide(0.0));
    /// let rise = |metres: f32| {
    ///     System::named("rise").takes::<GlobalMut<Tide>>().runs(move |mut tide| tide.0 += metres)
    /// };
    /// runtime.add_system(rise(1.0))?;
    /// runtime.run_frames(2)?;
    /// runtime.replace_system("rise", rise(0.25))?;
    /// runtime.run_frames(2)?;
    /// assert_eq!(runtime.world().global::<Tide>()?.0, 2.5);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn replace_system(&mut self, name: &str, system: System) -> Result<(), Error> {
        self.meet_world()?;
        self.schedule
            .replace(name, system, &mut self.world, &mut self.profiler)
    }
}
