//! A limit of the number of entities.

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
pub struct MostEntities(pub u64);

impl Default for MostEntities {
    fn default() -> Self {
        Self(u64::MAX)
    }
}
