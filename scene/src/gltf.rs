//! From a node tree to a scene file.

use crate::{Registry, Scene, SceneError};
use gerust::gltf::NodeTree;
use gerust::space::Transform;
use gerust::{Error, ErrorKind};
use glam::{Quat, Vec3};
use serde::Serialize;
use std::borrow::Cow;
use std::collections::BTreeMap;

#[derive(Serialize)]
struct SceneText<'t> {
    title: Cow<'t, str>,
    frames: u64,
    entities: Vec<EntityText<'t>>,
}

#[derive(Serialize)]
struct EntityText<'t> {
    name: Cow<'t, str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    parent: Option<Cow<'t, str>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    transform: Option<TransformText>,
    #[serde(skip_serializing_if = "Option::is_none")]
    collider: Option<ColliderText>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    components: BTreeMap<&'t str, toml::Value>,
}

#[derive(Serialize)]
struct TransformText {
    #[serde(skip_serializing_if = "Option::is_none")]
    translation: Option<Vec3>,
    #[serde(skip_serializing_if = "Option::is_none")]
    rotation: Option<Quat>,
    #[serde(skip_serializing_if = "Option::is_none")]
    scale: Option<Vec3>,
}

#[derive(Serialize)]
struct ColliderText {
    size: Vec3,
    center: Vec3,
}

impl TransformText {
    /// `None` for an entity that stands unturned at its parent's origin.
    fn new(transform: Transform) -> Option<Self> {
        let plain = Transform::default();
        (transform != plain).then(|| Self {
            translation: (transform.translation != plain.translation)
                .then_some(transform.translation),
            rotation: (transform.rotation != plain.rotation).then_some(transform.rotation),
            scale: (transform.scale != plain.scale).then_some(transform.scale),
        })
    }
}

/// The text of a scene file with an entity per node: with its parent, placement, box, and those of its extras for which
/// a component is registered under the same name. Also returns the names of the other extras, each once.
///
/// # Errors
///
/// If the scene would not load, for example because the value of an extra does not fit the registered component, or if TOML cannot
/// express a value.
///
/// # Example
///
/// ```
/// use gerust::gltf::NodeTree;
/// use gerust_scene::{Registry, Scene, scene_of_nodes};
///
/// let tree = NodeTree::from_slice(
///     br#"{
///         "asset": { "version": "2.0" },
///         "nodes": [{ "name": "lamp", "extras": { "lifetime": 2.5, "brand": "none" } }]
///     }"#,
/// )?;
/// let registry = Registry::standard();
/// let (text, unknown) = scene_of_nodes(&tree, "one lamp", &registry)?;
/// assert_eq!(unknown, ["brand"]);
/// assert!(text.contains("lifetime = 2.5"));
/// assert!(Scene::parse(&text, "lamp.toml", &registry).is_ok());
/// # Ok::<(), gerust::Error>(())
/// ```
pub fn scene_of_nodes(
    tree: &NodeTree,
    title: &str,
    registry: &Registry,
) -> Result<(String, Vec<String>), Error> {
    let mut unknown: Vec<String> = Vec::new();
    let mut entities = Vec::with_capacity(tree.nodes().len());
    for node in tree.nodes() {
        let mut components = BTreeMap::new();
        for name in node.extras() {
            if !registry.names().any(|known| known == name) {
                unknown.push(name.to_owned());
                continue;
            }
            let mut value = toml::Value::try_from(node.extra(name))
                .map_err(|error| inexpressible(node.name(), name, &error))?;
            make_literal(&mut value);
            components.insert(name, value);
        }
        entities.push(EntityText {
            name: literal(node.name()),
            parent: node
                .parent()
                .map(|parent| literal(tree.nodes()[parent].name())),
            transform: TransformText::new(node.transform()),
            collider: node.bounds().map(|bounds| ColliderText {
                size: bounds.size(),
                center: bounds.center(),
            }),
            components,
        });
    }
    unknown.sort();
    unknown.dedup();
    let scene = SceneText {
        title: literal(title),
        frames: 1,
        entities,
    };
    let text =
        toml::to_string(&scene).map_err(|error| inexpressible("the scene", "placement", &error))?;
    match Scene::parse(&text, "scene", registry) {
        Ok(_) => Ok((text, unknown)),
        Err(error) => Err(unfit(&text, &error)),
    }
}

/// A text as it stands in a scene file: one that begins with `=` would be an expression, so it becomes one that evaluates to the text.
/// The language has no escapes, so a text with `"` inside is refused when the scene is checked.
fn literal(text: &str) -> Cow<'_, str> {
    match text.starts_with('=') {
        true => Cow::Owned(format!("= \"{text}\"")),
        false => Cow::Borrowed(text),
    }
}

/// Applies [`literal`] to all texts in a value.
fn make_literal(value: &mut toml::Value) {
    match value {
        toml::Value::String(text) => *text = literal(text).into_owned(),
        toml::Value::Array(items) => items.iter_mut().for_each(make_literal),
        toml::Value::Table(table) => table.iter_mut().for_each(|(_, value)| make_literal(value)),
        _ => {}
    }
}

/// The error for a scene that would have faults. It shows the line of the first one.
fn unfit(text: &str, error: &SceneError) -> Error {
    let fault = error.faults().first();
    let line = fault.and_then(|fault| text.lines().nth(fault.line() - 1));
    let reason = fault.map_or_else(|| error.to_string(), |fault| fault.message().to_owned());
    invalid(format!(
        "`{}` has no place in a scene: {reason}; change it in the glTF file",
        line.unwrap_or_default().trim()
    ))
}

fn inexpressible(node: &str, what: &str, error: &toml::ser::Error) -> Error {
    invalid(format!(
        "`{what}` of `{node}` cannot be written to a scene file: {error}; take it out of the glTF file"
    ))
}

fn invalid(message: String) -> Error {
    Error::new(ErrorKind::InvalidFile, message)
}
