//! `gerust explain`.

mod pair;

use crate::Verdict;
use crate::arguments::{ExplainCommand, Format, OrderQuestion, Question, RowsQuestion};
use crate::engine::Engine;
use crate::failure::Failure;
use crate::output::{self, wrapped};
use crate::scene_file::SceneFile;
use gerust::RowMatch;
use gerust::schedule::Order;
use serde::Serialize;

pub(crate) fn run(engine: &Engine, command: &ExplainCommand) -> Verdict {
    match &command.question {
        Question::Order(question) => order(engine, &command.scene, question),
        Question::Rows(question) => rows(engine, &command.scene, question),
        Question::Pair(question) => pair::answer(engine, &command.scene, question),
    }
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct OrderAnswer {
    /// `None` if nothing orders the two.
    first: Option<String>,
    second: Option<String>,
    reasons: Vec<String>,
}

/// The order does not depend on what happens in the scene, so no frame is run.
fn order(engine: &Engine, file: &SceneFile, question: &OrderQuestion) -> Verdict {
    if question.one == question.other {
        return Err(Failure::other(format!(
            "`{}` has no order against itself; name two systems",
            question.one
        )));
    }
    let scene = file.load(engine)?;
    let run = scene.start(engine.runtime()?)?;
    let plan = run.runtime().schedule().plan()?;
    let order = plan.order_of(&question.one, &question.other)?;
    match question.format {
        Format::Text => {
            let lines = order.to_string();
            let mut lines = lines.lines();
            let mut text = wrapped(lines.next().unwrap_or_default(), "", 2);
            for reason in lines {
                text.push_str(&wrapped(reason.trim_start(), "  ", 4));
            }
            output::print(&text)?;
        }
        Format::Json => output::print_json(&OrderAnswer::new(&order))?,
    }
    Ok(true)
}

impl OrderAnswer {
    fn new(order: &Order<'_>) -> Self {
        let (ends, reasons) = match order {
            Order::ByPhase { first, second } => {
                (Some((first.0, second.0)), vec![order.to_string()])
            }
            Order::ByEdges(edges) => (
                edges
                    .first()
                    .zip(edges.last())
                    .map(|(first, last)| (first.first(), last.second())),
                edges.iter().map(ToString::to_string).collect(),
            ),
            _ => (None, vec![order.to_string()]),
        };
        Self {
            first: ends.map(|(first, _)| first.to_owned()),
            second: ends.map(|(_, second)| second.to_owned()),
            reasons,
        }
    }
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct RowsAnswer<'r> {
    system: &'r str,
    entity: &'r str,
    frame: u64,
    claims: Vec<ClaimAnswer<'r>>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct ClaimAnswer<'r> {
    rows: String,
    has_row: bool,
    has: &'r [String],
    lacks: &'r [String],
    must_not_have: &'r [String],
    asks_each_run: &'r [String],
}

fn rows(engine: &Engine, file: &SceneFile, question: &RowsQuestion) -> Verdict {
    output::look_at(engine, file, question.look.at, |seen| {
        let (runtime, frame) = (seen.runtime, seen.frame);
        let entity = output::find(seen, &question.entity)?;
        let matches = runtime.explain_rows(&question.system, entity)?;
        let system = runtime.schedule().system(&question.system);
        let claims: Vec<String> = system
            .map(|system| system.access().rows().map(str::to_owned).collect())
            .unwrap_or_default();
        match question.look.format {
            Format::Text => output::print(&rows_text(question, frame, &claims, &matches)),
            Format::Json => output::print_json(&RowsAnswer {
                system: &question.system,
                entity: &question.entity,
                frame,
                claims: claims
                    .into_iter()
                    .zip(&matches)
                    .map(|(rows, matched)| ClaimAnswer {
                        rows,
                        has_row: matched.has_row(),
                        has: matched.has(),
                        lacks: matched.lacks(),
                        must_not_have: matched.bars(),
                        asks_each_run: matched.asks(),
                    })
                    .collect(),
            }),
        }
    })?;
    Ok(true)
}

fn rows_text(
    question: &RowsQuestion,
    frame: u64,
    claims: &[String],
    matches: &[RowMatch],
) -> String {
    let (system, entity) = (&question.system, &question.entity);
    if matches.is_empty() {
        return format!("`{system}` claims no rows, so it sees no entity that way\n");
    }
    let mut text = String::new();
    for (rows, matched) in claims.iter().zip(matches) {
        let verdict = match matched.has_row() {
            true => "has a row in",
            false => "has no row in",
        };
        let line = format!("after frame {frame}, `{entity}` {verdict} `{rows}` of `{system}`");
        text.push_str(&wrapped(&line, "", 2));
        text.push_str(&wrapped(&matched.to_string(), "  ", 4));
    }
    text
}
