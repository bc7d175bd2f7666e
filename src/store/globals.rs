//! Globals: values of which a world has one.

use super::component::{Component, short_name};
use super::world::World;
use crate::error::{Error, Kind};
use atomic_refcell::{AtomicRef, AtomicRefCell, AtomicRefMut};
use rustc_hash::FxHashMap;
use std::any::{Any, TypeId, type_name};
use std::fmt;
use std::ops::{Deref, DerefMut};

/// A value of which the world has one, to read.
///
/// As a claim of a system it lets the system run beside others that read the same global.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Tide { metres: f32 }
/// struct Barge { height: f32 }
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Tide { metres: 1.5 });
/// let barge = runtime.world_mut().spawn((Barge { height: 0.0 },));
/// runtime.add_system(
///     System::named("float")
///         .takes::<(Rows<&mut Barge>, Global<Tide>)>()
///         .runs(|(mut barges, tide)| barges.each(|barge| barge.height = tide.metres)),
/// )?;
/// runtime.run_frames(1)?;
/// assert_eq!(runtime.world().get::<Barge>(barge)?.height, 1.5);
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct Global<'w, T>(pub(super) AtomicRef<'w, T>);

impl<T: fmt::Debug> fmt::Debug for Global<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

impl<T> Deref for Global<'_, T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

/// A value of which the world has one, to read and write.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Score(u32);
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Score(0));
/// runtime.add_system(
///     System::named("count frames")
///         .takes::<GlobalMut<Score>>()
///         .runs(|mut score| score.0 += 1),
/// )?;
/// runtime.run_frames(3)?;
/// assert_eq!(runtime.world().global::<Score>()?.0, 3);
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct GlobalMut<'w, T>(pub(super) AtomicRefMut<'w, T>);

impl<T: fmt::Debug> fmt::Debug for GlobalMut<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

impl<T> Deref for GlobalMut<'_, T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T> DerefMut for GlobalMut<'_, T> {
    fn deref_mut(&mut self) -> &mut T {
        &mut self.0
    }
}

/// All globals of a world, each behind its own guard.
#[derive(Default)]
pub(crate) struct Globals(FxHashMap<TypeId, Filed>);

/// A global and the name of its type.
struct Filed {
    #[cfg_attr(
        not(feature = "snapshot"),
        allow(dead_code, reason = "only what is saved is named")
    )]
    type_name: &'static str,
    cell: Box<dyn Any + Send + Sync>,
}

impl Filed {
    fn new<T: Component>(value: T) -> Self {
        Self {
            type_name: type_name::<T>(),
            cell: Box::new(AtomicRefCell::new(value)),
        }
    }
}

impl Globals {
    pub(crate) fn cell<T: Component>(&self) -> Result<&AtomicRefCell<T>, Error> {
        self.find().ok_or_else(missing::<T>)
    }

    fn find<T: Component>(&self) -> Option<&AtomicRefCell<T>> {
        let filed = self.0.get(&TypeId::of::<T>())?;
        let cell = filed.cell.downcast_ref();
        Some(cell.expect("globals are filed by their type"))
    }

    fn find_mut<T: Component>(&mut self) -> Option<&mut T> {
        let filed = self.0.get_mut(&TypeId::of::<T>())?;
        let cell: &mut AtomicRefCell<T> = filed
            .cell
            .downcast_mut()
            .expect("globals are filed by their type");
        Some(cell.get_mut())
    }
}

#[cfg(feature = "snapshot")]
impl Globals {
    pub(crate) fn remove<T: Component>(&mut self) {
        self.0.remove(&TypeId::of::<T>());
    }

    /// The types of all globals with their names.
    pub(crate) fn types(&self) -> impl Iterator<Item = (TypeId, &'static str)> {
        self.0.iter().map(|(&id, filed)| (id, filed.type_name))
    }
}

fn missing<T>() -> Error {
    Error::from(Kind::MissingGlobal {
        global: short_name(type_name::<T>()),
    })
}

impl World {
    /// Puts a global in, and returns the value that was there before.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::World;
    ///
    /// struct Tide(f32);
    ///
    /// let mut world = World::new();
    /// assert!(world.set_global(Tide(0.5)).is_none());
    /// assert_eq!(world.set_global(Tide(0.75)).map(|tide| tide.0), Some(0.5));
    /// ```
    pub fn set_global<T: Component>(&mut self, value: T) -> Option<T> {
        self.globals
            .0
            .insert(TypeId::of::<T>(), Filed::new(value))
            .and_then(|old| old.cell.downcast::<AtomicRefCell<T>>().ok())
            .map(|old| old.into_inner())
    }

    /// The global of a type.
    ///
    /// # Errors
    ///
    /// If the world has none.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::World;
    ///
    /// struct Tide(f32);
    ///
    /// let mut world = World::new();
    /// assert!(world.global::<Tide>().is_err());
    /// world.set_global(Tide(0.5));
    /// assert_eq!(world.global::<Tide>()?.0, 0.5);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn global<T: Component>(&self) -> Result<Global<'_, T>, Error> {
        Ok(Global(self.globals.cell::<T>()?.borrow()))
    }

    /// The global of a type, to write.
    ///
    /// # Errors
    ///
    /// If the world has none.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::World;
    ///
    /// struct Tide(f32);
    ///
    /// let mut world = World::new();
    /// world.set_global(Tide(0.5));
    /// world.global_mut::<Tide>()?.0 += 1.0;
    /// assert_eq!(world.global::<Tide>()?.0, 1.5);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn global_mut<T: Component>(&mut self) -> Result<&mut T, Error> {
        self.globals.find_mut().ok_or_else(missing::<T>)
    }

    /// Returns a global, or `None` if there is none. Unlike [`World::global`], it allocates no error. O(1).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Tide(f32);
    ///
    /// let mut world = World::new();
    /// assert!(world.find_global::<Tide>().is_none());
    /// world.set_global(Tide(1.5));
    /// assert_eq!(world.find_global::<Tide>().map(|tide| tide.0), Some(1.5));
    /// ```
    #[must_use]
    pub fn find_global<T: Component>(&self) -> Option<Global<'_, T>> {
        Some(Global(self.globals.find()?.borrow()))
    }

    /// Returns a global for writing, or `None` if there is none. O(1).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Tide(f32);
    ///
    /// let mut world = World::new();
    /// world.set_global(Tide(1.5));
    /// if let Some(tide) = world.find_global_mut::<Tide>() {
    ///     tide.0 += 0.5;
    /// }
    /// assert_eq!(world.global::<Tide>()?.0, 2.0);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn find_global_mut<T: Component>(&mut self) -> Option<&mut T> {
        self.globals.find_mut()
    }

    /// Returns the global of a type for writing, and inserts its default first if there is none. O(1).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// #[derive(Default)]
    /// struct Berths(u32);
    ///
    /// let mut world = World::new();
    /// world.ensure_global::<Berths>().0 += 1;
    /// world.ensure_global::<Berths>().0 += 1;
    /// assert_eq!(world.global::<Berths>()?.0, 2);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn ensure_global<T: Component + Default>(&mut self) -> &mut T {
        self.globals
            .0
            .entry(TypeId::of::<T>())
            .or_insert_with(|| Filed::new(T::default()));
        self.global_mut().expect("it was put in just now")
    }
}
