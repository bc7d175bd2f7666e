//! Which scene a command is about.

use crate::bounds::Bounds;
use crate::engine::Engine;
use crate::failure::Failure;
use crate::output::time;
use clap::Args;
use gerust_scene::{Parameters, Recording, Registry, Scene};
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
    #[command(flatten)]
    bounds: Bounds,
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

    /// The recording, if the file is one. A damaged one is listed up to the damage.
    pub(crate) fn recording(&self) -> Result<Option<Recording>, Failure> {
        recording_at(&self.path)
    }

    pub(crate) fn load(&self, engine: &Engine) -> Result<Scene, Failure> {
        self.load_other(&self.path, engine)
    }

    /// Loads another scene with the same values.
    pub(crate) fn load_other(&self, path: &Path, engine: &Engine) -> Result<Scene, Failure> {
        if Recording::is_one(path) {
            return Err(Failure::other(format!(
                "{} is a recording; name the scene that was recorded, or look at it with `inspect` and `compare`",
                path.display()
            )));
        }
        let start = Instant::now();
        let registry = self.registry(engine);
        let scene = match path == Path::new("-") {
            true => {
                let text = std::io::read_to_string(std::io::stdin()).map_err(|error| {
                    Failure::other(format!("standard input cannot be read: {error}"))
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

    /// The registry of an engine under the options that were given.
    pub(crate) fn registry(&self, engine: &Engine) -> Registry {
        self.bounds.registry(engine)
    }

    /// The values that were given.
    pub(crate) fn parameters(&self) -> Parameters {
        let given = self.set.iter();
        given.fold(Parameters::new(), |all, setting| {
            all.with(&setting.name, &setting.value)
        })
    }
}

/// The recording at a path, if the file is one. A damaged one is listed up to the damage.
pub(crate) fn recording_at(path: &Path) -> Result<Option<Recording>, Failure> {
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
