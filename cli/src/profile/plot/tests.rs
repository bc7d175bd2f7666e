//! The pictures of a made-up profile, so that they are the same on any machine.

use super::*;
use crate::picture::Painting;
use gerust::prelude::*;
use gerust::profile::MeasuredSpan;
use gerust_scene::{Registry, Scene};
use plotters::prelude::{BitMapBackend, IntoDrawingArea};
use std::time::Duration;

const SIZE: (u32, u32) = (1280, 800);
const VERMILION: [u8; 3] = [213, 62, 0];
const INK: [u8; 3] = [38, 42, 48];
const WARM_UP: [u8; 3] = [238, 235, 226];

/// 60 frames of some systems, the first of which takes 3 ms, and 60 ms in frame 50; the budget is 6 ms, and 6 frames are warm-up.
fn with_run(systems: u64, test: impl FnOnce(&SceneRun)) {
    let text = "title = 'a short shift'\nframes = 60\nbudget-ms = 6\nwarm-up = 6\n";
    let scene = Scene::parse(text, "short.toml", &Registry::standard()).expect("it is fine");
    let mut runtime = Runtime::new();
    let names: Vec<String> = (0..systems)
        .map(|number| format!("quay work {number}"))
        .collect();
    for name in &names {
        let system = System::named(name).takes::<()>().runs(|()| ());
        runtime.add_system(system).expect("the names differ");
    }
    let mut run = scene.start(runtime).expect("it starts");
    run.runtime_mut().profiler_mut().set_on(false);
    for number in 1..=60 {
        let mut start = Duration::ZERO;
        let mut spans = Vec::new();
        for (place, name) in names.iter().enumerate() {
            let took = match (place, number) {
                (0, 50) => Duration::from_millis(60),
                (0, _) => Duration::from_millis(3) + Duration::from_micros(number % 5 * 40),
                _ => Duration::from_micros(10 + number % 3),
            };
            let span = |category, name, depth| MeasuredSpan {
                category,
                name,
                depth,
                thread: 0,
                start,
                took,
            };
            spans.push(span(Category::Block, "sort crates", 3));
            spans.push(span(Category::System, name.as_str(), 2));
            start += took;
        }
        spans.push(MeasuredSpan {
            category: Category::Phase,
            name: "Simulate",
            depth: 1,
            thread: 0,
            start: Duration::ZERO,
            took: start,
        });
        run.run_frame().expect("nothing fails");
        let profiler = run.runtime_mut().profiler_mut();
        profiler.add_measured(number, start + Duration::from_micros(50), &spans);
    }
    test(&run);
}

/// The pixels of a picture, row by row.
fn painted(picture: &impl Painting) -> Vec<u8> {
    crate::font::register().expect("it is built in");
    let mut pixels = vec![0; (SIZE.0 * SIZE.1 * 3) as usize];
    let area = BitMapBackend::with_buffer(&mut pixels, SIZE).into_drawing_area();
    picture.paint(&area).expect("memory takes all");
    drop(area);
    pixels
}

/// How many pixels of a color there are between two columns.
fn count(pixels: &[u8], color: [u8; 3], left: u32, right: u32) -> usize {
    let columns = pixels.chunks_exact(3).zip((0..SIZE.0).cycle());
    columns
        .filter(|(pixel, x)| (left..right).contains(x) && *pixel == color)
        .count()
}

#[test]
fn frames_show_warm_up_budget_and_what_is_over_it() {
    for systems in [1, 40] {
        with_run(systems, |run| {
            let times = FrameTimes::of(run.runtime().profiler(), MOST_COLUMNS);
            assert_eq!((times.columns.len(), times.frames_per_column), (60, 1));
            let over: Vec<u64> = times
                .columns
                .iter()
                .filter(|column| column.is_over)
                .map(|column| column.first)
                .collect();
            assert_eq!(over, [50]);
            let pixels = painted(&Captioned::of(run, &times));
            // A tenth of the chart is warm-up, the budget goes across all of it, and the legend has none of either.
            assert!(count(&pixels, WARM_UP, 72, 160) > 20_000);
            assert_eq!(count(&pixels, WARM_UP, 180, 1280), 0);
            assert!(count(&pixels, VERMILION, 180, 1000) > 800);
        });
    }
}

#[test]
fn every_system_has_a_row_and_the_critical_path_is_outlined() {
    for systems in [1, 40] {
        with_run(systems, |run| {
            let profiler = run.runtime().profiler();
            let rows = SystemTimes::of(profiler);
            let pixels = painted(&Captioned::of(run, &rows));
            assert!(count(&pixels, INK, 240, 1130) > 20 * systems as usize);
            let plan = run.runtime().schedule().plan().expect("the order holds");
            let frame = chosen_frame(run, None).expect("frames were measured");
            assert_eq!(frame.number(), 50);
            let timeline = Timeline::of(profiler, frame, &Order::of(&plan));
            assert_eq!(timeline.path[0].0, "quay work 0");
            assert!(
                count(
                    &painted(&Captioned::of(run, &timeline)),
                    VERMILION,
                    90,
                    1270
                ) > 1_000
            );
        });
    }
}

#[test]
fn a_frame_that_was_not_measured_cannot_be_chosen() {
    with_run(1, |run| {
        assert_eq!(
            chosen_frame(run, Some(7))
                .expect("it was measured")
                .number(),
            7
        );
        assert!(chosen_frame(run, Some(61)).is_err());
    });
}
