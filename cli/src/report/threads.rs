//! What ran on which thread, frame by frame.

use crate::output::milliseconds;
use crate::profile::{Order, Timeline};
use gerust::profile::{Category, FrameProfile, Profiler};
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
    pub(super) fn of(profiler: &Profiler, plan: &Plan) -> Self {
        let mut view = Self {
            names: Vec::new(),
            frames: Vec::new(),
        };
        let mut places = HashMap::new();
        let order = Order::of(plan);
        let all: Vec<&FrameProfile> = profiler.frames().collect();
        let lengths = all
            .iter()
            .map(|frame| (frame.spans().len(), frame.duration()));
        for place in chosen(&lengths.collect::<Vec<_>>()) {
            let timeline = Timeline::of(profiler, all[place], &order);
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

/// The places of the frames that are listed, chosen by their spans and lengths: half of the room is for the slowest, half for a
/// regular choice of the others.
fn chosen(frames: &[(usize, Duration)]) -> BTreeSet<usize> {
    let spans: usize = frames.iter().map(|(spans, _)| spans).sum();
    if spans <= MOST_BLOCKS {
        return (0..frames.len()).collect();
    }
    let room = (MOST_BLOCKS * frames.len() / spans).max(2);
    let mut by_time: Vec<usize> = (0..frames.len()).collect();
    by_time.sort_by_key(|&place| std::cmp::Reverse(frames[place].1));
    let slowest = by_time.into_iter().take(room / 2);
    let regular = (0..frames.len()).step_by(frames.len().div_ceil(room / 2));
    slowest.chain(regular).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_many_frames_the_slowest_and_some_of_the_others_are_reported() {
        let frame = |place: u64| {
            let is_slow = place % 1000 == 77;
            (60, Duration::from_micros(if is_slow { 900 } else { 100 }))
        };
        let few: Vec<_> = (0..1_000).map(frame).collect();
        assert_eq!(chosen(&few).len(), 1_000);
        let many: Vec<_> = (0..20_000).map(frame).collect();
        let told = chosen(&many);
        assert!(told.len() <= MOST_BLOCKS / 60, "{}", told.len());
        assert!((0..20).all(|slow| told.contains(&(slow * 1_000 + 77))));
        // No frame is far from a listed one.
        let places: Vec<usize> = told.into_iter().collect();
        assert!(places.windows(2).all(|pair| pair[1] - pair[0] <= 40));
    }
}
