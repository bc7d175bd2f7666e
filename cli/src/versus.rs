//! What the second of two runs does otherwise: for commands that compare.

use crate::failure::Failure;
use gerust::Runtime;
use std::convert::Infallible;
use std::num::NonZeroUsize;
use std::path::PathBuf;
use std::str::FromStr;
use std::time::Duration;

/// The settings that can be compared.
const SETTINGS: &str = "`threads=NUMBER`, `off=SYSTEM` and `serial-below=MICROSECONDS`";

/// What the second run does otherwise.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Versus {
    Threads(NonZeroUsize),
    /// A system, label or phase that is switched off.
    Off(String),
    SerialBelow(Duration),
    Scene(PathBuf),
    /// It looks like a setting and is none.
    Unknown(String),
}

impl FromStr for Versus {
    type Err = Infallible;

    fn from_str(text: &str) -> Result<Self, Infallible> {
        let Some((key, value)) = text.split_once('=') else {
            return Ok(Self::Scene(PathBuf::from(text)));
        };
        let value = value.trim();
        let setting = match key.trim() {
            "threads" => value.parse().ok().map(Self::Threads),
            "off" => Some(Self::Off(value.to_owned())),
            "serial-below" => value
                .parse()
                .ok()
                .map(|number| Self::SerialBelow(Duration::from_micros(number))),
            _ => None,
        };
        Ok(setting.unwrap_or_else(|| Self::Unknown(text.to_owned())))
    }
}

impl Versus {
    pub(crate) fn refuse_unknown(&self) -> Result<(), Failure> {
        match self {
            Self::Unknown(text) => Err(Failure::other(format!(
                "`{text}` is neither a setting nor a scene file; the settings are {SETTINGS}"
            ))),
            _ => Ok(()),
        }
    }

    /// How many threads the second run has, if that is what it does otherwise.
    pub(crate) fn threads(&self) -> Option<usize> {
        match self {
            Self::Threads(threads) => Some(threads.get()),
            _ => None,
        }
    }

    /// Does to a runtime what is otherwise, besides threads and scene.
    pub(crate) fn apply(&self, runtime: &mut Runtime) -> Result<(), Failure> {
        match self {
            Self::Off(system) => runtime.set_enabled(system, false)?,
            Self::SerialBelow(work) => runtime.set_serial_below(*work),
            _ => {}
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_and_scenes_are_distinguished() {
        let read = |text: &str| {
            text.parse::<Versus>()
                .unwrap_or_else(|never| match never {})
        };
        assert_eq!(
            read("threads=2"),
            Versus::Threads(NonZeroUsize::MIN.saturating_add(1))
        );
        assert_eq!(
            read("off = move: bodies"),
            Versus::Off("move: bodies".into())
        );
        assert_eq!(
            read("serial-below=50"),
            Versus::SerialBelow(Duration::from_micros(50))
        );
        assert_eq!(
            read("scenes/yard.toml"),
            Versus::Scene("scenes/yard.toml".into())
        );
        for unknown in ["threads=0", "threads=many", "serial-below=-1", "speed=2"] {
            assert_eq!(read(unknown), Versus::Unknown(unknown.into()));
        }
    }
}
