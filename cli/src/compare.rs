//! `gerust compare`: runs two scenes, or one under two settings, side by side and says where they begin to differ.

use crate::Verdict;
use crate::arguments::CompareCommand;
use crate::engine::Engine;
use crate::output::{self, wrapped};
use crate::trouble::Trouble;
use crate::versus::Versus;
use gerust::scene::{FirstDifference, SceneRun};
use serde::Serialize;
use std::time::Duration;

pub(crate) fn run(engine: &Engine, command: &CompareCommand) -> Verdict {
    let versus = &command.versus;
    versus.refuse_unknown()?;
    let scene = command.scene.load(engine)?;
    let other_scene = match versus {
        Versus::Scene(path) => Some(command.scene.load_other(path, engine)?),
        _ => None,
    };
    let start = |threads| -> Result<_, Trouble> {
        let mut runtime = output::runtime(engine, command.threads)?;
        if let Some(threads) = threads {
            runtime.set_threads(threads)?;
            // Threads are what is compared: they are used wherever they can be.
            runtime.set_serial_below(Duration::ZERO);
        }
        Ok(runtime)
    };
    let mut one = scene.start(start(None)?)?;
    let mut other = other_scene
        .as_ref()
        .unwrap_or(&scene)
        .start(start(versus.threads())?)?;
    versus.apply(other.runtime_mut())?;
    let found = first_difference(&mut one, &mut other)?;
    let answer = Answer {
        frames: one.frame(),
        differs: found.is_some(),
        difference: found.as_ref().map(DifferenceView::new),
    };
    output::show(&answer, command.format, |answer| {
        text(answer, found.as_ref())
    })?;
    Ok(found.is_none())
}

fn first_difference<'s>(
    one: &mut SceneRun<'s>,
    other: &mut SceneRun<'s>,
) -> Result<Option<FirstDifference>, Trouble> {
    let mut found = one.difference_to(other);
    let frames = one.scene().frames().max(other.scene().frames());
    let title = one.scene().title().to_owned();
    output::with_progress(&title, frames, |_| {
        if found.is_none() {
            let (mine, theirs) = (one.advance()?, other.advance()?);
            if mine != theirs {
                return Err(Trouble::other(format!(
                    "one of the two ends after frame {} without a difference before; the other goes on",
                    one.frame().min(other.frame())
                )));
            }
            found = one.difference_to(other);
        }
        Ok(())
    })?;
    Ok(found)
}

fn text(answer: &Answer<'_>, found: Option<&FirstDifference>) -> String {
    let Some(found) = found else {
        return format!("no difference in {} frames", answer.frames);
    };
    let mut text = wrapped(&found.to_string(), "", 2);
    if !found.writers.is_empty() {
        let writers = found.writers.join(", ");
        let line = format!("written by {writers}, or by a cue or an edit");
        text += &wrapped(&line, "  ", 4);
    }
    text
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Answer<'d> {
    frames: u64,
    differs: bool,
    difference: Option<DifferenceView<'d>>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct DifferenceView<'d> {
    frame: u64,
    entity: &'d str,
    component: &'d str,
    field: &'d str,
    values: &'d [String; 2],
    writers: &'d [String],
}

impl<'d> DifferenceView<'d> {
    fn new(found: &'d FirstDifference) -> Self {
        Self {
            frame: found.frame,
            entity: &found.entity,
            component: &found.component,
            field: &found.field,
            values: &found.values,
            writers: &found.writers,
        }
    }
}
