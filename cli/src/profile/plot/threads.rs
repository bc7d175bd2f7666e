//! What ran where in one frame, and what its end waited for.

use gerust::profile::{Category, FrameProfile, Profiler, Span};
use gerust::schedule::Plan;
use std::collections::{HashMap, HashSet};
use std::time::Duration;

/// What the picture shows.
pub(crate) struct Timeline {
    pub(crate) frame: u64,
    pub(crate) took: Duration,
    pub(crate) budget: Duration,
    pub(crate) lanes: Vec<Lane>,
    /// The systems that the end of the frame waited for, in order.
    pub(crate) path: Vec<(String, Duration)>,
}

/// One thread.
pub(crate) struct Lane {
    pub(crate) name: String,
    pub(crate) blocks: Vec<Block>,
    /// How many levels of blocks there are.
    pub(crate) levels: u32,
}

pub(crate) struct Block {
    pub(crate) name: String,
    pub(crate) category: Category,
    /// From 0, which is a phase or, on a helper, a system.
    pub(crate) level: u32,
    pub(crate) start: Duration,
    pub(crate) took: Duration,
    pub(crate) is_on_path: bool,
}

/// Spans that lie deeper than this are left out: phases, systems, and two levels of what lies in them.
const MOST_LEVELS: u32 = 4;

impl Timeline {
    pub(crate) fn of(profiler: &Profiler, frame: &FrameProfile, order: &Order<'_>) -> Self {
        let path = path_of(profiler, frame, order);
        let mut threads: Vec<u32> = frame.spans().iter().map(Span::thread).collect();
        threads.sort_unstable();
        threads.dedup();
        let lanes = threads.into_iter().map(|thread| {
            let spans = frame.spans().iter().enumerate();
            let mut blocks: Vec<Block> = spans
                .filter(|(_, span)| {
                    span.thread() == thread && (1..=MOST_LEVELS).contains(&span.depth())
                })
                .map(|(place, span)| Block {
                    name: profiler.name_of(span).to_owned(),
                    category: span.category(),
                    level: span.depth() - 1,
                    start: frame.offset(span),
                    took: Duration::from_nanos(span.nanoseconds()),
                    is_on_path: path.contains(&place),
                })
                .collect();
            // Helpers run systems, not phases.
            let least = blocks.iter().map(|block| block.level).min().unwrap_or(0);
            blocks.iter_mut().for_each(|block| block.level -= least);
            Lane {
                name: match thread {
                    0 => String::from("frame"),
                    helper => format!("helper {helper}"),
                },
                levels: blocks
                    .iter()
                    .map(|block| block.level + 1)
                    .max()
                    .unwrap_or(1),
                blocks,
            }
        });
        let on_path = path.iter().map(|&place| &frame.spans()[place]);
        Self {
            frame: frame.number(),
            took: frame.duration(),
            budget: profiler.budget(),
            lanes: lanes.collect(),
            path: on_path
                .map(|span| {
                    (
                        profiler.name_of(span).to_owned(),
                        Duration::from_nanos(span.nanoseconds()),
                    )
                })
                .collect(),
        }
    }
}

/// Which systems wait for which, asked of a plan once for many frames.
pub(crate) struct Order<'p> {
    /// By phase: first and second of each edge.
    edges: HashMap<&'p str, HashSet<(&'p str, &'p str)>>,
}

impl<'p> Order<'p> {
    pub(crate) fn of(plan: &'p Plan) -> Self {
        let phases = plan.phases().iter();
        let edges = phases.map(|phase| {
            let edges = phase.edges().map(|edge| (edge.first(), edge.second()));
            (phase.phase().name(), edges.collect())
        });
        Self {
            edges: edges.collect(),
        }
    }
}

/// The places of the spans of systems that the end of the frame waited for, phase by phase: from the system that ended last
/// back to the one that it waited for, which is the last to end of those that the plan puts before it and of the one before it
/// on its thread.
fn path_of(profiler: &Profiler, frame: &FrameProfile, order: &Order<'_>) -> Vec<usize> {
    let spans = frame.spans();
    let end = |span: &Span| frame.offset(span) + Duration::from_nanos(span.nanoseconds());
    let mut path = Vec::new();
    for phase in spans
        .iter()
        .filter(|span| span.category() == Category::Phase)
    {
        let within = |span: &Span| {
            span.category() == Category::System
                && frame.offset(span) >= frame.offset(phase)
                && end(span) <= end(phase)
        };
        let systems: Vec<usize> = (0..spans.len())
            .filter(|&place| within(&spans[place]))
            .collect();
        let edges = order.edges.get(profiler.name_of(phase));
        let comes_before = |first: &Span, second: &Span| {
            let pair = (profiler.name_of(first), profiler.name_of(second));
            edges.is_some_and(|edges| edges.contains(&pair))
        };
        let mut of_phase = Vec::new();
        let mut at = systems
            .iter()
            .copied()
            .max_by_key(|&place| end(&spans[place]));
        while let Some(place) = at {
            of_phase.push(place);
            let span = &spans[place];
            let waited_for = systems.iter().copied().filter(|&other| {
                let before = &spans[other];
                other != place
                    && end(before) <= frame.offset(span)
                    && (before.thread() == span.thread() || comes_before(before, span))
            });
            at = waited_for.max_by_key(|&other| end(&spans[other]));
        }
        path.extend(of_phase.into_iter().rev());
    }
    path
}
