//! Two scenes or two settings in turn, frame by frame: what slows the machine down slows both down.

use super::{compare, recorded, start};
use crate::Verdict;
use crate::arguments::ProfileCommand;
use crate::engine::Engine;
use crate::failure::Failure;
use crate::output;
use crate::versus::Versus;
use gerust_scene::{Scene, SceneRun};

pub(super) fn run(
    engine: &Engine,
    command: &ProfileCommand,
    scene: &Scene,
    versus: &Versus,
) -> Verdict {
    let files = [
        ("--plot", command.plot.is_some()),
        ("--against", command.measuring.against.is_some()),
        ("--save", command.save.is_some()),
        ("--trace", command.trace.is_some()),
        ("--csv", command.csv.is_some()),
    ];
    if let Some((option, _)) = files.iter().find(|(_, is_given)| *is_given) {
        return Err(Failure::other(format!(
            "`{option}` is for one run, and `--versus` makes two; leave one of the two options out"
        )));
    }
    versus.refuse_unknown()?;
    let other_scene = match versus {
        Versus::Scene(path) => Some(command.scene.load_other(path, engine)?),
        _ => None,
    };
    let second_scene = other_scene.as_ref().unwrap_or(scene);
    let mut first = start(engine, &command.measuring, scene, false)?;
    let mut second = start(engine, &command.measuring, second_scene, false)?;
    if let Some(threads) = versus.threads() {
        second.runtime_mut().set_threads(threads)?;
    }
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

/// Runs both to their ends, a frame of one and a frame of the other, alternating which runs first: the one that runs
/// second finds caches and clock rates as the first left them.
fn run_in_turn(first: &mut SceneRun, second: &mut SceneRun) -> Result<(), Failure> {
    let frames = first.scene().frames().max(second.scene().frames());
    let title = format!("{} in turn", first.scene().title());
    output::with_progress(&title, frames, |frame| {
        let order: [&mut SceneRun; 2] = match frame.is_multiple_of(2) {
            true => [&mut *first, &mut *second],
            false => [&mut *second, &mut *first],
        };
        for run in order {
            run.run_frame()?;
        }
        Ok(())
    })
}
