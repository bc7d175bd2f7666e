//! Expectations: conditions that must hold at a frame, or by then.

use super::action::About;
use super::ask::Asked;
use super::first_origin::{absolute, local};
use super::language::{Expression, ExpressionKind, Question, Value};
use super::names::find_name;
use super::report::Remedy;
use super::scene_file::Scene;
use gerust::Error;
use gerust::collide::{Contacts, PairVerdict};
use gerust::profile::{self, Category};
use gerust::runtime::Runtime;
use gerust::space::{MadeFrom, WorldTransform};
use gerust::store::World;
use glam::Vec3;
use std::ops::Range;
use std::path::PathBuf;
use std::time::Duration;

/// A check of the world at the end of a frame.
#[derive(Debug)]
pub(super) struct Expectation {
    pub(super) what: Option<String>,
    pub(super) when: When,
    pub(super) condition: Condition,
    /// Where the value that it compares with stands, if it is written out there letter by letter.
    pub(super) stored_at: Option<(PathBuf, Range<usize>)>,
}

impl Expectation {
    /// All that it says, in one text: two that say the same have the same.
    pub(super) fn wording(&self) -> String {
        let Self { what, when, .. } = self;
        match &self.condition {
            Condition::That(text, _) => format!("{what:?} {when:?} {text}"),
            other => format!("{what:?} {when:?} {other:?}"),
        }
    }
}

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum When {
    /// At the end of this frame.
    At(u64),
    /// At the end of some frame up to this one.
    By(u64),
    /// At the end of each frame from one to another.
    During(u64, u64),
    /// At the end of no frame up to this one.
    Never(u64),
    /// At the end of a number of frames in a row, the last of them this one or an earlier one.
    For(u64, u64),
}

impl When {
    pub(super) fn last_frame(self) -> u64 {
        match self {
            Self::At(frame)
            | Self::By(frame)
            | Self::During(_, frame)
            | Self::Never(frame)
            | Self::For(_, frame) => frame,
        }
    }

    /// The first frame in which the condition is checked.
    pub(super) fn first_frame(self) -> u64 {
        match self {
            Self::At(frame) | Self::During(frame, _) => frame,
            Self::By(_) | Self::Never(_) | Self::For(..) => 0,
        }
    }

    /// Returns whether the condition is checked in a frame.
    pub(super) fn is_due(self, frame: u64) -> bool {
        match self {
            Self::At(at) => frame == at,
            Self::During(from, to) => (from..=to).contains(&frame),
            Self::By(last) | Self::Never(last) | Self::For(_, last) => frame <= last,
        }
    }

    /// Returns the verdict once it is clear: `holds` is whether the condition holds in this frame, `in_a_row` for how many frames in a
    /// row.
    pub(super) fn decide(self, frame: u64, holds: bool, in_a_row: u64) -> Option<bool> {
        let is_last = frame == self.last_frame();
        match self {
            Self::At(_) => Some(holds),
            Self::By(_) if holds => Some(true),
            Self::During(..) if !holds => Some(false),
            Self::Never(_) if holds => Some(false),
            Self::For(frames, _) if in_a_row >= frames => Some(true),
            Self::By(_) | Self::For(..) => is_last.then_some(false),
            Self::During(..) | Self::Never(_) => is_last.then_some(true),
        }
    }

    pub(super) fn describe(self) -> String {
        match self {
            Self::At(frame) => format!("at frame {frame}"),
            Self::By(frame) => format!("by frame {frame}"),
            Self::During(from, to) => format!("from frame {from} to frame {to}"),
            Self::Never(frame) => format!("never up to frame {frame}"),
            Self::For(frames, last) => format!("for {frames} frames in a row up to frame {last}"),
        }
    }
}

#[derive(Debug)]
pub(super) enum Condition {
    /// As it is written, and what that means.
    That(String, Expression),
    Touching(String, String),
    Apart(String, String),
    Position {
        entity: String,
        is: Vec3,
        within: f32,
    },
    Count {
        template: Option<String>,
        at_least: u64,
        at_most: u64,
    },
    /// Of the frame if no system is named; its own budget if no time is given.
    Budget {
        of: Option<String>,
        percentile: u32,
        at_most: Option<Duration>,
    },
}

/// The result of a check.
pub(super) struct Finding {
    pub(super) holds: bool,
    pub(super) measured: String,
    /// Whether the condition could be asked: what is not there has no value.
    pub(super) is_answered: bool,
}

impl Finding {
    fn answered(holds: bool, measured: String) -> Self {
        Self {
            holds,
            measured,
            is_answered: true,
        }
    }

    pub(super) fn unanswered(reason: impl Into<String>) -> Self {
        Self {
            holds: false,
            measured: reason.into(),
            is_answered: false,
        }
    }
}

impl Condition {
    /// The expected condition, in words.
    pub(super) fn describe(&self) -> String {
        match self {
            Self::That(text, _) => text.clone(),
            Self::Touching(a, b) => format!("`{a}` touches `{b}`"),
            Self::Apart(a, b) => format!("`{a}` does not touch `{b}`"),
            Self::Position { entity, is, within } => {
                format!("`{entity}` within {within} m of {}", place(*is))
            }
            Self::Count {
                template,
                at_least,
                at_most,
            } => {
                let what = match template {
                    Some(template) => format!("entities made from `{template}`"),
                    None => String::from("entities"),
                };
                match (*at_least, *at_most) {
                    (least, most) if least == most => format!("{least} {what}"),
                    (least, u64::MAX) => format!("at least {least} {what}"),
                    (0, most) => format!("at most {most} {what}"),
                    (least, most) => format!("{least} to {most} {what}"),
                }
            }
            Self::Budget {
                of,
                percentile,
                at_most,
            } => {
                let what = match of {
                    Some(system) => format!("`{system}`"),
                    None => String::from("the frame"),
                };
                let limit = match at_most {
                    Some(at_most) => format!("{at_most:.2?}"),
                    None => String::from("its budget"),
                };
                format!("{what} within {limit} in {percentile} % of the frames")
            }
        }
    }

    /// Whether it depends on the machine, or on what else the process does.
    pub(super) fn is_of_process(&self) -> bool {
        const OF_PROCESS: [&str; 2] = ["allocations", "resident memory"];
        let asks = |source: &&Expression| match &source.kind {
            ExpressionKind::Question(Question::Counter(name)) => {
                OF_PROCESS.contains(&name.as_str())
            }
            _ => false,
        };
        match self {
            Self::Budget { .. } => true,
            Self::That(_, condition) => condition.sources().iter().any(asks),
            _ => false,
        }
    }

    pub(super) fn check(&self, runtime: &Runtime, scene: &Scene) -> Result<Finding, Error> {
        let world = runtime.world();
        match self {
            Self::That(_, condition) => Ok(that(condition, &scene.asked(world, About::default()))),
            Self::Touching(a, b) => touching(world, a, b, true),
            Self::Apart(a, b) => touching(world, a, b, false),
            Self::Position { entity, is, within } => position(world, entity, *is, *within),
            Self::Count {
                template,
                at_least,
                at_most,
            } => {
                let count = count(world, template.as_deref());
                let holds = (*at_least..=*at_most).contains(&count);
                Ok(Finding::answered(holds, count.to_string()))
            }
            Self::Budget {
                of,
                percentile,
                at_most,
            } => Ok(budget(runtime, of.as_deref(), *percentile, *at_most)),
        }
    }
}

/// Returns whether a condition holds, and the values from which it was evaluated.
fn that(condition: &Expression, asked: &Asked<'_>) -> Finding {
    let holds = condition.value(asked);
    let mut measured: Vec<String> = Vec::new();
    for source in condition.sources() {
        let line = match source.value(asked) {
            Ok(value) => format!("{source} is {}", value.shortened()),
            Err(problem) => problem.message,
        };
        if !measured.contains(&line) {
            measured.push(line);
        }
    }
    match holds {
        Ok(Value::Truth(holds)) => Finding::answered(holds, measured.join(", ")),
        Ok(other) => Finding::unanswered(format!(
            "it comes to {}, which is neither true nor false",
            other.shortened()
        )),
        Err(problem) => {
            if !measured.contains(&problem.message) {
                measured.push(problem.message);
            }
            Finding::unanswered(measured.join(", "))
        }
    }
}

/// What would have to stand in the place of the stored value for the condition to hold now.
pub(super) fn remedy(expectation: &Expectation, asked: &Asked<'_>) -> Option<Remedy> {
    let Condition::That(_, condition) = &expectation.condition else {
        return None;
    };
    let (source, _) = condition.stored()?;
    let (path, span) = expectation.stored_at.clone()?;
    let value = source.value(asked);
    Some(Remedy {
        path,
        span,
        text: value.ok()?.written(!condition.is_near()),
    })
}

/// The contacts of the first entity that a condition names, to help find out why it did not hold.
pub(super) fn touching_first(condition: &Condition, world: &World) -> Option<String> {
    const MOST: usize = 6;
    let name = match condition {
        Condition::That(_, condition) => condition.entities().into_iter().next()?,
        Condition::Touching(name, _) | Condition::Apart(name, _) => name.as_str(),
        Condition::Position { entity, .. } => entity.as_str(),
        Condition::Count { .. } | Condition::Budget { .. } => return None,
    };
    let entity = find_name(world, name)?;
    let contacts = world.global::<Contacts>().ok()?;
    let brief = contacts.brief().filter_map(|contact| match entity {
        first if first == contact.first => Some(contact.second),
        second if second == contact.second => Some(contact.first),
        _ => None,
    });
    let all: Vec<gerust::store::Entity> = contacts
        .of(entity)
        .map(|touching| touching.other)
        .chain(brief)
        .collect();
    let mut told: Vec<String> = all
        .iter()
        .take(MOST)
        .map(|&other| world.label(other))
        .collect();
    if all.len() > MOST {
        told.push(format!("{} more", all.len() - MOST));
    }
    Some(match told.is_empty() {
        true => format!("`{name}` touches nothing"),
        false => format!("`{name}` touches {}", told.join(", ")),
    })
}

/// Whether the frame or a system kept within a time.
fn budget(
    runtime: &Runtime,
    of: Option<&str>,
    percentile: u32,
    at_most: Option<Duration>,
) -> Finding {
    let statistics = runtime.profiler().statistics();
    let found = statistics.iter().find(|statistic| match of {
        Some(system) => statistic.category() == Category::System && statistic.name() == system,
        None => statistic.category() == Category::Frame,
    });
    let Some(statistic) = found else {
        return Finding::unanswered("it ran in no frame that was measured, warm-up left out");
    };
    let Some(limit) = at_most.or(statistic.budget()) else {
        return Finding::unanswered(
            "it has no budget: give it one in `budgets-ms`, or `at-most-ms` here",
        );
    };
    let took = statistic.percentile(percentile);
    // A debug build must not be taken for a slow engine.
    let build = match profile::build() {
        "debug" => ", in a debug build",
        _ => "",
    };
    let measured = format!(
        "{took:.2?} in {} frames, against {limit:.2?}{build}",
        statistic.frames()
    );
    Finding::answered(took <= limit, measured)
}

fn gone(name: &str) -> Finding {
    Finding::unanswered(format!("there is no `{name}`"))
}

fn count(world: &World, template: Option<&str>) -> u64 {
    let count = match template {
        None => world.len(),
        Some(template) => world
            .rows::<&MadeFrom>()
            .iter()
            .filter(|made| made.template() == template)
            .count(),
    };
    count as u64
}

fn position(world: &World, name: &str, is: Vec3, within: f32) -> Result<Finding, Error> {
    let Some(entity) = find_name(world, name) else {
        return Ok(gone(name));
    };
    let found = world.get::<WorldTransform>(entity)?.translation();
    let distance = found.distance(local(world, is));
    let [x, y, z] = absolute(world, found);
    let found = Vec3::new(x as f32, y as f32, z as f32);
    let measured = format!("{}, {distance:.4} m away", place(found));
    Ok(Finding::answered(distance <= within, measured))
}

fn touching(world: &World, a: &str, b: &str, wanted: bool) -> Result<Finding, Error> {
    let (first, second) = match (find_name(world, a), find_name(world, b)) {
        (Some(first), Some(second)) => (first, second),
        (None, _) => return Ok(gone(a)),
        (_, None) => return Ok(gone(b)),
    };
    let explained = world.explain_pair(first, second)?;
    let touches = matches!(explained.verdict(), PairVerdict::Touches(_));
    Ok(Finding::answered(touches == wanted, explained.to_string()))
}

fn place(place: Vec3) -> String {
    format!("({:.3}, {:.3}, {:.3})", place.x, place.y, place.z)
}
