//! What ran on which thread, frame by frame.

use crate::output::milliseconds;
use crate::profile::{Order, Timeline};
use gerust::profile::{Category, FrameProfile};
use gerust::scene::SceneRun;
use gerust::schedule::Plan;
use serde::Serialize;
use std::collections::{BTreeSet, HashMap};
use std::time::Duration;

/// The blocks of all frames of which the page tells: about 2 MB.
const MOST_BLOCKS: usize = 60_000;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct ThreadsView {
    names: Vec<String>,
    frames: Vec<FrameView>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct FrameView {
    frame: u64,
    took_ms: f64,
    lanes: Vec<LaneView>,
}

#[derive(Serialize)]
struct LaneView {
    name: String,
    levels: u32,
    blocks: Vec<BlockView>,
}

/// The place of its name, what it stands for, level, start and length in microseconds, and 1 if the end of the frame waited for it.
type BlockView = (usize, &'static str, u32, f64, f64, u8);

impl ThreadsView {
    /// All frames, or if these are too many, the slowest and some of the others.
    pub(super) fn of(run: &SceneRun<'_>, plan: &Plan) -> Self {
        let mut view = Self {
            names: Vec::new(),
            frames: Vec::new(),
        };
        let mut places = HashMap::new();
        let order = Order::of(plan);
        let profiler = run.runtime().profiler();
        let all: Vec<&FrameProfile> = profiler.frames().collect();
        for place in chosen(&all) {
            let timeline = Timeline::of(run, all[place], &order);
            let lanes = timeline.lanes.into_iter().map(|lane| LaneView {
                levels: lane.levels,
                blocks: lane
                    .blocks
                    .into_iter()
                    .map(|block| {
                        let name = *places.entry(block.name).or_insert_with_key(|name| {
                            view.names.push(name.clone());
                            view.names.len() - 1
                        });
                        (
                            name,
                            kind(block.category),
                            block.level,
                            microseconds(block.start),
                            microseconds(block.took),
                            u8::from(block.is_on_path),
                        )
                    })
                    .collect(),
                name: lane.name,
            });
            let lanes = lanes.collect();
            view.frames.push(FrameView {
                frame: timeline.frame,
                took_ms: milliseconds(timeline.took),
                lanes,
            });
        }
        view
    }
}

/// The first letter of what a span stands for.
fn kind(category: Category) -> &'static str {
    match category {
        Category::Frame => "f",
        Category::Phase => "p",
        Category::System => "s",
        Category::Part | Category::Block => "b",
    }
}

fn microseconds(duration: Duration) -> f64 {
    (duration.as_secs_f64() * 1e8).round() / 100.0
}

/// The places of the frames that are told: half of the room is for the slowest, half for a regular choice of the others.
fn chosen(frames: &[&FrameProfile]) -> BTreeSet<usize> {
    let spans: usize = frames.iter().map(|frame| frame.spans().len()).sum();
    if spans <= MOST_BLOCKS {
        return (0..frames.len()).collect();
    }
    let room = (MOST_BLOCKS * frames.len() / spans).max(2);
    let mut by_time: Vec<usize> = (0..frames.len()).collect();
    by_time.sort_by_key(|&place| std::cmp::Reverse(frames[place].duration()));
    let slowest = by_time.into_iter().take(room / 2);
    let regular = (0..frames.len()).step_by(frames.len().div_ceil(room / 2));
    slowest.chain(regular).collect()
}
