//! The page: all that it shows as data, and the parts that it is made of.

use super::playback::PlaybackView;
use super::threads::ThreadsView;
use super::times::TimesView;
use crate::failure::Failure;
use crate::inspect::{MemoryView, PlanView, RecordingView};
use crate::profile::{self, ComparisonSummary};
use crate::run;
use gerust::profile::{Comparison, RecordedProfile};
use serde::{Serialize, Serializer};

/// All that the page shows. What other commands print as JSON has the same form here.
#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct Page<'r> {
    pub(super) version: &'static str,
    pub(super) run: run::Summary<'r>,
    /// What the page is about, if it is a recording.
    pub(super) recording: Option<RecordingView<'r>>,
    pub(super) profile: profile::Summary<'r>,
    pub(super) times: TimesView,
    pub(super) threads: ThreadsView,
    pub(super) playback: PlaybackView,
    pub(super) plan: PlanView<'r>,
    pub(super) memory: MemoryView,
    pub(super) comparison: Option<ComparisonView>,
}

/// How the run compares with one that was kept.
pub(super) struct ComparisonView {
    comparison: Comparison,
}

impl ComparisonView {
    pub(super) fn new(before: &RecordedProfile, after: &RecordedProfile) -> Self {
        Self {
            comparison: profile::between_apart(before, after),
        }
    }
}

impl Serialize for ComparisonView {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        #[derive(Serialize)]
        struct Noted<'c> {
            note: &'static str,
            #[serde(flatten)]
            summary: ComparisonSummary<'c>,
        }
        let noted = Noted {
            note: profile::ONE_AFTER_THE_OTHER,
            summary: ComparisonSummary::new(&self.comparison),
        };
        noted.serialize(serializer)
    }
}

/// The frame of the page, with marks where the parts go.
const FRAME: &str = include_str!("../../assets/report/page.html");
const CHART_STYLE: &str = include_str!("../../assets/uplot/uPlot.min.css");
const CHART_LICENSE: &str = include_str!("../../assets/uplot/LICENSE");
const CHART: &str = include_str!("../../assets/uplot/uPlot.iife.min.js");
const STYLE: &str = include_str!("../../assets/report/page.css");

/// What the page does, part by part; the last one starts it.
const SCRIPTS: [&str; 9] = [
    include_str!("../../assets/report/elements.js"),
    include_str!("../../assets/report/state.js"),
    include_str!("../../assets/report/chart.js"),
    include_str!("../../assets/report/threads.js"),
    include_str!("../../assets/report/scene.js"),
    include_str!("../../assets/report/entity.js"),
    include_str!("../../assets/report/plan.js"),
    include_str!("../../assets/report/tables.js"),
    include_str!("../../assets/report/start.js"),
];

impl Page<'_> {
    pub(super) fn html(&self) -> Result<String, Failure> {
        let data = serde_json::to_string(self)
            .map_err(|error| Failure::other(format!("the page cannot be written: {error}")))?;
        let verdict = match self.run.failed {
            0 => String::from("all held"),
            failed => format!("{failed} failed"),
        };
        let license = format!("/*!\n{CHART_LICENSE}*/\n{CHART}");
        Ok(filled(
            FRAME,
            &[
                ("title", &escaped(&format!("{}: {verdict}", self.run.title))),
                ("chart-style", CHART_STYLE),
                ("style", STYLE),
                ("data", &harmless(&data)),
                ("chart", &license),
                ("script", &SCRIPTS.concat()),
            ],
        ))
    }
}

/// A text with each mark `{{name}}` replaced; what is put in is not looked at again.
fn filled(frame: &str, parts: &[(&str, &str)]) -> String {
    let mut pieces = frame.split("{{");
    let mut text = pieces.next().unwrap_or_default().to_owned();
    for piece in pieces {
        let (name, rest) = piece.split_once("}}").unwrap_or((piece, ""));
        let part = parts.iter().find(|(known, _)| *known == name);
        text.push_str(part.map_or("", |(_, part)| part));
        text.push_str(rest);
    }
    text
}

/// A text that is shown as it is.
fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;")
}

/// JSON that cannot end its element, with any names in it.
fn harmless(json: &str) -> String {
    json.replace('<', "\\u003c")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn marks_are_filled_once_and_names_cannot_break_out() {
        let page = filled(
            "<t>{{title}}</t>{{data}}{{unknown}}.",
            &[("data", "{{title}}"), ("title", &escaped("a<b & c"))],
        );
        assert_eq!(page, "<t>a&lt;b &amp; c</t>{{title}}.");
        let json = harmless(r#"{"name":"</script>"}"#);
        assert!(!json.contains('<'), "{json}");
        let value: serde_json::Value = serde_json::from_str(&json).expect("it is JSON still");
        assert_eq!(value["name"], "</script>");
    }

    #[test]
    fn every_mark_of_the_frame_has_its_part() {
        let marks: Vec<&str> = FRAME
            .split("{{")
            .skip(1)
            .filter_map(|piece| piece.split_once("}}").map(|(name, _)| name))
            .collect();
        assert_eq!(
            marks,
            ["title", "chart-style", "style", "data", "chart", "script"]
        );
    }
}
