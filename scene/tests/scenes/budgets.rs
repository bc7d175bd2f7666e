//! Budgets in scene files: what frames and systems may take.

use gerust::prelude::*;
use gerust::profile::{Category, MeasuredSpan, Profiler};
use gerust_scene::{Registry, Report, Scene, SceneError};
use std::time::Duration;

/// A runtime with a system `nap`. Its times are made up, so they hold on any machine.
fn napping_runtime() -> Runtime {
    let mut runtime = Runtime::new();
    let nap = System::named("nap").takes::<()>().runs(|()| ());
    runtime.add_system(nap).expect("the name is free");
    runtime
}

/// In each frame `nap` takes two milliseconds, in every tenth twenty, and the frame half a millisecond more.
fn add_frame(profiler: &mut Profiler, number: u64) {
    let took = Duration::from_millis(if number.is_multiple_of(10) { 20 } else { 2 });
    let nap = MeasuredSpan {
        category: Category::System,
        name: "nap",
        depth: 1,
        thread: 0,
        start: Duration::ZERO,
        took,
    };
    profiler.add_measured(number, took + Duration::from_micros(500), &[nap]);
}

fn parse(text: &str) -> Result<Scene, SceneError> {
    Scene::parse(text, "nap.toml", &Registry::standard())
}

fn run(scene: &Scene) -> Result<Report, gerust::Error> {
    let mut run = scene.start(napping_runtime())?;
    run.runtime_mut().profiler_mut().set_on(false);
    for number in 1..=scene.frames() {
        // Before the expectations of the frame are checked.
        add_frame(run.runtime_mut().profiler_mut(), number);
        run.run_frame()?;
    }
    Ok(run.report())
}

/// The report of 40 frames, the first four of them warm-up, with some settings and expectations.
fn report(settings: &str, expectation: &str) -> Result<Report, gerust::Error> {
    let text = format!(
        "title = 'nap'\nframes = 40\n{settings}\n[[expect]]\nframe = 40\nbudget = {{ {expectation} }}\n"
    );
    run(&parse(&text).expect("the scene is fine"))
}

#[test]
fn percentiles_and_not_single_frames_are_held_to_budgets() {
    for (settings, expectation, holds) in [
        ("budget-ms = 2.4", "percentile = 50", false),
        ("budget-ms = 2.5", "percentile = 50", true),
        ("budget-ms = 1.9", "at-most-ms = 10000", true),
        ("budget-ms = 10000", "percentile = 100", true),
        // Of 36 frames four are long: 89 % are not.
        ("", "percentile = 95, at-most-ms = 19.9", false),
        ("", "of = 'nap', at-most-ms = 19.9", false),
        (
            "budgets-ms = { nap = 1.9 }",
            "of = 'nap', percentile = 1",
            false,
        ),
        (
            "budgets-ms = { nap = 10000 }",
            "of = 'nap', percentile = 100",
            true,
        ),
        // Of 36 frames four are long, which is 11 %.
        ("", "of = 'nap', percentile = 88, at-most-ms = 2", true),
        ("", "of = 'nap', percentile = 89, at-most-ms = 2", false),
        ("", "of = 'nap', percentile = 100, at-most-ms = 20", true),
    ] {
        let report = report(settings, expectation).expect("nothing fails");
        let outcome = &report.outcomes()[0];
        assert_eq!(outcome.held(), holds, "{settings} {expectation}: {outcome}");
        assert!(
            outcome.measured().contains("in 36 frames, against "),
            "{outcome}"
        );
        assert_eq!(
            outcome.measured().ends_with("in a debug build"),
            cfg!(debug_assertions)
        );
    }
}

#[test]
fn warm_up_is_a_tenth_unless_the_scene_says_otherwise() {
    for (settings, measured) in [("", 36), ("warm-up = 0", 40), ("warm-up = 25", 15)] {
        let report = report(settings, "at-most-ms = 10000").expect("nothing fails");
        assert_eq!(report.frames_profiled(), measured);
        assert_eq!(report.warm_up(), 40 - measured as u64);
        assert_eq!(report.statistics()[0].calls(), measured as u64);
    }
}

#[test]
fn a_budget_without_a_limit_or_a_run_says_so() {
    let no_limit = report("", "of = 'nap'").expect("nothing fails");
    let outcome = &no_limit.outcomes()[0];
    assert!(
        !outcome.held()
            && outcome
                .measured()
                .starts_with("it has no budget: give it one in `budgets-ms`")
    );
    let text = "title = 'nap'\nframes = 40\nwarm-up = 20\n[[expect]]\nframe = 10\nbudget = { at-most-ms = 10000 }\n";
    let early = run(&parse(text).expect("the scene is fine")).expect("nothing fails");
    assert!(
        early.outcomes()[0]
            .measured()
            .starts_with("it ran in no frame that was measured")
    );
}

#[test]
fn budgets_of_systems_that_are_not_there_are_refused() {
    for (settings, expectation) in [
        ("budgets-ms = { pan = 1 }", "at-most-ms = 1"),
        ("", "of = 'pan', at-most-ms = 1"),
    ] {
        let error = report(settings, expectation).expect_err("there is no such system");
        assert_eq!(error.system(), Some("pan"));
        assert!(error.to_string().contains("`nap`"), "{error}");
    }
}

#[test]
fn budgets_that_make_no_sense_are_faults() {
    let text = "title = 'nap'
frames = 10
budget-ms = -1
budgets-ms = { nap = 0 }
warm-up = 10

[[expect]]
by-frame = 3
budget = { percentile = 101, at-most-ms = 0 }
";
    let error = parse(text).expect_err("the scene is at fault");
    let faults = error.faults().iter();
    let told: Vec<String> = faults
        .map(|fault| format!("{}:{} {}", fault.line(), fault.column(), fault.message()))
        .collect();
    assert_eq!(
        told,
        [
            "3:13 nothing takes -1 ms",
            "4:22 nothing takes 0 ms",
            "5:11 after 10 frames of warm-up none of 10 is left",
            "9:10 a budget is kept over all frames, not in some frame",
            "9:25 101 % is no share of the frames",
            "9:43 nothing takes 0 ms",
        ]
    );
}
