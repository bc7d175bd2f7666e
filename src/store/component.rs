//! Component types and how the world knows them.

use super::column::{AnyColumns, ColumnCell, Columns};
use super::entity::{Entity, TableId};
use super::world::World;
use atomic_refcell::AtomicRefCell;
use rustc_hash::FxHashMap;
use std::any::TypeId;

/// Plain data that can sit on an entity.
///
/// Nothing has to be written for a type to be one: every `Send + Sync + 'static` type is a component. A type without
/// data is a *tag*. Tuples are not components: a tuple means "several components" wherever one is passed.
///
/// # Example
///
/// ```
/// use gerust::World;
///
/// struct Load { tonnes: f32 }
/// struct Moored;
///
/// let mut world = World::new();
/// let barge = world.spawn((Load { tonnes: 12.5 }, Moored));
/// assert_eq!(world.get::<Load>(barge)?.tonnes, 12.5);
/// # Ok::<(), gerust::Error>(())
/// ```
pub trait Component: Send + Sync + 'static {}

impl<T: Send + Sync + 'static> Component for T {}

/// The id of a component type within one world, in order of first use.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct ComponentId(u32);

impl ComponentId {
    #[inline]
    pub(crate) fn index(self) -> usize {
        self.0 as usize
    }
}

/// Called just before an entity is despawned, while all its components are still in place.
pub(crate) type FarewellHook = fn(&mut World, Entity);

/// What the world knows about one component type.
pub(crate) struct ComponentType {
    pub(crate) name: &'static str,
    pub(crate) columns: Box<dyn AnyColumns>,
    /// Components that come along whenever this one is attached.
    pub(crate) companions: Vec<Companion>,
    pub(crate) farewell: Option<FarewellHook>,
    /// Whether only the floor that owns the type may attach and detach it.
    pub(crate) kept: bool,
}

/// A component that another one brings along.
#[derive(Clone, Copy)]
pub(crate) struct Companion {
    pub(crate) id: ComponentId,
    /// Pushes the companion's first value for the newest row of a table.
    pub(crate) push: fn(&mut ComponentTypes, TableId),
}

/// All component types of a world.
#[derive(Default)]
pub struct ComponentTypes {
    ids: FxHashMap<TypeId, ComponentId>,
    types: Vec<ComponentType>,
}

impl ComponentTypes {
    #[inline]
    pub(crate) fn id<T: Component>(&self) -> Option<ComponentId> {
        self.ids.get(&TypeId::of::<T>()).copied()
    }

    /// The id of a type, which is made known if it is new.
    ///
    /// # Panics
    ///
    /// If `T` is a tuple: see [`Component`].
    pub(crate) fn id_or_register<T: Component>(&mut self) -> ComponentId {
        if let Some(id) = self.id::<T>() {
            return id;
        }
        let name = std::any::type_name::<T>();
        assert!(
            !name.starts_with('('),
            "a tuple is not a component: attach the members of `{name}` one by one"
        );
        let id = ComponentId(u32::try_from(self.types.len()).expect("fewer than 2^32 types"));
        self.types.push(ComponentType {
            name,
            columns: Box::new(ColumnCell::<T>::default()),
            companions: Vec::new(),
            farewell: None,
            kept: false,
        });
        self.ids.insert(TypeId::of::<T>(), id);
        id
    }

    #[inline]
    pub(crate) fn get(&self, id: ComponentId) -> &ComponentType {
        &self.types[id.index()]
    }

    #[inline]
    pub(crate) fn get_mut(&mut self, id: ComponentId) -> &mut ComponentType {
        &mut self.types[id.index()]
    }

    /// The guarded columns of a type that is known.
    #[inline]
    pub(crate) fn cell<T: Component>(&self) -> Option<&AtomicRefCell<Columns<T>>> {
        let id = self.id::<T>()?;
        Some(&self.types[id.index()].columns.downcast_ref::<T>().0)
    }

    /// The columns of a type whose id is at hand.
    #[inline]
    pub(crate) fn columns_mut<T: Component>(&mut self, id: ComponentId) -> &mut Columns<T> {
        self.types[id.index()]
            .columns
            .downcast_mut::<T>()
            .0
            .get_mut()
    }
}

/// The last part of a type's path, for messages: `Load` rather than `quay::goods::Load`.
pub(crate) fn short_name(full: &'static str) -> &'static str {
    let base = full.split('<').next().unwrap_or(full);
    match base.rfind("::") {
        Some(at) => &full[at + 2..],
        None => full,
    }
}
