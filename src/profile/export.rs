//! Profiles for other programs: trace events and CSV.

use super::build::build;
use super::frame::FrameProfile;
use super::profiler::Profiler;
use super::span::{Category, Span};
use serde::Serialize;
use std::collections::BTreeSet;
use std::io::{self, Write};

/// The one process of a trace.
const PROCESS: u32 = 1;

/// An entry of a trace, in the JSON trace event format.
#[derive(Serialize)]
struct Event<'p> {
    name: &'p str,
    #[serde(rename = "cat")]
    category: &'p str,
    /// `X`: a complete event, with a duration. `M`: what a thread is called. `C`: the value of a counter from then on.
    #[serde(rename = "ph")]
    phase: &'static str,
    /// Microseconds since the first frame began.
    #[serde(rename = "ts")]
    start: f64,
    #[serde(rename = "dur", skip_serializing_if = "Option::is_none")]
    duration: Option<f64>,
    #[serde(rename = "pid")]
    process: u32,
    #[serde(rename = "tid")]
    thread: u32,
    #[serde(rename = "args", skip_serializing_if = "Option::is_none")]
    arguments: Option<Arguments>,
}

#[derive(Serialize)]
#[serde(untagged)]
enum Arguments {
    Frame { frame: u64 },
    Value { value: u64 },
    Name { name: String },
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Trace<'p> {
    display_time_unit: &'static str,
    trace_events: Vec<Event<'p>>,
}

/// A line of CSV: one name in one frame.
#[derive(Serialize)]
struct Line<'p> {
    frame: u64,
    kind: &'static str,
    name: &'p str,
    thread: u32,
    calls: u64,
    nanoseconds: u64,
    self_nanoseconds: u64,
    build: &'static str,
}

impl Profiler {
    /// Writes the frames that are kept as JSON trace events, for any viewer of that format: a complete event for each span, with
    /// its kind as the category and its frame as the argument, an event for each counter of a frame, at its beginning, and the
    /// names of the threads and of the process, which say which build was measured. Frames have no arguments.
    ///
    /// # Errors
    ///
    /// If the writer fails.
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.run_frames(2)?;
    /// let mut trace = Vec::new();
    /// runtime.profiler().write_trace(&mut trace)?;
    /// let text = String::from_utf8(trace)?;
    /// assert!(text.starts_with(r#"{"displayTimeUnit":"ms","traceEvents":["#));
    /// assert_eq!(text.matches(r#""cat":"frame""#).count(), 2);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn write_trace(&self, writer: impl Write) -> io::Result<()> {
        let mut threads = BTreeSet::new();
        let mut events = Vec::new();
        let first = self.frames().next();
        for frame in self.frames() {
            let first = first.unwrap_or(frame);
            for span in frame.spans() {
                threads.insert(span.thread());
                events.push(self.event(first, frame, span));
            }
            events.extend(counter_events(first, frame));
        }
        // Viewers nest events that begin together by their order: the longer one first.
        events.sort_by(|a, b| {
            let by_start = a.start.total_cmp(&b.start);
            by_start.then(
                b.duration
                    .unwrap_or(0.0)
                    .total_cmp(&a.duration.unwrap_or(0.0)),
            )
        });
        let names = threads.into_iter().map(|thread| Event {
            name: "thread_name",
            category: "__metadata",
            phase: "M",
            start: 0.0,
            duration: None,
            process: PROCESS,
            thread,
            arguments: Some(Arguments::Name {
                name: match thread {
                    0 => String::from("frame"),
                    helper => format!("helper {helper}"),
                },
            }),
        });
        let process = Event {
            name: "process_name",
            category: "__metadata",
            phase: "M",
            start: 0.0,
            duration: None,
            process: PROCESS,
            thread: 0,
            arguments: Some(Arguments::Name {
                name: format!("{} build", build()),
            }),
        };
        let trace = Trace {
            display_time_unit: "ms",
            trace_events: std::iter::once(process)
                .chain(names)
                .chain(events)
                .collect(),
        };
        serde_json::to_writer(writer, &trace).map_err(io::Error::from)
    }

    fn event<'p>(&'p self, first: &FrameProfile, frame: &FrameProfile, span: &Span) -> Event<'p> {
        Event {
            name: self.name_of(span),
            category: span.category().name(),
            phase: "X",
            start: microseconds(first.offset(span).as_nanos()),
            duration: Some(microseconds(u128::from(span.nanoseconds()))),
            process: PROCESS,
            thread: span.thread(),
            arguments: (span.category() != Category::Frame).then_some(Arguments::Frame {
                frame: frame.number(),
            }),
        }
    }

    /// Writes the frames that are kept as CSV with a header: a line for each frame and name, with the number of calls and the
    /// nanoseconds with and without the spans within, and whether a debug or a release build was measured.
    ///
    /// # Errors
    ///
    /// If the writer fails.
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.run_frames(2)?;
    /// let mut table = Vec::new();
    /// runtime.profiler().write_csv(&mut table)?;
    /// let text = String::from_utf8(table)?;
    /// assert!(text.starts_with("frame,kind,name,thread,calls,nanoseconds,self_nanoseconds,build\n1,"));
    /// assert!(text.contains("\n2,system,touch: contacts,0,1,"));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn write_csv(&self, writer: impl Write) -> io::Result<()> {
        let mut writer = csv::Writer::from_writer(writer);
        for frame in self.frames() {
            let mut lines: Vec<Line<'_>> = Vec::new();
            for piece in frame.pieces() {
                let (span, own) = (piece.span, piece.self_nanoseconds);
                let (name, kind) = (self.name_of(span), span.category().name());
                let known = lines.iter_mut().find(|line| {
                    (line.name, line.kind, line.thread) == (name, kind, span.thread())
                });
                match known {
                    Some(line) => {
                        line.calls += 1;
                        line.nanoseconds += span.nanoseconds();
                        line.self_nanoseconds += own;
                    }
                    None => lines.push(Line {
                        frame: frame.number(),
                        kind,
                        name,
                        thread: span.thread(),
                        calls: 1,
                        nanoseconds: span.nanoseconds(),
                        self_nanoseconds: own,
                        build: build(),
                    }),
                }
            }
            for line in lines {
                writer.serialize(line).map_err(io::Error::from)?;
            }
        }
        writer.flush()
    }
}

fn microseconds(nanoseconds: u128) -> f64 {
    nanoseconds as f64 / 1e3
}

/// The counters of a frame.
fn counter_events<'p>(
    first: &FrameProfile,
    frame: &'p FrameProfile,
) -> impl Iterator<Item = Event<'p>> {
    let start = frame
        .spans()
        .last()
        .map_or(0, |whole| first.offset(whole).as_nanos());
    frame.counters().iter().map(move |count| Event {
        name: count.name,
        category: "counter",
        phase: "C",
        start: microseconds(start),
        duration: None,
        process: PROCESS,
        thread: 0,
        arguments: Some(Arguments::Value { value: count.value }),
    })
}

#[cfg(test)]
mod tests;
