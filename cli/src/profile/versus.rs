//! Two scenes or two settings in turn, frame by frame: what slows the machine down slows both down.

use super::{compare, recorded, start};
use crate::Verdict;
use crate::arguments::ProfileCommand;
use crate::engine::Engine;
use crate::output;
use crate::trouble::Trouble;
use gerust::Runtime;
use gerust::scene::{Scene, SceneRun};
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
    pub(crate) fn refuse_unknown(&self) -> Result<(), Trouble> {
        match self {
            Self::Unknown(text) => Err(Trouble::other(format!(
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
    pub(crate) fn apply(&self, runtime: &mut Runtime) -> Result<(), Trouble> {
        match self {
            Self::Off(system) => runtime.set_enabled(system, false)?,
            Self::SerialBelow(work) => runtime.set_serial_below(*work),
            _ => {}
        }
        Ok(())
    }
}

pub(super) fn run(
    engine: &Engine,
    command: &ProfileCommand,
    scene: &Scene,
    versus: &Versus,
) -> Verdict {
    let files = [
        ("--plot", command.plot.is_some()),
        ("--against", command.against.is_some()),
        ("--save", command.save.is_some()),
        ("--trace", command.trace.is_some()),
        ("--csv", command.csv.is_some()),
    ];
    if let Some((option, _)) = files.iter().find(|(_, is_given)| *is_given) {
        return Err(Trouble::other(format!(
            "`{option}` is for one run, and `--versus` makes two; leave one of the two options out"
        )));
    }
    versus.refuse_unknown()?;
    let other_scene = match versus {
        Versus::Scene(path) => Some(command.scene.load_other(path, engine)?),
        _ => None,
    };
    let second_scene = other_scene.as_ref().unwrap_or(scene);
    let threads = versus.threads().or(command.threads.number());
    let mut first = start(engine, command, scene, command.threads.number())?;
    let mut second = start(engine, command, second_scene, threads)?;
    versus.apply(second.runtime_mut())?;
    run_in_turn(&mut first, &mut second)?;
    let mut before = recorded(&first, scene)?;
    let mut after = recorded(&second, second_scene)?;
    match versus {
        Versus::Off(system) => {
            before = before.about("systems", "all");
            after = after.about("systems", &format!("all but {system}"));
        }
        Versus::SerialBelow(work) => {
            before = before.about("serial below", "100 µs");
            after = after.about("serial below", &format!("{} µs", work.as_micros()));
        }
        _ => {}
    }
    compare::tell_in_turn(command, &before, &after)?;
    Ok(true)
}

/// Runs both to their ends, a frame of one and a frame of the other, beginning with the other one each time: whoever comes
/// second finds caches and clock rates as the first left them.
fn run_in_turn<'s>(first: &mut SceneRun<'s>, second: &mut SceneRun<'s>) -> Result<(), Trouble> {
    let frames = first.scene().frames().max(second.scene().frames());
    let title = format!("{} in turn", first.scene().title());
    output::with_progress(&title, frames, |frame| {
        let order: [&mut SceneRun<'s>; 2] = match frame.is_multiple_of(2) {
            true => [&mut *first, &mut *second],
            false => [&mut *second, &mut *first],
        };
        for run in order {
            run.advance()?;
        }
        Ok(())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_and_scenes_are_told_apart() {
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
