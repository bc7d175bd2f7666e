//! Where two runs begin to differ.

use super::run::SceneRun;
use crate::store::{Entity, World};
use serde_json::Value as Json;
use std::fmt;

/// The first value in which two runs differ after a frame; see [`SceneRun::difference_to`].
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct FirstDifference {
    /// The frame after which they were compared.
    pub frame: u64,
    /// The name of the entity, or its id if it has none.
    pub entity: String,
    /// The registered name of the component; empty if only one of the two has the entity.
    pub component: String,
    /// The fields that lead to the value, such as `translation.0`; empty if the whole component differs.
    pub field: String,
    /// The values of the two, as JSON; empty where there is none.
    pub values: [String; 2],
    /// The systems that are on and may write the component, in the order in which they run: one of them wrote it last, if no cue
    /// or edit did.
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

impl SceneRun<'_> {
    /// The first value, by the ids of entities and then by the names of components, in which the registered components of two
    /// runs differ now; `None` if there is none. O(values).
    ///
    /// Run both frame by frame and ask after each: the first answer says where they begin to differ.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::scene::{Registry, Scene};
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
    /// let mut found = one.difference_to(&other);
    /// while found.is_none() && one.advance()? && other.advance()? {
    ///     found = one.difference_to(&other);
    /// }
    /// let found = found.expect("the gull goes elsewhere");
    /// assert_eq!(found.to_string(), "after frame 2 transform.translation.0 of `gull` is 1.0 and 2.0");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn difference_to(&self, other: &SceneRun<'_>) -> Option<FirstDifference> {
        let (mine, theirs) = (self.runtime().world(), other.runtime().world());
        let difference = mine.snapshot().first_difference(&theirs.snapshot())?;
        let (entity, component) = (difference.entity(), difference.component());
        let whole = [
            value_of(mine, entity, component),
            value_of(theirs, entity, component),
        ];
        let (field, values) = match &whole {
            [Some(one), Some(other)] => first_field(one, other),
            _ => (String::new(), [one_of(&whole[0]), one_of(&whole[1])]),
        };
        Some(FirstDifference {
            frame: self.frame(),
            entity: name_in(mine, entity)
                .or_else(|| name_in(theirs, entity))
                .unwrap_or_else(|| entity.to_string()),
            component: component.to_owned(),
            field,
            values,
            writers: self.writers_of(component),
        })
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

fn name_in(world: &World, entity: Entity) -> Option<String> {
    let name = world.get::<crate::Name>(entity).ok()?;
    Some(name.to_string())
}

fn value_of(world: &World, entity: Entity, component: &str) -> Option<Json> {
    let written = world.written_components(entity).ok()?;
    let (_, text) = written.into_iter().find(|(name, _)| name == component)?;
    serde_json::from_str(&text).ok()
}

fn one_of(value: &Option<Json>) -> String {
    value.as_ref().map_or_else(String::new, Json::to_string)
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
