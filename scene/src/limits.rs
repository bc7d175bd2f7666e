//! Limits that keep a faulty scene from taking all memory or running forever.

use super::fault::Fault;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::ops::Range;
use toml::Spanned;

/// An upper bound on something that a scene uses. The scene sets it under `[limits]`, a program by
/// [`Registry::set_limit`](super::Registry::set_limit), which overrides the scene.
///
/// # Example
///
/// ```
/// use gerust_scene::{Limit, Registry, Scene};
///
/// let text = "title = 't'\nframes = 1\n[[entities]]\nname = 'crate'\narrange = { row = 500, step = [2, 0, 0] }\n";
/// let mut registry = Registry::standard();
/// assert!(Scene::parse(text, "t.toml", &registry).is_ok());
/// registry.set_limit(Limit::Entities, 100);
/// let error = Scene::parse(text, "t.toml", &registry).unwrap_err();
/// assert!(error.to_string().contains("limit of 100 entities"), "{error}");
/// ```
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
#[non_exhaustive]
pub enum Limit {
    /// Files that one scene consists of, including those that its actions load. Default: 100.
    Files,
    /// Bytes of all these files. Default: 64 MiB. A single file has at most 16 MiB.
    Bytes,
    /// Frames that a scene runs. Default: 10,000,000.
    Frames,
    /// Entities that a scene describes, with its templates, and entities that are alive at the same time. Default: 1,000,000.
    Entities,
    /// Pairs of boxes that touch, and pairs of dynamic bodies that may meet, in one frame. Default: 2,000,000.
    Pairs,
    /// Iterations of the solver in a frame. Default: 1,000.
    Iterations,
}

impl Limit {
    /// All limits.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust_scene::Limit;
    ///
    /// let names: Vec<&str> = Limit::ALL.map(Limit::name).to_vec();
    /// assert_eq!(names, ["files", "bytes", "frames", "entities", "pairs", "iterations"]);
    /// ```
    pub const ALL: [Self; 6] = [
        Self::Files,
        Self::Bytes,
        Self::Frames,
        Self::Entities,
        Self::Pairs,
        Self::Iterations,
    ];

    /// Its key under `[limits]`.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Files => "files",
            Self::Bytes => "bytes",
            Self::Frames => "frames",
            Self::Entities => "entities",
            Self::Pairs => "pairs",
            Self::Iterations => "iterations",
        }
    }

    /// The limit of a name; `None` if there is none.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust_scene::Limit;
    ///
    /// assert_eq!(Limit::named("pairs"), Some(Limit::Pairs));
    /// assert_eq!(Limit::named("pears"), None);
    /// ```
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|limit| limit.name() == name)
    }

    /// The default value.
    ///
    /// # Example
    ///
    /// ```
    /// assert_eq!(gerust_scene::Limit::Files.default_value(), 100);
    /// ```
    #[must_use]
    pub fn default_value(self) -> u64 {
        match self {
            Self::Files => 100,
            Self::Bytes => 64 << 20,
            Self::Frames => 10_000_000,
            Self::Entities => 1_000_000,
            Self::Pairs => 2_000_000,
            Self::Iterations => 1_000,
        }
    }

    /// How to raise it.
    pub(super) fn remedy(self) -> String {
        let name = self.name();
        format!(
            "use fewer, or raise the limit: `limits.{name} = …` in the scene, or `--limit {name}=…`"
        )
    }
}

impl fmt::Display for Limit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

/// The limits that are set.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub(super) struct Limits([Option<u64>; Limit::ALL.len()]);

impl Limits {
    /// Whether none is set.
    pub(super) fn are_default(&self) -> bool {
        *self == Self::default()
    }

    pub(super) fn set(&mut self, limit: Limit, value: u64) {
        self.0[limit as usize] = Some(value);
    }

    pub(super) fn get(&self, limit: Limit) -> u64 {
        self.0[limit as usize].unwrap_or_else(|| limit.default_value())
    }

    /// These limits, and others where these are not set.
    pub(super) fn or(mut self, other: Self) -> Self {
        for (own, other) in self.0.iter_mut().zip(other.0) {
            *own = own.or(other);
        }
        self
    }

    /// The fault of using more than a limit allows.
    pub(super) fn exceeded(&self, limit: Limit, span: Range<usize>, what: &str) -> Fault {
        let message = format!("{what} exceeds the limit of {} {limit}", self.get(limit));
        Fault::new(span, message, limit.remedy())
    }
}

/// Upper bounds; the loading program can override each. They keep a faulty scene from taking all memory.
#[derive(Deserialize, JsonSchema, Debug, Default)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub(super) struct LimitsEntry {
    /// Files that the scene consists of, including those that its actions load. Default: 100.
    #[schemars(with = "Option<u64>")]
    files: Option<Spanned<u64>>,
    /// Bytes of all these files. Default: 64 MiB.
    #[schemars(with = "Option<u64>")]
    bytes: Option<Spanned<u64>>,
    /// Frames that the scene runs. Default: 10,000,000.
    #[schemars(with = "Option<u64>")]
    frames: Option<Spanned<u64>>,
    /// Entities that the scene describes, with its templates, and entities that are alive at the same time. Default: 1,000,000.
    #[schemars(with = "Option<u64>")]
    entities: Option<Spanned<u64>>,
    /// Pairs of boxes that touch, and pairs of dynamic bodies that may meet, in one frame. Default: 2,000,000.
    #[schemars(with = "Option<u64>")]
    pairs: Option<Spanned<u64>>,
    /// Iterations of the solver in a frame. Default: 1,000.
    #[schemars(with = "Option<u64>")]
    iterations: Option<Spanned<u64>>,
}

impl LimitsEntry {
    pub(super) fn limits(&self) -> Limits {
        let given = [
            &self.files,
            &self.bytes,
            &self.frames,
            &self.entities,
            &self.pairs,
            &self.iterations,
        ];
        Limits(given.map(|given| given.as_ref().map(|given| *given.get_ref())))
    }
}
