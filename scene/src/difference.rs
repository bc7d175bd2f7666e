//! Where two runs begin to differ.

use super::run::SceneRun;
use crate::values::json_of;
use gerust::Error;
use gerust::store::{Datum, Entity, Snapshot, World};
use serde_json::Value as Json;
use std::fmt;

/// The first value in which two runs differ after a frame; see [`SceneRun::difference_to`].
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct FirstDifference {
    /// The frame after which they were compared.
    pub frame: u64,
    /// The entity.
    pub id: Entity,
    /// The name of the entity, or its id if it has none.
    pub entity: String,
    /// The registered name of the component; empty if only one of the two has the entity.
    pub component: String,
    /// The fields that lead to the value, such as `translation.0`; empty if the whole component differs.
    pub field: String,
    /// The values of the two, as JSON; empty where there is none.
    pub values: [String; 2],
    /// The systems that are on and may write the component, in the order in which they run: one of them wrote it last, if no action
    /// or edit did. [`SceneRun::run_frame_traced`] says which.
    pub writers: Vec<String>,
}

impl fmt::Display for FirstDifference {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self {
            frame,
            entity,
            component,
            field,
            values: [one, other],
            ..
        } = self;
        let of = |value: &str| match value {
            "" => String::from("nothing"),
            value => value.to_owned(),
        };
        match (component.as_str(), field.as_str()) {
            ("", _) => write!(f, "after frame {frame} only one of the two has `{entity}`"),
            (component, "") => write!(
                f,
                "after frame {frame} {component} of `{entity}` is {} and {}",
                of(one),
                of(other)
            ),
            (component, field) => {
                write!(
                    f,
                    "after frame {frame} {component}.{field} of `{entity}` is {} and {}",
                    of(one),
                    of(other)
                )
            }
        }
    }
}

impl FirstDifference {
    /// The value that differs, of all of its component.
    fn field_in(&self, component: &str) -> Json {
        let whole: Json = serde_json::from_str(component).unwrap_or_default();
        let keys = self.field.split('.').filter(|key| !key.is_empty());
        keys.fold(whole, |value, key| match value {
            Json::Object(mut fields) => fields.remove(key).unwrap_or_default(),
            Json::Array(mut items) => {
                let place = key.parse().ok().filter(|place| *place < items.len());
                place.map_or(Json::Null, |place: usize| items.swap_remove(place))
            }
            _ => Json::Null,
        })
    }

    /// The first value, by the ids of entities and then by the names of components, in which two snapshots differ that were taken
    /// after a frame; `None` if there is none. O(values). Who may have written it is not known from snapshots.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::World;
    /// use gerust_scene::FirstDifference;
    ///
    /// #[derive(Clone, serde::Serialize, serde::Deserialize)]
    /// struct Load { tonnes: f32 }
    ///
    /// let mut world = World::new();
    /// world.register_component::<Load>("load")?;
    /// let truck = world.spawn((Load { tonnes: 3.0 },));
    /// let before = world.snapshot()?;
    /// world.get_mut::<Load>(truck)?.tonnes = 4.5;
    /// let found = FirstDifference::between(7, &before, &world.snapshot()?).expect("the load has changed");
    /// assert_eq!(found.to_string(), "after frame 7 load.tonnes of `#0.1` is 3.0 and 4.5");
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn between(frame: u64, one: &Snapshot, other: &Snapshot) -> Option<Self> {
        let difference = one.first_difference(other)?;
        let (entity, component) = (difference.entity(), difference.component());
        let whole = [one, other].map(|snapshot| snapshot.value(entity, component));
        let (field, values) = match &whole {
            [Some(one), Some(other)] => first_field(&json_of(one), &json_of(other)),
            _ => (String::new(), [one_of(&whole[0]), one_of(&whole[1])]),
        };
        let name = name_in(one, entity).or_else(|| name_in(other, entity));
        Some(Self {
            frame,
            id: entity,
            entity: name.unwrap_or_else(|| entity.to_string()),
            component: component.to_owned(),
            field,
            values,
            writers: Vec::new(),
        })
    }
}

impl SceneRun {
    /// The first value, by the ids of entities and then by the names of components, in which the registered components of two
    /// runs differ now; `None` if there is none. O(values).
    ///
    /// Run both frame by frame and ask after each: the first answer says where they begin to differ.
    ///
    /// # Errors
    ///
    /// As [`World::snapshot`](gerust::World::snapshot).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let scene = |speed: u32| {
    ///     let text = format!(
    ///         "title = 't'\nframes = 3\n[[entities]]\nname = 'gull'\n[[cues]]\nframe = 2\n\
    ///          set = {{ entity = 'gull', transform = {{ translation = [{speed}, 0, 0] }} }}\n"
    ///     );
    ///     Scene::parse(&text, "t.toml", &Registry::standard())
    /// };
    /// let (one, other) = (scene(1)?, scene(2)?);
    /// let (mut one, mut other) = (one.start(Runtime::new())?, other.start(Runtime::new())?);
    /// let mut found = one.difference_to(&other)?;
    /// while found.is_none() && one.run_frame()? && other.run_frame()? {
    ///     found = one.difference_to(&other)?;
    /// }
    /// let found = found.expect("the gull goes elsewhere");
    /// assert_eq!(found.to_string(), "after frame 2 transform.translation.0 of `gull` is 1.0 and 2.0");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn difference_to(&self, other: &SceneRun) -> Result<Option<FirstDifference>, Error> {
        let mine = self.runtime().world().snapshot()?;
        let theirs = other.runtime().world().snapshot()?;
        let found = FirstDifference::between(self.frame(), &mine, &theirs);
        Ok(found.map(|found| FirstDifference {
            writers: self.writers_of(&found.component),
            ..found
        }))
    }

    /// Runs the next frame on one thread and says what changed the value last in it that differs between two runs, if anything did:
    /// an action, a system, or the edits of one. O(actions and systems), each with one look at the value.
    ///
    /// # Errors
    ///
    /// As [`SceneRun::run_frame`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 2\n[[entities]]\nname = 'gull'\ncomponents.velocity = [1, 0, 0]\n";
    /// let scene = Scene::parse(text, "t.toml", &Registry::standard())?;
    /// let start = || -> Result<_, gerust::Error> {
    ///     let mut runtime = Runtime::new();
    ///     runtime.add_kit(StandardKit)?;
    ///     scene.start(runtime)
    /// };
    /// let (mut one, mut other) = (start()?, start()?);
    /// other.runtime_mut().set_enabled("standard: drift", false)?;
    /// (one.run_frame()?, other.run_frame()?);
    /// let found = one.difference_to(&other)?.expect("one of the two stands still");
    /// assert_eq!(found.component, "transform");
    /// assert_eq!(start()?.run_frame_traced(&found)?.as_deref(), Some("the system `standard: drift`"));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn run_frame_traced(&mut self, found: &FirstDifference) -> Result<Option<String>, Error> {
        let look = |world: &World| {
            let written = world.written_components(found.id).ok()?;
            let is_it = |(name, _): &(String, String)| *name == found.component;
            let value = written.into_iter().find(is_it).map(|(_, value)| value);
            Some(value.map(|value| found.field_in(&value)))
        };
        let mut before = look(self.runtime().world());
        let mut last = None;
        self.run_frame_watched(|cause, world| {
            let now = look(world);
            if now != before {
                last = Some(cause.to_string());
                before = now;
            }
        })?;
        Ok(last)
    }

    fn writers_of(&self, component: &str) -> Vec<String> {
        let Some(kind) = self.runtime().world().registered_type(component) else {
            return Vec::new();
        };
        let systems = self
            .runtime()
            .schedule()
            .systems()
            .filter(|system| system.is_enabled());
        let writing = systems.filter(|system| {
            let mut reached = system.access().reaches();
            reached.any(|(resource, writes)| writes && resource == kind)
        });
        writing.map(|system| system.name().to_owned()).collect()
    }
}

fn name_in(snapshot: &Snapshot, entity: Entity) -> Option<String> {
    let name = snapshot.value(entity, "name")?;
    name.as_str().map(str::to_owned)
}

fn one_of(value: &Option<Datum>) -> String {
    value.as_ref().map_or_else(String::new, Datum::to_string)
}

/// The first field, in order, in which two values differ.
fn first_field(one: &Json, other: &Json) -> (String, [String; 2]) {
    let mut path: Vec<String> = Vec::new();
    let (mut one, mut other) = (one, other);
    loop {
        let next = match (one, other) {
            (Json::Object(mine), Json::Object(theirs)) => mine.iter().find_map(|(key, value)| {
                Some((
                    key.clone(),
                    value,
                    theirs.get(key).filter(|other| *other != value)?,
                ))
            }),
            (Json::Array(mine), Json::Array(theirs)) => {
                let pairs = mine.iter().zip(theirs).enumerate();
                pairs
                    .filter(|(_, (value, other))| value != other)
                    .map(|(at, (value, other))| (at.to_string(), value, other))
                    .next()
            }
            _ => None,
        };
        match next {
            Some((key, value, differing)) => {
                path.push(key);
                (one, other) = (value, differing);
            }
            None => return (path.join("."), [one.to_string(), other.to_string()]),
        }
    }
}
