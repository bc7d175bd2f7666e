//! Results of many scenes as text.

use super::judged::{Check, Judged, Judgement};
use crate::output;
use std::fmt::Write as _;
use std::time::Duration;

pub(super) fn of(judged: &[Judged], took: Duration) -> String {
    let mut text = String::new();
    for scene in judged {
        text += &of_scene(scene);
    }
    let count = |verdict: &str| {
        judged
            .iter()
            .filter(|scene| scene.verdict() == verdict)
            .count()
    };
    let _ = write!(
        text,
        "\n{}: {} ok, {} failed, {} faulty, in {:.1} s",
        match judged.len() {
            1 => String::from("1 scene"),
            several => format!("{several} scenes"),
        },
        count("ok"),
        count("failed"),
        count("faulty"),
        took.as_secs_f64()
    );
    text
}

fn of_scene(scene: &Judged) -> String {
    let path = scene.path.display();
    let failed = scene.failures().count();
    let (word, rest) = match &scene.judgement {
        Judgement::Ran(run) if failed == 0 => ("ok", format!("{} held", run.held())),
        Judgement::Ran(run) => ("FAILED", format!("{failed} of {} failed", run.checks.len())),
        Judgement::Faulty { count, .. } => (
            "FAULTY",
            match count {
                0 => String::from("not read"),
                1 => String::from("1 fault"),
                several => format!("{several} faults"),
            },
        ),
        Judgement::Broke(_) => ("FAULTY", String::from("stopped")),
    };
    let mut notes = Vec::new();
    if let Judgement::Ran(run) = &scene.judgement {
        if run.left_out > 0 {
            notes.push(format!("{} of real time left out", run.left_out));
        }
        if !run.missed.is_empty() {
            notes.push(format!("{} missed", run.missed.len()));
        }
    }
    let notes = if notes.is_empty() {
        String::new()
    } else {
        format!(" ({})", notes.join(", "))
    };
    let mut text = output::wrapped(&format!("{path}: {rest}{notes}"), &format!("{word:<7} "), 8);
    for check in scene.failures() {
        text += &failure(check);
    }
    for fault in scene.faults() {
        text += &output::wrapped(fault, "  ", 4);
    }
    text
}

fn failure(check: &Check) -> String {
    let mut text = match &check.what {
        Some(what) => output::wrapped(what, "  ", 4),
        None => String::new(),
    };
    text += &output::wrapped(
        &format!("{} {}", check.wanted, check.when),
        "    wanted  ",
        12,
    );
    text += &output::wrapped(
        &format!("{}, at frame {}", check.measured, check.frame),
        "    found   ",
        12,
    );
    if let Some((frame, measured)) = check.before.last() {
        text += &output::wrapped(&format!("frame {frame}: {measured}"), "    before  ", 12);
    }
    text
}
