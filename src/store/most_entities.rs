//! A limit of the number of entities.

use super::world::World;
use crate::error::{Error, Kind};

/// The number of entities that may be alive: a global of every runtime. Default: no limit.
///
/// A frame that ends with more fails, so a spawner with a wrong rate causes an error instead of taking all memory. Within the frame, no
/// further copies of templates are made once the limit is exceeded.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::store::MostEntities;
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(MostEntities(2));
/// for _ in 0..2 {
///     runtime.world_mut().spawn((Transform::default(),));
/// }
/// runtime.run_frames(1)?;
/// runtime.world_mut().spawn((Transform::default(),));
/// let error = runtime.run_frames(1).unwrap_err();
/// assert!(error.to_string().starts_with("there are 3 entities"));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct MostEntities(pub u64);

impl World {
    /// Checks that `more` entities may be spawned. Spawning itself does not check the limit; the end of a frame does. O(1).
    ///
    /// # Errors
    ///
    /// If there would be more than [`MostEntities`] allows.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::World;
    /// use gerust::store::MostEntities;
    ///
    /// let mut world = World::new();
    /// world.set_global(MostEntities(2));
    /// assert!(world.check_room(2).is_ok());
    /// assert!(world.check_room(3).is_err());
    /// ```
    pub fn check_room(&self, more: usize) -> Result<(), Error> {
        let most = self.find_global::<MostEntities>();
        let most = most.map_or(u64::MAX, |most| most.0.0);
        let count = (self.len() as u64).saturating_add(more as u64);
        match count > most {
            false => Ok(()),
            true => Err(Error::from(Kind::TooManyEntities { count, most })),
        }
    }
}

impl Default for MostEntities {
    fn default() -> Self {
        Self(u64::MAX)
    }
}
