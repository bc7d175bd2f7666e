//! Which scene a command is about.

use crate::engine::Engine;
use crate::output::time;
use crate::trouble::Trouble;
use clap::Args;
use gerust::scene::{Limit, Parameters, Recording, Registry, Scene};
use std::fmt;
use std::path::{Path, PathBuf};
use std::str::FromStr;
use std::time::Instant;
use tracing::debug;

/// A scene file, and values for its parameters.
#[derive(Args, Clone, Debug)]
pub(crate) struct SceneFile {
    /// A scene file (.toml), `-` for standard input, or a recording (.rec)
    #[arg(value_name = "SCENE")]
    path: PathBuf,
    /// Give a parameter of the scene a value; can be repeated
    #[arg(long, global = true, value_name = "NAME=VALUE")]
    set: Vec<Setting>,
    /// Let the scene include and load files below this folder [default: its own]
    #[arg(long, global = true, value_name = "FOLDER")]
    root: Option<PathBuf>,
    /// Set a limit of the scene: files, bytes, frames, entities, pairs or iterations; can be repeated
    #[arg(long, global = true, value_name = "NAME=VALUE")]
    limit: Vec<LimitOption>,
}

impl SceneFile {
    /// The path as it was given.
    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    /// Whether the file is a recording.
    pub(crate) fn is_recording(&self) -> bool {
        Recording::is_one(&self.path)
    }

    /// The recording, if the file is one. It is told up to where it can be read.
    pub(crate) fn recording(&self) -> Result<Option<Recording>, Trouble> {
        recording_at(&self.path)
    }

    pub(crate) fn load(&self, engine: &Engine) -> Result<Scene, Trouble> {
        self.load_other(&self.path, engine)
    }

    /// Loads another scene with the same values.
    pub(crate) fn load_other(&self, path: &Path, engine: &Engine) -> Result<Scene, Trouble> {
        if Recording::is_one(path) {
            return Err(Trouble::other(format!(
                "{} is a recording; name the scene that was recorded, or look at it with `inspect` and `compare`",
                path.display()
            )));
        }
        let start = Instant::now();
        let registry = self.registry(engine);
        let scene = match path == Path::new("-") {
            true => {
                let text = std::io::read_to_string(std::io::stdin()).map_err(|error| {
                    Trouble::other(format!("standard input cannot be read: {error}"))
                })?;
                Scene::parse_with(&text, path, &registry, &self.parameters())?
            }
            false => Scene::load_with(path, &registry, &self.parameters())?,
        };
        debug!(
            "read {}: {}, {} frames, in {}",
            path.display(),
            match scene.files().len() {
                1 => String::from("one file"),
                files => format!("{files} files"),
            },
            scene.frames(),
            time(start.elapsed())
        );
        Ok(scene)
    }

    /// The registry of an engine, with the folder below which files are read.
    pub(crate) fn registry(&self, engine: &Engine) -> Registry {
        let mut registry = engine.registry().clone();
        if let Some(root) = &self.root {
            registry.set_root(root);
        }
        for LimitOption(limit, value) in &self.limit {
            registry.set_limit(*limit, *value);
        }
        registry
    }

    /// The values that were given.
    pub(crate) fn parameters(&self) -> Parameters {
        let given = self.set.iter();
        given.fold(Parameters::new(), |all, setting| {
            all.with(&setting.name, &setting.value)
        })
    }
}

/// The recording at a path, if there is one. It is told up to where it can be read.
pub(crate) fn recording_at(path: &Path) -> Result<Option<Recording>, Trouble> {
    if !Recording::is_one(path) {
        return Ok(None);
    }
    let recording = Recording::load(path)?;
    if let Some(damage) = recording.damage() {
        tracing::warn!(
            "{} is read up to frame {}: {damage}",
            path.display(),
            recording.last_frame()
        );
    }
    Ok(Some(recording))
}

/// A limit and its value.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) struct LimitOption(pub(crate) Limit, pub(crate) u64);

impl fmt::Display for LimitOption {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}={}", self.0, self.1)
    }
}

impl FromStr for LimitOption {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let given = text.split_once('=').and_then(|(name, value)| {
            let value = value.trim().replace('_', "").parse().ok()?;
            Some(Self(Limit::named(name.trim())?, value))
        });
        given.ok_or_else(|| {
            let names = Limit::ALL.map(Limit::name).join(", ");
            format!(
                "write a limit and a whole number, such as entities=5000000; the limits are {names}"
            )
        })
    }
}

/// A parameter and its value.
#[derive(Clone, PartialEq, Eq, Debug)]
struct Setting {
    name: String,
    value: String,
}

impl FromStr for Setting {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text.split_once('=') {
            Some((name, value)) if !name.trim().is_empty() => Ok(Self {
                name: name.trim().to_owned(),
                value: value.trim().to_owned(),
            }),
            _ => Err(String::from("write a name and a value, such as crates=500")),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn limits_are_read() {
        let read = |text: &str| text.parse::<LimitOption>();
        let limit = read(" entities = 5_000 ").expect("it is one");
        assert_eq!((limit.0, limit.1), (Limit::Entities, 5_000));
        assert_eq!(limit.to_string(), "entities=5000");
        for bad in [
            "",
            "entities",
            "entities=",
            "entities=-1",
            "crates=5",
            "=5",
            "pairs=1e6",
        ] {
            let error = read(bad).expect_err(bad);
            assert!(error.contains("iterations"), "{bad}: {error}");
        }
    }

    #[test]
    fn settings_are_read() {
        let read = |text: &str| {
            text.parse::<Setting>()
                .ok()
                .map(|setting| (setting.name, setting.value))
        };
        assert_eq!(read("crates=500"), Some(("crates".into(), "500".into())));
        assert_eq!(read("name = a = b"), Some(("name".into(), "a = b".into())));
        assert_eq!(read("empty="), Some(("empty".into(), String::new())));
        assert_eq!(read("=5"), None);
        assert_eq!(read("crates"), None);
    }
}
