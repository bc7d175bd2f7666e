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

impl Runtime {
    /// Adds everything of a kit.
    ///
    /// # Errors
    ///
    /// If a kit that it needs is missing, if it was added before and does not allow that, or if the kit returns an error;
    /// the parts that a kit added before it failed stay.
    pub fn add_kit<K: Kit>(&mut self, kit: K) -> Result<(), Error> {
        let refuse = |reason: String| {
            Error::from(Kind::BadKit {
                kit: kit_name::<K>(),
                reason,
            })
        };
        let mine = TypeId::of::<K>();
        if self.kits.contains(&mine) && !kit.may_repeat() {
            return Err(refuse(String::from("it was added already; add it once")));
        }
        if let Some(missing) = kit
            .requires()
            .iter()
            .find(|need| !self.kits.contains(&need.id))
        {
            let name = (missing.name)();
            return Err(refuse(format!("it needs `{name}`; add that one first")));
        }
        kit.add_to(self)?;
        self.kits.push(mine);
        Ok(())
    }
}
