//! Random numbers that do not depend on threads.

use super::clock::Clock;
use crate::error::Error;
use crate::store::{Access, Claim, Entity, Grant, Preparation, ResourceKind, World};
use rand_chacha::ChaCha8Rng;
use rand_core::{Infallible, SeedableRng, TryRng};
use std::marker::PhantomData;

/// Random numbers for a system: a stream for each entity, which depends on the seed of the runtime, the frame, the name of
/// the system and the entity, and on nothing else.
///
/// A condition of [`only_if`](crate::schedule::SystemDraft::only_if) draws from streams of its own, so what it draws says
/// nothing of what its system draws.
///
/// So a run draws the same numbers at any number of threads, in any order of entities, and whether or not other
/// systems draw. Each call of [`Chance::stream`] begins the stream anew: keep it for as long as an entity is worked on.
///
/// The streams are ChaCha with 8 rounds (Bernstein, "ChaCha, a variant of Salsa20", 2008) under a key of 256 bits that is
/// made of the four, so no two of them are related. Beginning one takes about as long as drawing 64 numbers from it.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::Chance;
/// use rand::RngExt;
///
/// struct Gull;
///
/// fn run(seed: u64) -> Result<Vec<f32>, gerust::Error> {
///     let mut runtime = Runtime::new();
///     runtime.set_seed(seed);
///     runtime.world_mut().spawn_many((0..5).map(|_| (Transform::default(), Gull)));
///     runtime.add_system(
///         System::named("flutter")
///             .takes::<(Rows<(Entity, &mut Transform), Having<Gull>>, Chance)>()
///             .runs(|(mut gulls, chance)| {
///                 gulls.each(|(gull, transform)| {
///                     transform.translation.y += chance.stream(gull).random_range(0.0..1.0);
///                 });
///             }),
///     )?;
///     runtime.run_frames(3)?;
///     Ok(runtime.world().rows::<&Transform>().iter().map(|at| at.translation.y).collect())
/// }
/// assert_eq!(run(7)?, run(7)?);
/// assert_ne!(run(7)?, run(8)?);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, Debug)]
pub struct Chance<'w> {
    seed: u64,
    frame: u64,
    system: u64,
    run: PhantomData<&'w World>,
}

/// The seed of all [`Chance`] of a runtime; see [`Runtime::set_seed`](crate::Runtime::set_seed).
#[derive(Clone, Copy, Default, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub(crate) struct Seed(pub(crate) u64);

impl Chance<'_> {
    /// The stream of an entity in this frame.
    #[must_use]
    pub fn stream(&self, entity: Entity) -> RandomStream {
        self.stream_of(entity.index(), entity.generation())
    }

    /// A stream of this frame that belongs to no entity.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::Chance;
    /// use rand::RngExt;
    ///
    /// struct Waves(Vec<f32>);
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(Waves(Vec::new()));
    /// runtime.add_system(
    ///     System::named("swell")
    ///         .takes::<(GlobalMut<Waves>, Chance)>()
    ///         .runs(|(mut waves, chance)| waves.0.push(chance.system_stream().random())),
    /// )?;
    /// runtime.run_frames(2)?;
    /// let waves = &runtime.world().global::<Waves>()?.0;
    /// assert_ne!(waves[0], waves[1], "each frame has streams of its own");
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn system_stream(&self) -> RandomStream {
        // No entity has generation 0.
        self.stream_of(0, 0)
    }

    fn stream_of(&self, index: u32, generation: u32) -> RandomStream {
        let mut key = [0; 32];
        key[..8].copy_from_slice(&self.seed.to_le_bytes());
        key[8..16].copy_from_slice(&self.frame.to_le_bytes());
        key[16..24].copy_from_slice(&self.system.to_le_bytes());
        key[24..28].copy_from_slice(&index.to_le_bytes());
        key[28..].copy_from_slice(&generation.to_le_bytes());
        RandomStream(ChaCha8Rng::from_seed(key))
    }
}

/// An endless series of random numbers, from [`Chance`]. Use it with the traits of the `rand` crate.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::Chance;
/// use rand::Rng;
///
/// let mut runtime = Runtime::new();
/// runtime.add_system(System::named("draw").takes::<Chance>().runs(|chance| {
///     let (mut one, mut other) = (chance.system_stream(), chance.system_stream());
///     assert_eq!(one.next_u64(), other.next_u64(), "each call begins anew");
///     assert_ne!(one.next_u64(), other.next_u64() ^ 1);
/// }))?;
/// runtime.run_frames(1)?;
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct RandomStream(ChaCha8Rng);

impl TryRng for RandomStream {
    type Error = Infallible;

    fn try_next_u32(&mut self) -> Result<u32, Infallible> {
        self.0.try_next_u32()
    }

    fn try_next_u64(&mut self) -> Result<u64, Infallible> {
        self.0.try_next_u64()
    }

    fn try_fill_bytes(&mut self, bytes: &mut [u8]) -> Result<(), Infallible> {
        self.0.try_fill_bytes(bytes)
    }
}

impl Claim for Chance<'_> {}

impl Grant for Chance<'_> {
    /// The name of the system, hashed: the same in every run and on every machine.
    type State = u64;
    type Granted<'w> = Chance<'w>;

    fn declare(access: &mut Access) {
        access.add_unless_known::<Clock>(ResourceKind::Global);
        access.add_unless_known::<Seed>(ResourceKind::Global);
    }

    fn prepare(preparation: &mut Preparation<'_>) -> u64 {
        preparation.world.ensure_global::<Seed>();
        xxhash_rust::xxh3::xxh3_64(preparation.system.as_bytes())
    }

    fn grant<'w>(system: &'w mut u64, world: &'w World) -> Result<Chance<'w>, Error> {
        Ok(Chance {
            seed: world.global::<Seed>()?.0,
            frame: world.global::<Clock>()?.frame(),
            system: *system,
            run: PhantomData,
        })
    }
}
