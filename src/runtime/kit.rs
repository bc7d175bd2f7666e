//! Kits: reusable set-ups.

use super::frame_loop::Runtime;
use crate::error::{Error, Kind};
use crate::store::short_name;
use std::any::{TypeId, type_name};

/// A reusable set-up: component types, systems, globals and phases that belong together.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::Requirement;
///
/// struct Tide(f32);
/// struct TideKit { metres_per_frame: f32 }
///
/// impl Kit for TideKit {
///     fn add_to(self, runtime: &mut Runtime) -> Result<(), gerust::Error> {
///         runtime.world_mut().set_global(Tide(0.0));
///         runtime.add_system(
///             System::named("rise")
///                 .takes::<GlobalMut<Tide>>()
///                 .runs(move |mut tide| tide.0 += self.metres_per_frame),
///         )
///     }
/// }
///
/// struct BargeKit;
///
/// impl Kit for BargeKit {
///     fn requires(&self) -> Vec<Requirement> {
///         vec![Requirement::of::<TideKit>()]
///     }
///
///     fn add_to(self, _: &mut Runtime) -> Result<(), gerust::Error> {
///         Ok(())
///     }
/// }
///
/// let mut runtime = Runtime::new();
/// let error = runtime.add_kit(BargeKit).unwrap_err();
/// assert_eq!(
///     error.to_string(),
///     "kit `BargeKit` cannot be added: it needs `TideKit`; add that one first"
/// );
/// runtime.add_kit(TideKit { metres_per_frame: 0.5 })?;
/// runtime.add_kit(BargeKit)?;
/// assert!(runtime.add_kit(TideKit { metres_per_frame: 0.1 }).is_err(), "it was added before");
/// runtime.run_frames(4)?;
/// assert_eq!(runtime.world().global::<Tide>()?.0, 2.0);
/// # Ok::<(), gerust::Error>(())
/// ```
pub trait Kit: Sized + 'static {
    /// Adds everything to a runtime.
    ///
    /// # Errors
    ///
    /// Any error of set-up, for example a duplicate system name.
    fn add_to(self, runtime: &mut Runtime) -> Result<(), Error>;

    /// The kits that must have been added before; none unless overridden.
    fn requires(&self) -> Vec<Requirement> {
        Vec::new()
    }

    /// Whether the kit may be added to one runtime several times, as one that adds nothing twice, or other things each
    /// time; not unless overridden.
    fn may_repeat(&self) -> bool {
        false
    }
}

/// A kit that another one builds on; see [`Kit::requires`].
#[derive(Clone, Copy, Debug)]
pub struct Requirement {
    id: TypeId,
    name: fn() -> &'static str,
}

impl Requirement {
    /// A kit by its type.
    #[must_use]
    pub fn of<K: Kit>() -> Self {
        Self {
            id: TypeId::of::<K>(),
            name: kit_name::<K>,
        }
    }
}

fn kit_name<K>() -> &'static str {
    short_name(type_name::<K>())
}

/// A kit that was added.
#[derive(Debug)]
pub(super) struct AddedKit {
    id: TypeId,
    name: &'static str,
    requires: Vec<TypeId>,
}

fn refuse(kit: &'static str, verb: &'static str, reason: String) -> Error {
    Error::from(Kind::BadKit { kit, verb, reason })
}

impl Runtime {
    pub(super) fn has_kit(&self, id: TypeId) -> bool {
        self.kits.iter().any(|kit| kit.id == id)
    }

    /// Adds everything of a kit.
    ///
    /// # Errors
    ///
    /// If a kit that it needs is missing, if it was added before and does not allow that, or if the kit returns an error;
    /// the parts that a kit added before it failed stay.
    pub fn add_kit<K: Kit>(&mut self, kit: K) -> Result<(), Error> {
        let refuse = |reason: String| refuse(kit_name::<K>(), "added", reason);
        let id = TypeId::of::<K>();
        if self.has_kit(id) && !kit.may_repeat() {
            return Err(refuse(String::from("it was added already; add it once")));
        }
        let requires = kit.requires();
        if let Some(missing) = requires.iter().find(|need| !self.has_kit(need.id)) {
            let name = (missing.name)();
            return Err(refuse(format!("it needs `{name}`; add that one first")));
        }
        let outer = self.kit_being_added.replace(id);
        let added = kit.add_to(self);
        self.kit_being_added = outer;
        added?;
        self.kits.push(AddedKit {
            id,
            name: kit_name::<K>(),
            requires: requires.iter().map(|need| need.id).collect(),
        });
        Ok(())
    }

    /// Removes all systems that a kit has added, and lets the kit be added again. What it put into the world, such as globals and
    /// entities, stays, and so do its phases. O(systems).
    ///
    /// # Errors
    ///
    /// If the kit was not added, if another kit requires it, or if a system that does not belong to it is ordered against one of its
    /// systems. Nothing is removed then.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct HornKit { times: u32 }
    /// struct Sounded(u32);
    ///
    /// impl Kit for HornKit {
    ///     fn add_to(self, runtime: &mut Runtime) -> Result<(), gerust::Error> {
    ///         runtime.add_system(
    ///             System::named("sound").takes::<GlobalMut<Sounded>>().runs(move |mut sounded| sounded.0 += self.times),
    ///         )
    ///     }
    /// }
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(Sounded(0));
    /// runtime.add_kit(HornKit { times: 1 })?;
    /// runtime.run_frames(2)?;
    /// runtime.remove_kit::<HornKit>()?;
    /// runtime.run_frames(2)?;
    /// assert_eq!(runtime.world().global::<Sounded>()?.0, 2);
    /// runtime.add_kit(HornKit { times: 10 })?;
    /// runtime.run_frames(1)?;
    /// assert_eq!(runtime.world().global::<Sounded>()?.0, 12);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn remove_kit<K: Kit>(&mut self) -> Result<(), Error> {
        let refuse = |reason: String| Err(refuse(kit_name::<K>(), "removed", reason));
        let id = TypeId::of::<K>();
        if !self.has_kit(id) {
            return refuse(String::from("it was not added; remove a kit that was"));
        }
        let mut others = self.kits.iter().filter(|kit| kit.id != id);
        if let Some(other) = others.find(|kit| kit.requires.contains(&id)) {
            let name = other.name;
            return refuse(format!("`{name}` requires it; remove that one first"));
        }
        self.schedule.remove_of_kit(id)?;
        self.watchers.remove_of_kit(id);
        self.kits.retain(|kit| kit.id != id);
        Ok(())
    }
}
