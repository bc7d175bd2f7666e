//! Kits: reusable set-ups.

use super::frame_loop::Runtime;
use crate::error::Error;

/// A reusable set-up: systems, globals and component types that belong together.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
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
/// let mut runtime = Runtime::new();
/// runtime.add_kit(TideKit { metres_per_frame: 0.5 })?;
/// runtime.run_frames(4)?;
/// assert_eq!(runtime.world().global::<Tide>()?.0, 2.0);
/// # Ok::<(), gerust::Error>(())
/// ```
pub trait Kit {
    /// Adds everything to a runtime.
    ///
    /// # Errors
    ///
    /// Whatever the calls to the runtime return, most often that a system's name is taken.
    fn add_to(self, runtime: &mut Runtime) -> Result<(), Error>;
}
