//! A plan for people.

use super::plan::{CostView, EdgeView, PhaseView, PlanView, SystemView};
use crate::output::{time, wrapped};
use std::fmt::Write;
use std::time::Duration;

/// The plan as a tree: phases, their systems in the order in which one thread runs them, and the reasons.
pub(super) fn text(view: &PlanView<'_>) -> String {
    let mut text = String::new();
    // Writing to a string does not fail.
    let _ = writeln!(
        text,
        "{}: {} frames, {}{}",
        view.title,
        view.frames,
        match view.measured {
            true => threads(view.threads),
            false => String::from("read, not run: without times"),
        },
        match (view.measured, view.build) {
            (true, "debug") => ", DEBUG BUILD",
            _ => "",
        },
    );
    for phase in &view.phases {
        push_phase(&mut text, phase, view.measured);
    }
    push_list(
        &mut text,
        "clash with no stated order",
        view.phases
            .iter()
            .flat_map(|phase| &phase.unstated_clashes)
            .map(|edge| edge.reason.as_str()),
    );
    push_list(
        &mut text,
        "never ran",
        view.never_ran.iter().map(|idle| idle.what.as_str()),
    );
    push_list(
        &mut text,
        "rows that matched nothing",
        view.rows_without_match
            .iter()
            .map(|empty| empty.what.as_str()),
    );
    if let (Some(best), Some(measured)) = (view.best_speed_up, view.measured_speed_up) {
        let whole = format!(
            "whole frames: {} as fast at best, with any number of threads; measured {}",
            times(best),
            times(measured)
        );
        text.push('\n');
        text.push_str(&wrapped(&whole, "", 2));
    }
    text
}

fn threads(number: usize) -> String {
    match number {
        1 => String::from("1 thread"),
        more => format!("{more} threads"),
    }
}

fn times(factor: f64) -> String {
    format!("{factor:.2} times")
}

fn push_phase(text: &mut String, phase: &PhaseView<'_>, is_measured: bool) {
    let _ = writeln!(text, "\n{}", phase.phase);
    let name_width = phase
        .systems
        .iter()
        .map(|system| system.name.chars().count())
        .max()
        .unwrap_or(0);
    for system in &phase.systems {
        let mean = match is_measured {
            true => time(Duration::from_secs_f64(system.mean_ms / 1e3)),
            false => String::new(),
        };
        let line = format!(
            "  wave {:<2}  {:name_width$}  {mean:>8}{}",
            system.wave,
            system.name,
            remarks(system)
        );
        let _ = writeln!(text, "{}", line.trim_end());
        let before = phase.edges.iter().filter(|edge| edge.second == system.name);
        for edge in before {
            text.push_str(&wrapped(&after(edge), "           after ", 13));
        }
    }
    if let Some(cost) = &phase.cost {
        push_cost(text, cost, phase.systems.len());
    }
}

fn after(edge: &EdgeView<'_>) -> String {
    format!("{}: {}", edge.first, edge.remark)
}

fn remarks(system: &SystemView<'_>) -> String {
    let mut remarks = Vec::new();
    if !system.on {
        remarks.push(String::from("off"));
    }
    if let Some(every) = system.every_seconds {
        remarks.push(format!("every {every} s"));
    }
    remarks.extend(system.labels.iter().map(|label| format!("label {label}")));
    match remarks.is_empty() {
        true => String::new(),
        false => format!("  ({})", remarks.join(", ")),
    }
}

fn push_cost(text: &mut String, cost: &CostView<'_>, systems: usize) {
    let duration = |ms: f64| time(Duration::from_secs_f64(ms / 1e3));
    let mut line = format!("work {} a frame", duration(cost.work_ms));
    if cost.critical_path.len() == systems {
        line.push_str(", one chain");
    } else {
        let _ = write!(
            line,
            ", critical path {} ({}), at best {} as fast",
            duration(cost.span_ms),
            cost.critical_path.join(" → "),
            times(cost.best_speed_up)
        );
    }
    if let Some(measured) = cost.measured_speed_up {
        let _ = write!(line, ", measured {}", times(measured));
    }
    let _ = write!(line, "; {}", cost.advice);
    text.push_str(&wrapped(&line, "  ", 4));
}

fn push_list<'s>(text: &mut String, title: &str, lines: impl Iterator<Item = &'s str>) {
    let mut lines = lines.peekable();
    if lines.peek().is_none() {
        return;
    }
    let _ = writeln!(text, "\n{title}");
    for line in lines {
        text.push_str(&wrapped(line, "  ", 4));
    }
}
