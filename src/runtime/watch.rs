//! Watchers: tools that look at a runtime before and after each frame.

use super::frame_loop::Runtime;
use crate::error::{Error, ErrorKind};
use crate::panics::Panics;
use crate::schedule::{FrameContext, WhichSystems, step_panicked};
use std::any::TypeId;
use std::sync::{Mutex, PoisonError};

/// A tool that looks at a runtime before and after each of its frames, such as a recorder of the last seconds. [`Runtime::add_watcher`]
/// adds it, most often from a [`Kit`](crate::Kit).
///
/// Its calls are not part of the frame: the [profiler](crate::profile::Profiler) does not measure them. Code that belongs to the frame goes
/// into a [`System`](crate::System), or into [`Seams`](crate::schedule::Seams) if it borrows.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::FrameWatcher;
/// use std::sync::mpsc::{Sender, channel};
///
/// struct Failures(Sender<String>);
///
/// impl FrameWatcher for Failures {
///     fn after(&mut self, runtime: &mut Runtime, failure: Option<&Error>) {
///         if let Some(error) = failure {
///             let _ = self.0.send(format!("{} of {}: {error}", error.frame().unwrap(), runtime.world().len()));
///         }
///     }
/// }
///
/// let (sender, failures) = channel();
/// let mut runtime = Runtime::new();
/// runtime.add_watcher("failures", Failures(sender))?;
/// runtime.add_system(System::named("faulty").takes::<Global<Clock>>().runs(|clock| {
///     assert_ne!(clock.frame(), 2, "no work on frame 2");
/// }))?;
/// assert!(runtime.run_frames(5).is_err());
/// assert!(failures.recv()?.starts_with("2 of 0: "));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub trait FrameWatcher: Send + 'static {
    /// Called before each frame; does nothing unless overridden. What it changes in the world is part of the frame. It may run frames
    /// itself, for which no watcher is called.
    fn before(&mut self, runtime: &mut Runtime) {
        let _ = runtime;
    }

    /// Called after each frame, with the error if the frame failed; does nothing unless overridden.
    fn after(&mut self, runtime: &mut Runtime, failure: Option<&Error>) {
        let _ = (runtime, failure);
    }
}

/// The watchers of a runtime, in the order in which they were added.
#[derive(Default)]
pub(super) struct Watchers(Mutex<Vec<Watcher>>);

struct Watcher {
    name: Box<str>,
    /// The kit that added it.
    kit: Option<TypeId>,
    watcher: Box<dyn FrameWatcher>,
}

impl Watchers {
    fn all(&mut self) -> &mut Vec<Watcher> {
        self.0.get_mut().unwrap_or_else(PoisonError::into_inner)
    }

    pub(super) fn remove_of_kit(&mut self, kit: TypeId) {
        self.all().retain(|watcher| watcher.kit != Some(kit));
    }
}

impl Runtime {
    /// Adds a watcher, which is called before and after each frame from then on, after those that were added before it. O(watchers).
    ///
    /// A watcher that panics ends the frame as a system would.
    ///
    /// # Errors
    ///
    /// If another watcher has the name.
    pub fn add_watcher(&mut self, name: &str, watcher: impl FrameWatcher) -> Result<(), Error> {
        let kit = self.kit_being_added;
        let all = self.watchers.all();
        if all.iter().any(|known| &*known.name == name) {
            return Err(Error::new(
                ErrorKind::NameTaken,
                format!("there is a watcher `{name}` already; give the other one another name"),
            ));
        }
        all.push(Watcher {
            name: name.into(),
            kit,
            watcher: Box::new(watcher),
        });
        Ok(())
    }

    /// Removes a watcher. Returns whether there was one of this name. O(watchers).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::Runtime;
    /// use gerust::runtime::FrameWatcher;
    ///
    /// struct Counter;
    /// impl FrameWatcher for Counter {}
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_watcher("counter", Counter)?;
    /// assert!(runtime.add_watcher("counter", Counter).is_err());
    /// assert!(runtime.remove_watcher("counter") && !runtime.remove_watcher("counter"));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn remove_watcher(&mut self, name: &str) -> bool {
        let all = self.watchers.all();
        let before = all.len();
        all.retain(|watcher| &*watcher.name != name);
        all.len() < before
    }

    /// Calls all watchers, also after one of them has panicked.
    pub(super) fn call_watchers(
        &mut self,
        mut call: impl FnMut(&mut dyn FrameWatcher, &mut Self),
    ) -> Result<(), Error> {
        if self.watchers.all().is_empty() {
            return Ok(());
        }
        let mut watchers = std::mem::take(self.watchers.all());
        let mut panics = Panics::default();
        for watcher in &mut watchers {
            panics.catch(|| call(&mut *watcher.watcher, self));
        }
        // They may have added others.
        watchers.append(self.watchers.all());
        *self.watchers.all() = watchers;
        let context = FrameContext {
            clock: *self.clock_mut(),
            which: WhichSystems::All,
        };
        step_panicked(panics, "a watcher", context)
    }
}

#[cfg(test)]
mod tests;
