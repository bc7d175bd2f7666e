//! `gerust explain SCENE pair`.

use crate::Verdict;
use crate::arguments::{Format, PairQuestion};
use crate::engine::Engine;
use crate::output::{self, wrapped};
use crate::scene_file::SceneFile;
use gerust::collide::{AxisReport, PairExplanation, PairSide, PairVerdict};
use serde::Serialize;
use std::fmt::Write;

pub(super) fn answer(engine: &Engine, file: &SceneFile, question: &PairQuestion) -> Verdict {
    output::look_at(engine, file, question.look.at, |seen| {
        let frame = seen.frame;
        let one = output::find(seen, &question.one)?;
        let other = output::find(seen, &question.other)?;
        let explained = seen.world().explain_pair(one, other)?;
        match question.look.format {
            Format::Text => output::print(&text(&explained, frame)),
            Format::Json => output::print_json(&PairAnswer::new(&explained, frame)),
        }
    })?;
    Ok(true)
}

fn touches(explained: &PairExplanation) -> bool {
    matches!(explained.verdict(), PairVerdict::Touches(_))
}

fn text(explained: &PairExplanation, frame: u64) -> String {
    let [one, other] = explained.sides();
    let names = format!("after frame {frame}, `{}` and `{}`", one.label, other.label);
    let line = match touches(explained) {
        // The sentence of the library says so again.
        true => format!(
            "{names} touch: {}",
            explained.to_string().replace("they touch, ", "")
        ),
        false => format!("{names} do not touch: {explained}"),
    };
    let mut text = wrapped(&line, "", 2);
    text.push('\n');
    for side in [one, other] {
        text.push_str(&wrapped(&describe(side), "  ", 4));
    }
    let axes: Vec<AxisReport> = explained.axes().collect();
    if axes.is_empty() {
        return text;
    }
    // Writing to a string does not fail.
    let _ = writeln!(
        text,
        "\n  axis {:>10} {:>10} {:>8} {:>8} {:>8} {:>8} {:>8}",
        "center 1", "center 2", "half 1", "half 2", "distance", "combined", "depth"
    );
    for axis in &axes {
        let remark = match (axis.takes_part, axis.depth < 0.0) {
            (false, _) => "  unused",
            (true, true) => "  gap",
            (true, false) => "",
        };
        let _ = writeln!(
            text,
            "  {:<4} {:>10.4} {:>10.4} {:>8.3} {:>8.3} {:>8.3} {:>8.3} {:>8.4}{remark}",
            axis.axis,
            axis.centers[0] + 0.0,
            axis.centers[1] + 0.0,
            axis.half_extents[0],
            axis.half_extents[1],
            axis.distance,
            axis.combined,
            axis.depth + 0.0,
        );
    }
    text.push_str("\n  metres; depth = combined - distance, and below 0 it is a gap\n");
    text
}

fn describe(side: &PairSide) -> String {
    let Some(layer) = &side.layer else {
        return format!("`{}`: no collider", side.label);
    };
    let kind = if side.is_sensor { "sensor" } else { "solid" };
    let state = if side.is_on { "on" } else { "off" };
    let set = match side.set.as_str() {
        "default" => String::new(),
        set => format!(", box set `{set}`"),
    };
    let boxes = match side.boxes {
        0 | 1 => String::new(),
        several => format!(", the nearest of {several} boxes"),
    };
    format!(
        "`{}`: {kind}, {state}, layer `{layer}`{set}{boxes}",
        side.label
    )
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct PairAnswer<'r> {
    frame: u64,
    touch: bool,
    reason: String,
    entities: [SideAnswer<'r>; 2],
    axes: Vec<AxisAnswer>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct SideAnswer<'r> {
    name: &'r str,
    kind: Option<&'static str>,
    on: bool,
    layer: Option<&'r str>,
    set: &'r str,
    boxes: usize,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct AxisAnswer {
    axis: &'static str,
    centers: [f32; 2],
    half_extents: [f32; 2],
    distance: f32,
    combined_half_extents: f32,
    depth: f32,
    takes_part: bool,
}

impl<'r> PairAnswer<'r> {
    fn new(explained: &'r PairExplanation, frame: u64) -> Self {
        let side = |side: &'r PairSide| SideAnswer {
            name: &side.label,
            kind: side
                .layer
                .as_ref()
                .map(|_| if side.is_sensor { "sensor" } else { "solid" }),
            on: side.is_on,
            layer: side.layer.as_deref(),
            set: &side.set,
            boxes: side.boxes,
        };
        let [one, other] = explained.sides();
        Self {
            frame,
            touch: touches(explained),
            reason: explained.to_string(),
            entities: [side(one), side(other)],
            axes: explained
                .axes()
                .map(|axis| AxisAnswer {
                    axis: axis.axis,
                    centers: axis.centers,
                    half_extents: axis.half_extents,
                    distance: axis.distance,
                    combined_half_extents: axis.combined,
                    depth: axis.depth,
                    takes_part: axis.takes_part,
                })
                .collect(),
        }
    }
}
