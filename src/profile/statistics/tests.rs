use super::super::pieces::own_times;
use super::super::span::{Category, Span, SpanName, open};
use super::*;
use crate::panics::Panics;
use proptest::prelude::*;

fn of(sorted: Vec<u64>) -> Statistic {
    Statistic {
        category: Category::System,
        name: String::from("sway"),
        calls: sorted.len() as u64,
        own: sorted.iter().sum(),
        sorted,
        worst_frame: 1,
        frame_budget: Duration::from_millis(10),
        budget: Some(Duration::from_millis(15)),
    }
}

#[test]
fn percentiles_are_measured_values() {
    let statistic = of((1..=20).map(|ms| ms * 1_000_000).collect());
    assert_eq!(statistic.median(), Duration::from_millis(10));
    assert_eq!(statistic.percentile_95(), Duration::from_millis(19));
    assert_eq!(statistic.worst(), Duration::from_millis(20));
    assert!((statistic.share_of_budget() - 1.0).abs() < 1e-12);
    // From 16 to 20 ms against a budget of 15 ms.
    assert_eq!(
        (statistic.frames(), statistic.frames_over_budget()),
        (20, 5)
    );
}

#[test]
fn one_frame_is_its_own_median() {
    let statistic = of(vec![7]);
    assert_eq!(statistic.median(), statistic.worst());
}

proptest! {
    /// By the definition of the nearest rank: at least `percent` of the values lie at or below the percentile, and
    /// fewer do for any smaller measured value.
    #[test]
    fn percentile_is_the_nearest_rank(mut values in proptest::collection::vec(0_u64..1000, 1..200), percent in 1_u32..=100) {
        values.sort_unstable();
        let found = of(values.clone()).percentile(percent).as_nanos() as u64;
        let percent = percent as usize;
        let at_most = |limit: u64| values.iter().filter(|&&value| value <= limit).count();
        prop_assert!(at_most(found) * 100 >= values.len() * percent);
        for &smaller in values.iter().filter(|&&value| value < found) {
            prop_assert!(at_most(smaller) * 100 < values.len() * percent);
        }
    }
}

#[test]
fn calls_of_one_frame_are_added_up() {
    let mut profiler = Profiler::default();
    for number in 1..=3 {
        profiler.begin_frame(number, &mut Panics::default());
        for _ in 0..number {
            drop(open(Category::Block, "lift"));
        }
        profiler.end_frame(|_| (), &mut Panics::default());
    }
    let statistics = profiler.statistics();
    let lift = statistics
        .iter()
        .find(|statistic| statistic.name() == "lift");
    let lift = lift.expect("it was recorded");
    assert_eq!(lift.calls(), 6);
    assert_eq!(lift.sorted.len(), 3);
    assert_eq!(statistics[0].name(), "frame");
}

#[test]
fn spans_nest_by_depth_and_time() {
    let mut profiler = Profiler::default();
    profiler.begin_frame(1, &mut Panics::default());
    {
        let _outer = open(Category::Block, "outer");
        let _inner = open(Category::Block, "inner");
    }
    profiler.end_frame(|_| (), &mut Panics::default());
    let frame = profiler.frames().next().expect("one frame");
    let depths: Vec<_> = frame
        .spans()
        .iter()
        .map(|span| (profiler.name_of(span), span.depth()))
        .collect();
    assert_eq!(depths, [("inner", 2), ("outer", 1), ("frame", 0)]);
    for pair in frame.spans().windows(2) {
        let [inner, outer] = pair else { unreachable!() };
        assert!(frame.offset(inner) >= frame.offset(outer));
        assert!(
            frame.offset(inner).as_nanos() as u64 + inner.nanoseconds()
                <= frame.offset(outer).as_nanos() as u64 + outer.nanoseconds() + 1
        );
    }
}

#[test]
fn a_frame_within_a_frame_keeps_its_spans_apart() {
    let (mut outer, mut inner) = (Profiler::default(), Profiler::default());
    outer.begin_frame(1, &mut Panics::default());
    inner.begin_frame(1, &mut Panics::default());
    drop(open(Category::Block, "in"));
    inner.end_frame(|_| (), &mut Panics::default());
    drop(open(Category::Block, "out"));
    outer.end_frame(|_| (), &mut Panics::default());
    let names = |profiler: &Profiler| -> Vec<String> {
        let frame = profiler.frames().next().expect("one frame");
        let spans = frame.spans().iter();
        spans
            .map(|span| profiler.name_of(span).to_owned())
            .collect()
    };
    assert_eq!(names(&inner), ["in", "frame"]);
    assert_eq!(names(&outer), ["out", "frame"]);
}

/// Nested spans with made-up times: a tree of blocks, written as it would be recorded.
fn recorded(shape: &[u8], depth: u32, spans: &mut Vec<Span>) -> u64 {
    let mut inside = 0;
    for (at, &own) in shape.iter().enumerate() {
        // Every other one holds what follows.
        if depth < 6 && own % 3 == 0 && at + 1 < shape.len() {
            let below = recorded(&shape[at + 1..], depth + 1, spans);
            spans.push(made_up(depth, below + u64::from(own)));
            return inside + below + u64::from(own);
        }
        spans.push(made_up(depth, u64::from(own)));
        inside += u64::from(own);
    }
    inside
}

fn made_up(depth: u32, nanoseconds: u64) -> Span {
    Span {
        category: Category::Block,
        name: SpanName::Text("made up"),
        start: std::time::Instant::now(),
        nanoseconds,
        depth,
        thread: 0,
    }
}

proptest! {
    #[test]
    fn self_times_add_up_to_the_whole(shape in proptest::collection::vec(any::<u8>(), 0..60), rest in 0_u64..1000) {
        let mut spans = Vec::new();
        let inside = recorded(&shape, 1, &mut spans);
        spans.push(made_up(0, inside + rest));
        let own = own_times(&spans);
        prop_assert_eq!(own.iter().sum::<u64>(), inside + rest);
        prop_assert_eq!(own.last(), Some(&rest));
        // Another thread's spans take nothing away.
        let mut with_helper = vec![Span { thread: 1, ..made_up(1, 77) }];
        with_helper.extend(spans);
        prop_assert_eq!(own_times(&with_helper).iter().sum::<u64>(), inside + rest + 77);
    }
}
