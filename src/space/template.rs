//! Templates: sets of components, and whole subtrees, that can be copied.

use super::transform::Transform;
use crate::error::{Error, Kind};
use crate::panics::Panics;
use crate::store::{Component, Entity, Name, World};
use crate::suggest::suggest;
use glam::Vec3;
use std::any::TypeId;
use std::collections::BTreeMap;
use std::fmt;
use std::ops::Deref;
use std::sync::Arc;

/// The template that an entity was made from; every copy has it.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut world = World::new();
/// let gull = Template::named("gull").copy().spawn(&mut world)?;
/// assert_eq!(world.get::<MadeFrom>(gull)?.template(), "gull");
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, PartialEq, Eq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct MadeFrom(pub(crate) Name);

impl MadeFrom {
    /// The component for an entity that was made in another way than from a [`Template`], such as from a file.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut world = World::new();
    /// let gull = world.spawn((MadeFrom::new("gull"),));
    /// assert_eq!(world.get::<MadeFrom>(gull)?.template(), "gull");
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn new(template: impl Into<Name>) -> Self {
        Self(template.into())
    }

    /// The name of the template.
    #[must_use]
    pub fn template(&self) -> &str {
        self.0.as_str()
    }
}

/// A value that all copies of a template share: it is kept once, however many copies there are.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct ContainerClass { tonnes_at_most: f32 }
///
/// let mut world = World::new();
/// let forty_foot = Template::named("40-foot container").shared(ContainerClass { tonnes_at_most: 30.4 });
/// let copies = forty_foot.copies(&mut world, 100, |_, copy| copy)?;
/// let class = world.get::<Shared<ContainerClass>>(copies[99])?;
/// assert_eq!(class.tonnes_at_most, 30.4);
/// let other = world.get::<Shared<ContainerClass>>(copies[0])?;
/// assert!(class.is_same(&other));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Debug)]
pub struct Shared<T>(Arc<T>);

impl<T> Shared<T> {
    /// Whether two copies share the very same value.
    #[must_use]
    pub fn is_same(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }
}

impl<T> Clone for Shared<T> {
    fn clone(&self) -> Self {
        Self(Arc::clone(&self.0))
    }
}

impl<T> Deref for Shared<T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

/// Puts one component on a copy.
type Part = Arc<dyn Fn(&mut World, Entity) -> Result<(), Error> + Send + Sync>;

fn part<T: Component + Clone>(component: T) -> Part {
    Arc::new(move |world, entity| world.attach(entity, component.clone()).map(drop))
}

/// A named preset: components that each copy gets, values that all copies share, and children that come along.
///
/// Cloning is cheap; a clone can be changed without changing the original.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// #[derive(Clone)]
/// struct Tonnes(f32);
///
/// let hook = Template::named("hook").with(Transform::at(0.0, -8.0, 0.0));
/// let trolley = Template::named("trolley").with(Transform::default()).with(Tonnes(12.0)).child(hook);
///
/// let mut world = World::new();
/// let portal = world.spawn((Transform::default(),));
/// let heavy = trolley.copy().with(Tonnes(20.0)).under(portal).spawn(&mut world)?;
/// assert_eq!(world.get::<Tonnes>(heavy)?.0, 20.0);
/// assert_eq!(world.parent(heavy), Some(portal));
/// assert_eq!(world.children(heavy).count(), 1);
///
/// let row = trolley.copies(&mut world, 3, |number, copy| copy.with(Tonnes(number as f32)))?;
/// assert_eq!(world.get::<Tonnes>(row[2])?.0, 2.0);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone)]
pub struct Template {
    name: Name,
    /// In the order in which they were given; one for each type.
    parts: Vec<(TypeId, Part)>,
    children: Vec<Template>,
}

impl Template {
    /// A template without components.
    #[must_use]
    pub fn named(name: &str) -> Self {
        Self {
            name: Name::new(name),
            parts: Vec::new(),
            children: Vec::new(),
        }
    }

    /// The name.
    #[must_use]
    pub fn name(&self) -> &str {
        self.name.as_str()
    }

    /// Gives each copy a component of its own; another value of the same type replaces the first.
    #[must_use]
    pub fn with<T: Component + Clone>(mut self, component: T) -> Self {
        put(&mut self.parts, component);
        self
    }

    /// Gives all copies a value that they share, as a [`Shared`] component.
    #[must_use]
    pub fn shared<T: Component>(self, value: T) -> Self {
        self.with(Shared(Arc::new(value)))
    }

    /// Gives each copy a child that is a copy of another template, as its last child.
    #[must_use]
    pub fn child(mut self, template: Self) -> Self {
        self.children.push(template);
        self
    }

    /// A template whose copies a function makes. It receives the empty entity of each copy. Use it for components that are known only at
    /// run time, such as those of a file.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut world = World::new();
    /// let parts = vec![Transform::at(0.0, 1.0, 0.0)];
    /// let mast = Template::made_by("mast", move |world, mast| {
    ///     parts.iter().try_for_each(|part| world.attach(mast, *part).map(drop))
    /// });
    /// let mast = mast.copy().spawn(&mut world)?;
    /// assert_eq!(world.get::<Transform>(mast)?.translation.y, 1.0);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn made_by(
        name: &str,
        make: impl Fn(&mut World, Entity) -> Result<(), Error> + Send + Sync + 'static,
    ) -> Self {
        let mut template = Self::named(name);
        template.parts.push((TypeId::of::<Self>(), Arc::new(make)));
        template
    }

    /// Begins a copy.
    pub fn copy(&self) -> CopyOf<'_> {
        CopyOf {
            template: self,
            changes: Changes::default(),
            parent: None,
        }
    }

    /// Makes `count` copies; `each` can change each by its number, from 0. Returns the copies' roots.
    ///
    /// # Errors
    ///
    /// As [`CopyOf::spawn`]; the copies before are there then.
    pub fn copies<'t>(
        &'t self,
        world: &mut World,
        count: usize,
        mut each: impl FnMut(usize, CopyOf<'t>) -> CopyOf<'t>,
    ) -> Result<Vec<Entity>, Error> {
        (0..count)
            .map(|number| each(number, self.copy()).spawn(world))
            .collect()
    }

    /// Gives an entity what makes a copy of it; if that fails, the entity is gone with all below it.
    fn furnish(
        &self,
        world: &mut World,
        entity: Entity,
        changes: &Changes,
        parent: Option<Entity>,
    ) -> Result<(), Error> {
        whole_or_gone(world, entity, |world| {
            let overridden = |id: &TypeId| changes.parts.iter().any(|(other, _)| other == id);
            let own = self.parts.iter().filter(|(id, _)| !overridden(id));
            for (_, part) in own.chain(&changes.parts) {
                part(world, entity)?;
            }
            if let Some(place) = changes.place {
                let transform = world.get::<Transform>(entity);
                let mut transform = transform.map_or_else(|_| Transform::default(), |held| *held);
                transform.translation = place;
                world.attach(entity, transform)?;
            }
            for part in &changes.last {
                part(world, entity)?;
            }
            for child in &self.children {
                let below = world.spawn((MadeFrom(child.name.clone()),));
                child.furnish(world, below, &Changes::default(), Some(entity))?;
            }
            match parent {
                Some(parent) => world.link(entity, parent),
                None => Ok(()),
            }
        })
    }
}

/// Completes an entity. If that fails or panics, the entity and everything below it are despawned.
fn whole_or_gone(
    world: &mut World,
    entity: Entity,
    complete: impl FnOnce(&mut World) -> Result<(), Error>,
) -> Result<(), Error> {
    let mut panics = Panics::default();
    let outcome = panics.catch(|| complete(world));
    if !matches!(outcome, Some(Ok(()))) {
        // It may be gone: a part is a function of the user and can despawn it.
        let _ = world.despawn_caught(entity, &mut panics);
    }
    panics.resume();
    outcome.unwrap_or(Ok(()))
}

/// How one copy differs from its template.
#[derive(Clone, Default)]
struct Changes {
    parts: Vec<(TypeId, Part)>,
    /// Applied after all parts, in any order of the calls.
    place: Option<Vec3>,
    /// Run last of all.
    last: Vec<Part>,
}

fn put<T: Component + Clone>(parts: &mut Vec<(TypeId, Part)>, component: T) {
    let id = TypeId::of::<T>();
    let part = part(component);
    match parts.iter_mut().find(|(known, _)| *known == id) {
        Some((_, known)) => *known = part,
        None => parts.push((id, part)),
    }
}

impl fmt::Debug for Template {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Template")
            .field("name", &self.name)
            .field("parts", &self.parts.len())
            .field("children", &self.children)
            .finish()
    }
}

/// A copy of a template that is about to be made; see [`Template::copy`].
#[must_use = "nothing is made before `spawn`"]
pub struct CopyOf<'t> {
    template: &'t Template,
    changes: Changes,
    parent: Option<Entity>,
}

impl CopyOf<'_> {
    /// Gives this copy a component, in place of the template's if that has one of the type.
    pub fn with<T: Component + Clone>(mut self, component: T) -> Self {
        put(&mut self.changes.parts, component);
        self
    }

    /// Puts this copy at a place, in metres in its parent's space. Rotation and scale stay those of the template, or of the
    /// `Transform` that this copy is given, whether that comes before or after this call.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let large = Transform { scale: Vec3::splat(2.0), ..Transform::at(1.0, 0.0, 0.0) };
    /// let mut world = World::new();
    /// let copy = Template::named("crate").with(large).copy().at(Vec3::Y).spawn(&mut world)?;
    /// let placed = *world.get::<Transform>(copy)?;
    /// assert_eq!((placed.translation, placed.scale), (Vec3::Y, large.scale));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn at(mut self, place: Vec3) -> Self {
        self.changes.place = Some(place);
        self
    }

    /// Changes this copy by a function, after all else.
    #[cfg(feature = "chance")]
    pub(crate) fn changed(
        mut self,
        change: impl Fn(&mut World, Entity) -> Result<(), Error> + Send + Sync + 'static,
    ) -> Self {
        self.changes.last.push(Arc::new(change));
        self
    }

    /// The work of one copy, without the template.
    pub(super) fn for_later(self) -> Copying {
        Copying {
            template: self.template.clone(),
            changes: self.changes,
            parent: self.parent,
        }
    }

    /// Links this copy under a parent, as its last child.
    pub fn under(self, parent: Entity) -> Self {
        Self {
            parent: Some(parent),
            ..self
        }
    }

    /// Makes the copy with its children, and returns its root. O(components) for each entity.
    ///
    /// # Errors
    ///
    /// If the parent is no longer alive; then nothing is made.
    ///
    /// # Panics
    ///
    /// If one of the components is a tuple, or its clone panics; then nothing is made either.
    pub fn spawn(self, world: &mut World) -> Result<Entity, Error> {
        check_parent(world, self.parent)?;
        let root = world.spawn((MadeFrom(self.template.name.clone()),));
        self.template
            .furnish(world, root, &self.changes, self.parent)?;
        Ok(root)
    }
}

fn check_parent(world: &World, parent: Option<Entity>) -> Result<(), Error> {
    match parent {
        Some(entity) if !world.contains(entity) => Err(Error::from(Kind::StaleEntity {
            entity,
            verb: "given a child",
        })),
        _ => Ok(()),
    }
}

/// A copy that will be made under an id that is known already.
pub(super) struct Copying {
    template: Template,
    changes: Changes,
    parent: Option<Entity>,
}

impl Copying {
    pub(super) fn spawn_as(self, world: &mut World, root: Entity) -> Result<(), Error> {
        if let Err(error) = check_parent(world, self.parent) {
            world.forgo_reserved(root);
            return Err(error);
        }
        world.spawn_reserved(root, (MadeFrom(self.template.name.clone()),));
        self.template
            .furnish(world, root, &self.changes, self.parent)
    }
}

impl fmt::Debug for CopyOf<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("CopyOf")
            .field("template", &self.template.name)
            .field("parent", &self.parent)
            .finish_non_exhaustive()
    }
}

/// Templates by name, to be kept as a global.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut templates = Templates::default();
/// templates.add(Template::named("gull"));
/// assert!(templates.get("gull").is_ok());
/// let error = templates.get("gul").unwrap_err().to_string();
/// assert_eq!(error, "unknown template `gul`; did you mean `gull`?");
/// ```
#[derive(Clone, Debug, Default)]
pub struct Templates(BTreeMap<String, Template>);

impl Templates {
    /// Adds a template under its name, and returns the one that had the name before.
    pub fn add(&mut self, template: Template) -> Option<Template> {
        self.0.insert(template.name().to_owned(), template)
    }

    /// Removes the template of a name, and returns it. Entities that were made from it stay.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut templates = Templates::default();
    /// templates.add(Template::named("gull"));
    /// assert!(templates.remove("gull").is_some());
    /// assert!(templates.remove("gull").is_none());
    /// ```
    pub fn remove(&mut self, name: &str) -> Option<Template> {
        self.0.remove(name)
    }

    /// The template of a name.
    ///
    /// # Errors
    ///
    /// If there is none; the message lists all names.
    pub fn get(&self, name: &str) -> Result<&Template, Error> {
        self.0.get(name).ok_or_else(|| {
            Error::from(Kind::UnknownTemplate {
                name: name.to_owned(),
                fix: suggest(name, "templates", self.0.keys().map(|known| &**known)),
            })
        })
    }
}

#[cfg(test)]
mod tests;
