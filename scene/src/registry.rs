//! Which component types a scene file may name.

use super::limits::{Limit, Limits};
use gerust::Error;
use gerust::runtime::{self, Moment};
use gerust::store::{Component, Datum, Entity, World};
use rustc_hash::FxHasher;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::collections::BTreeMap;
use std::fmt;
use std::hash::{Hash, Hasher};
use std::path::PathBuf;
use std::sync::Arc;
use toml::Spanned;
use toml::de::{DeValue, ValueDeserializer};

type Put = Arc<dyn Fn(&mut World, Entity) -> Result<(), Error> + Send + Sync>;

/// One value of a component, to put on entities.
#[derive(Clone)]
pub(super) struct Attach {
    put: Put,
    mark: u64,
}

impl Attach {
    pub(super) fn put(&self, world: &mut World, entity: Entity) -> Result<(), Error> {
        (self.put)(world, entity)
    }

    /// Whether a file gives the same value for both, wherever it stands in it.
    pub(super) fn is_same(&self, other: &Self) -> bool {
        self.mark == other.mark
    }
}

/// The value of an entity, as JSON; `None` if it has none.
type ShowValue = fn(&World, Entity) -> Option<serde_json::Value>;

/// Posts one event.
pub(super) type Post = Arc<dyn Fn(&mut World) + Send + Sync>;

type ReadValue = fn(Spanned<DeValue<'_>>) -> Result<Put, toml::de::Error>;

/// The component types that scene files may name under `components`.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::{Registry, Scene};
///
/// #[derive(Clone, serde::Serialize, serde::Deserialize)]
/// struct Load { tonnes: f32 }
/// #[derive(Clone, Default)]
/// struct Sealed;
///
/// let mut registry = Registry::standard();
/// registry.register::<Load>("load");
/// registry.register_tag::<Sealed>("sealed");
///
/// let text = r#"
/// title = "one container"
/// frames = 1
///
/// [[entities]]
/// name = "container"
/// components.load = { tonnes = 21.5 }
/// components.sealed = true
/// "#;
/// let scene = Scene::parse(text, "one.toml", &registry)?;
/// let run = scene.start(Runtime::new())?;
/// let container = run.runtime().world().find("container").expect("it is in the file");
/// assert_eq!(run.runtime().world().get::<Load>(container)?.tonnes, 21.5);
/// assert!(run.runtime().world().has::<Sealed>(container));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Default)]
pub struct Registry {
    kinds: BTreeMap<String, ComponentKind>,
    events: BTreeMap<String, EventKind>,
    pub(super) actions: BTreeMap<String, OwnAction>,
    /// The folder below which scenes may name files. Default: the folder of the scene.
    pub(super) root: Option<PathBuf>,
    /// They override those of a scene.
    pub(super) limits: Limits,
}

/// Operations on an event type without its static type.
#[derive(Clone, Copy)]
struct EventKind {
    /// Reads an event; says what does not fit.
    read: fn(serde_json::Value) -> Result<Post, String>,
    /// The events without the first `seen` that were ever posted.
    after: fn(&World, u64) -> Vec<serde_json::Value>,
    /// How many events there were so far.
    so_far: fn(&World) -> u64,
    /// Those of the frame, and how many were posted so far.
    in_moment: fn(&Moment) -> (Vec<serde_json::Value>, u64),
    enroll: fn(&mut World, &str) -> Result<(), Error>,
}

/// An action of one's own: done with the values that it is given.
pub(super) type OwnAction = Arc<dyn Fn(&mut World, &Datum) -> Result<(), String> + Send + Sync>;

/// Operations on a component type without its static type.
#[derive(Clone, Copy)]
struct ComponentKind {
    read: ReadValue,
    show: ShowValue,
    /// Makes the type known to snapshots of a world.
    enroll: fn(&mut World, &str) -> Result<(), Error>,
    detach: fn(&mut World, Entity) -> Result<(), Error>,
    /// Replaces the value by another one, given as JSON; says what does not fit.
    replace: fn(&mut World, Entity, serde_json::Value) -> Result<(), String>,
}

impl Registry {
    /// No component types.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// The component types of the [`StandardKit`](gerust::StandardKit), under their names in lower case, such as `velocity` and
    /// `route`, and its events, such as `arrived`; also `origin-focus` of the [`OriginKit`](runtime::OriginKit). `follow` is a
    /// [`FollowNamed`](runtime::FollowNamed). The kits must be added to the runtime for them to do anything.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust_scene::Registry;
    ///
    /// let registry = Registry::standard();
    /// assert!(registry.names().any(|name| name == "velocity"));
    /// assert_eq!(registry.event_names().collect::<Vec<_>>(), ["arrived", "switched", "worn"]);
    /// assert_eq!(Registry::new().names().count(), 0);
    /// ```
    #[must_use]
    pub fn standard() -> Self {
        let mut registry = Self::new();
        registry.register::<runtime::Velocity>("velocity");
        registry.register::<runtime::Spin>("spin");
        registry.register::<runtime::Lifetime>("lifetime");
        registry.register::<runtime::Route>("route");
        registry.register::<runtime::FollowNamed>("follow");
        registry.register::<runtime::Steered>("steered");
        registry.register::<runtime::Machine>("machine");
        registry.register::<runtime::Rangefinder>("rangefinder");
        registry.register::<runtime::Wear>("wear");
        registry.register::<runtime::Spawner>("spawner");
        registry.register::<runtime::OriginFocus>("origin-focus");
        registry.register_event::<runtime::Arrived>("arrived");
        registry.register_event::<runtime::Switched>("switched");
        registry.register_event::<runtime::Worn>("worn");
        registry
    }

    /// Lets scenes include and load files below a folder. By default a scene reads only files below its own folder.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 1\ninclude = ['../quay/tide.toml']\n";
    /// let error = Scene::parse(text, "../scenes/visitors/t.toml", &Registry::standard()).unwrap_err();
    /// assert!(error.to_string().contains("is not below the folder"));
    ///
    /// let mut registry = Registry::standard();
    /// registry.set_root("../scenes");
    /// let error = Scene::parse(text, "../scenes/visitors/t.toml", &registry).unwrap_err();
    /// assert!(!error.to_string().contains("is not below the folder"), "it is read, and needs other parts");
    /// ```
    pub fn set_root(&mut self, folder: impl Into<PathBuf>) {
        self.root = Some(folder.into());
    }

    /// Sets a limit for all scenes, which overrides their own settings. See [`Limit`] for an example and the defaults.
    pub fn set_limit(&mut self, limit: Limit, value: u64) {
        self.limits.set(limit, value);
    }

    /// Lets scene files name a component type, which is read by `serde`, and shown by it where an expectation asks. A name that is taken is given to the new type.
    pub fn register<T: Component + Clone + Serialize + DeserializeOwned>(&mut self, name: &str) {
        let kind = ComponentKind {
            read: read_value::<T>,
            show: |world, entity| {
                let value = world.get::<T>(entity).ok()?;
                serde_json::to_value(&*value).ok()
            },
            enroll: |world, name| world.register_component::<T>(name),
            detach: |world, entity| world.detach::<T>(entity).map(drop),
            replace: |world, entity, value| {
                let value: T = serde_json::from_value(value).map_err(|error| error.to_string())?;
                let attached = world.attach(entity, value);
                attached.map(drop).map_err(|error| error.to_string())
            },
        };
        self.kinds.insert(name.to_owned(), kind);
    }

    /// Lets scene files name a tag: `components.name = true` attaches it, `false` does not.
    pub fn register_tag<T: Component + Default>(&mut self, name: &str) {
        let kind = ComponentKind {
            read: read_tag::<T>,
            show: |world, entity| Some(world.has::<T>(entity).into()),
            enroll: |world, name| world.register_tag::<T>(name),
            detach: |world, entity| world.detach::<T>(entity).map(drop),
            replace: |world, entity, value| {
                let outcome = match value {
                    serde_json::Value::Bool(true) => world.attach(entity, T::default()).map(drop),
                    serde_json::Value::Bool(false) => world.detach::<T>(entity).map(drop),
                    other => return Err(format!("a tag is `true` or `false`, not {other}")),
                };
                outcome.map_err(|error| error.to_string())
            },
        };
        self.kinds.insert(name.to_owned(), kind);
    }

    /// Lets scene files name an event type: actions `emit` it, rules act on it, and expectations count it. A name that is taken
    /// is given to the new type.
    ///
    /// An event that is about an entity has it in a field `entity`, one that is about two has the second in a field `other`: scene
    /// files write names there, and the actions of a rule name the two `it` and `other`.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// #[derive(Clone, serde::Serialize, serde::Deserialize)]
    /// struct Weighed { entity: Entity, tonnes: f32 }
    ///
    /// let mut registry = Registry::standard();
    /// registry.register_event::<Weighed>("weighed");
    ///
    /// let text = r#"
    /// title = "heavy crates are despawned"
    /// frames = 3
    /// [[entities]]
    /// name = "container"
    /// [[cues]]
    /// frame = 1
    /// do = [{ emit = { event = "weighed", with = { entity = "container", tonnes = 31.5 } } }]
    /// [[rules]]
    /// event = "weighed"
    /// where = "event.tonnes > 30"
    /// do = [{ despawn = "it" }]
    /// [[expect]]
    /// that = "events of weighed = 1 and not container exists"
    /// "#;
    /// let report = Scene::parse(text, "weigh.toml", &registry)?.run(Runtime::new())?;
    /// report.assert_all_held();
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn register_event<E: Component + Clone + Serialize + DeserializeOwned>(
        &mut self,
        name: &str,
    ) {
        let kind = EventKind {
            read: |value| {
                let event: E = serde_json::from_value(value).map_err(|error| error.to_string())?;
                Ok(Arc::new(move |world| world.post(event.clone())))
            },
            after: |world, number| {
                let posted = world.posted_since::<E>(number);
                let values = posted.iter().map(serde_json::to_value);
                values.map(Result::unwrap_or_default).collect()
            },
            so_far: |world| world.posted_count::<E>(),
            in_moment: |moment| {
                let values = moment.posted::<E>().iter().map(serde_json::to_value);
                let values = values.map(Result::unwrap_or_default).collect();
                (values, moment.posted_so_far::<E>())
            },
            enroll: |world, name| world.register_event::<E>(name),
        };
        self.events.insert(name.to_owned(), kind);
    }

    /// Adds your own action to scene files: an action `own = { name = "…", with = { … } }` calls it with the world and with
    /// the value of `with`. An error that it returns is listed among the missed actions. A name that is
    /// taken is given to the new action.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let mut registry = Registry::standard();
    /// registry.register_action("raise all", |world, with| {
    ///     let metres = with.at("metres").and_then(|metres| metres.read::<f32>().ok());
    ///     let metres = metres.ok_or("give it `metres`, a number")?;
    ///     world.rows_mut::<&mut Transform>().each(|transform| transform.translation.y += metres);
    ///     Ok(())
    /// });
    ///
    /// let text = r#"
    /// title = "the tide comes in at once"
    /// frames = 2
    /// [[entities]]
    /// name = "barge"
    /// [[cues]]
    /// frame = 1
    /// do = [{ own = { name = "raise all", with = { metres = 3 } } }]
    /// [[expect]]
    /// that = "barge.position.y = 3"
    /// "#;
    /// let scene = Scene::parse(text, "tide.toml", &registry)?;
    /// scene.run(Runtime::new())?.assert_all_held();
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn register_action(
        &mut self,
        name: &str,
        action: impl Fn(&mut World, &Datum) -> Result<(), String> + Send + Sync + 'static,
    ) {
        self.actions.insert(name.to_owned(), Arc::new(action));
    }

    /// The names of all events, in alphabetical order.
    pub fn event_names(&self) -> impl Iterator<Item = &str> {
        self.events.keys().map(String::as_str)
    }

    /// The names of all actions of one's own, in alphabetical order.
    pub fn action_names(&self) -> impl Iterator<Item = &str> {
        self.actions.keys().map(String::as_str)
    }

    /// Reads an event of a name; nothing if it is not registered.
    pub(super) fn read_event(
        &self,
        name: &str,
        value: serde_json::Value,
    ) -> Option<Result<Post, String>> {
        Some((self.events.get(name)?.read)(value))
    }

    /// The events of a name without the first `seen` that were ever posted; old ones are not all kept.
    pub(super) fn posted_after(
        &self,
        name: &str,
        world: &World,
        number: u64,
    ) -> Vec<serde_json::Value> {
        let kind = self.events.get(name);
        kind.map_or_else(Vec::new, |kind| (kind.after)(world, number))
    }

    /// How many events of each name were posted so far.
    pub(super) fn posted_so_far<'r>(
        &'r self,
        world: &'r World,
    ) -> impl Iterator<Item = (&'r str, u64)> {
        let kinds = self.events.iter();
        kinds.map(|(name, kind)| (name.as_str(), (kind.so_far)(world)))
    }

    /// The events of each name in a moment: those of the frame, and how many were posted so far.
    pub(super) fn posted_in<'r>(
        &'r self,
        moment: &'r Moment,
    ) -> impl Iterator<Item = (&'r str, Vec<serde_json::Value>, u64)> {
        let kinds = self.events.iter();
        kinds.map(|(name, kind)| {
            let (events, so_far) = (kind.in_moment)(moment);
            (name.as_str(), events, so_far)
        })
    }

    /// Lets moments hold the events, unless the world knows them by other names.
    pub(super) fn enroll_events(&self, world: &mut World) {
        for (name, kind) in &self.events {
            // A type that has another name there is held as well.
            let _ = (kind.enroll)(world, name);
        }
    }

    /// All names, in alphabetical order.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.kinds.keys().map(String::as_str)
    }

    /// Reads a value for the type of a name; `None` if the name is not registered.
    pub(super) fn read(
        &self,
        name: &str,
        value: Spanned<DeValue<'_>>,
    ) -> Option<Result<Attach, toml::de::Error>> {
        let kind = self.kinds.get(name)?;
        let mut mark = FxHasher::default();
        mark_value(value.get_ref(), &mut mark);
        let mark = mark.finish();
        Some((kind.read)(value).map(|put| Attach { put, mark }))
    }

    /// Makes all types known to snapshots of a world.
    pub(super) fn enroll(&self, world: &mut World) -> Result<(), Error> {
        super::loading::enroll(world)?;
        self.kinds
            .iter()
            .try_for_each(|(name, kind)| (kind.enroll)(world, name))
    }

    /// Takes a component off an entity; nothing if the name is not registered.
    pub(super) fn detach(
        &self,
        name: &str,
        world: &mut World,
        entity: Entity,
    ) -> Option<Result<(), Error>> {
        Some((self.kinds.get(name)?.detach)(world, entity))
    }

    /// Replaces a value; nothing if the name is not registered.
    pub(super) fn replace(
        &self,
        name: &str,
        world: &mut World,
        entity: Entity,
        value: serde_json::Value,
    ) -> Option<Result<(), String>> {
        Some((self.kinds.get(name)?.replace)(world, entity, value))
    }

    /// The value of an entity; `None` if it has none, or if the name is not registered.
    pub(super) fn show(
        &self,
        name: &str,
        world: &World,
        entity: Entity,
    ) -> Option<serde_json::Value> {
        (self.kinds.get(name)?.show)(world, entity)
    }
}

fn read_value<T: Component + Clone + DeserializeOwned>(
    value: Spanned<DeValue<'_>>,
) -> Result<Put, toml::de::Error> {
    let value = T::deserialize(ValueDeserializer::from(value))?;
    Ok(Arc::new(move |world, entity| {
        world.attach(entity, value.clone()).map(drop)
    }))
}

fn read_tag<T: Component + Default>(value: Spanned<DeValue<'_>>) -> Result<Put, toml::de::Error> {
    let wanted: bool = serde::Deserialize::deserialize(ValueDeserializer::from(value))?;
    Ok(Arc::new(move |world, entity| match wanted {
        true => world.attach(entity, T::default()).map(drop),
        false => world.detach::<T>(entity).map(drop),
    }))
}

/// Takes in a value without the places at which it stands.
fn mark_value(value: &DeValue<'_>, mark: &mut FxHasher) {
    std::mem::discriminant(value).hash(mark);
    match value {
        DeValue::String(text) => text.hash(mark),
        DeValue::Integer(number) => number.to_string().hash(mark),
        DeValue::Float(number) => number.to_string().hash(mark),
        DeValue::Boolean(truth) => truth.hash(mark),
        DeValue::Datetime(time) => time.to_string().hash(mark),
        DeValue::Array(items) => {
            items.len().hash(mark);
            items
                .iter()
                .for_each(|item| mark_value(item.get_ref(), mark));
        }
        DeValue::Table(table) => {
            table.len().hash(mark);
            for (key, value) in table {
                key.get_ref().hash(mark);
                mark_value(value.get_ref(), mark);
            }
        }
    }
}

impl fmt::Debug for Registry {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_set().entries(self.kinds.keys()).finish()
    }
}
