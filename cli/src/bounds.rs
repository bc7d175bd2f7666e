//! Which files scenes may read, and how much they may use.

use crate::engine::Engine;
use clap::Args;
use gerust_scene::{Limit, Registry};
use std::ffi::OsString;
use std::fmt;
use std::path::{Path, PathBuf};
use std::str::FromStr;

/// Options of every command that loads scenes.
#[derive(Args, Clone, Default, Debug)]
pub(crate) struct Bounds {
    /// Let scenes include and load files below this folder, not only below their own
    #[arg(long, global = true, value_name = "FOLDER")]
    root: Option<PathBuf>,
    /// Set a limit of the scene: files, bytes, frames, entities, pairs or iterations; can be repeated
    #[arg(long, global = true, value_name = "NAME=VALUE")]
    limit: Vec<LimitOption>,
}

impl Bounds {
    /// The same options, with another default for the folder.
    pub(crate) fn or_below(&self, folder: Option<&Path>) -> Self {
        Self {
            root: self.root.clone().or_else(|| folder.map(Path::to_owned)),
            limit: self.limit.clone(),
        }
    }

    /// The registry of an engine under these options.
    pub(crate) fn registry(&self, engine: &Engine) -> Registry {
        let mut registry = engine.registry().clone();
        if let Some(root) = &self.root {
            registry.set_root(root);
        }
        for &LimitOption(limit, value) in &self.limit {
            registry.set_limit(limit, value);
        }
        registry
    }

    /// The arguments that give another process the same options.
    pub(crate) fn arguments(&self) -> Vec<OsString> {
        let root = self.root.iter();
        let root = root.flat_map(|root| ["--root".into(), root.clone().into_os_string()]);
        let limits = self.limit.iter();
        let limits = limits.flat_map(|limit| ["--limit".into(), limit.to_string().into()]);
        root.chain(limits).collect()
    }
}

/// A limit and its value.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
struct LimitOption(Limit, u64);

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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn limits_are_read() {
        let read = |text: &str| text.parse::<LimitOption>();
        let limit = read(" entities = 5_000 ").expect("it is one");
        assert_eq!((limit.0, limit.1), (Limit::Entities, 5_000));
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
    fn another_process_gets_the_same_options() {
        let bounds = Bounds {
            root: None,
            limit: vec![LimitOption(Limit::Pairs, 7), LimitOption(Limit::Files, 2)],
        };
        let limits = ["--limit", "pairs=7", "--limit", "files=2"];
        assert_eq!(bounds.arguments(), limits);
        let below = bounds.or_below(Some(Path::new("scenes"))).arguments();
        assert_eq!(below[..2], ["--root", "scenes"]);
        assert_eq!(below[2..], limits);
    }
}
