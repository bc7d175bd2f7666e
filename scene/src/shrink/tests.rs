use super::*;
use gerust::StandardKit;

fn runtime() -> Result<Runtime, Error> {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit)?;
    runtime.set_threads(1)?;
    Ok(runtime)
}

fn shrunk(text: &str) -> Shrunk {
    let registry = Registry::standard();
    Shrinker::new(&registry, runtime)
        .shrink(text, "x.toml")
        .unwrap_or_else(|error| panic!("{error}"))
}

const YARD: &str = r#"
# What it shows.
title = "a crate too many"
frames = 300

[parameters]
crates = 12
speed = 3

[layers]
goods = ["goods"]
gulls = []

[templates.crate]
collider = { size = [1, 1, 1], layer = "goods" }
body = { mass = 5 }
children = [{ name = "lid" }, { name = "label" }]

[templates.gull]
components.velocity = ["= speed", 0, 0]

[[entities]]
name = "quay"
transform = { translation = [0, -0.5, 0] }
collider = { size = [50, 1, 50] }

[[entities]]
name = "gull"
template = "gull"
arrange = { row = "= crates", step = [0, 0, 1] }

[[entities]]
name = "crate"
template = "crate"
arrange = { row = 6, step = [3, 0, 0] }
transform = { translation = [0, 2, 0] }

[[cues]]
frame = 20
do = [
  { despawn = "gull-1" },
  { spawn = { name = "late", template = "crate", transform = { translation = [0, 5, 5] } } },
]

[[cues]]
frame = 250
despawn = "gull-2"

[[rules]]
when = "frame = 7"
do = [{ change = { field = "gull-3.velocity.x", to = "0" } }]

[[expect]]
that = "gull-1 exists at frame 3"

[[expect]]
what = "no crate comes down"
that = "never crate-2 touches quay"

[[expect]]
that = "late exists"
"#;

#[test]
fn what_is_not_needed_goes() {
    let small = shrunk(YARD);
    assert!(small.is_smallest());
    let scene = Scene::parse(small.text(), "x.toml", &Registry::standard());
    let report = scene
        .expect("it has no fault")
        .run(runtime().expect("it is made"))
        .expect("nothing fails");
    let [failed] = report.outcomes() else {
        panic!("one expectation is left: {}", small.text());
    };
    assert!(!failed.held() && failed.what() == Some("no crate comes down"));
    assert_eq!(failed.frame(), report.frames(), "it ends where it fails");
    for gone in [
        "gull", "cues", "rules", "children", "\"late\"", "speed", "crates",
    ] {
        assert!(
            !small.text().contains(gone),
            "{gone} is in\n{}",
            small.text()
        );
    }
    for kept in ["quay", "# What it shows.", "row = 2", "body"] {
        assert!(
            small.text().contains(kept),
            "{kept} is not in\n{}",
            small.text()
        );
    }
    assert!(
        small.failure().contains("never up to frame 300"),
        "{}",
        small.failure()
    );
    // The smallest scene cannot be reduced further.
    let again = shrunk(small.text());
    assert_eq!(again.text(), small.text());
}

#[test]
fn a_loose_search_takes_another_value_for_the_same_failure() {
    let text = "title = 't'\nframes = 50\n[[entities]]\nname = 'a'\n[[entities]]\nname = 'b'\n\
                [[expect]]\nthat = 'entities = 9'\n";
    let registry = Registry::standard();
    let strict = shrunk(text);
    assert_eq!(strict.text().matches("[[entities]]").count(), 2);
    let loose = Shrinker::new(&registry, runtime)
        .loosely()
        .shrink(text, "x.toml");
    assert!(!loose.expect("it fails").text().contains("[[entities]]"));
    // One that is not there does not take the place of one that is too low.
    let text = "title = 't'\nframes = 9\n[[entities]]\nname = 'a'\ntransform = { translation = [0, -3, 0] }\n\
                [[cues]]\nframe = 5\ndespawn = 'a'\n[[expect]]\nthat = 'a.position.y > 0 at frame 2'\n";
    let loose = Shrinker::new(&registry, runtime)
        .loosely()
        .shrink(text, "x.toml");
    let loose = loose.expect("it fails");
    assert!(loose.text().contains("name = 'a'") && !loose.text().contains("despawn"));
}

#[test]
fn what_breaks_off_is_a_failure_as_well() {
    let text = "title = 't'\nframes = 50\n[[entities]]\nname = 'a'\n[[entities]]\nname = 'b'\n\
                transform = { translation = [1, 0, 0] }\n";
    let registry = Registry::standard();
    let mut shrinker = Shrinker::new(&registry, || {
        let mut runtime = Runtime::new();
        runtime.add_system(
            gerust::System::named("fault")
                .takes::<(
                    gerust::Global<gerust::Clock>,
                    gerust::Rows<&gerust::Transform>,
                )>()
                .runs(|(clock, rows)| {
                    let is_far = rows.iter().any(|transform| transform.translation.x > 0.5);
                    assert!(clock.frame() < 9 || !is_far, "too far");
                }),
        )?;
        Ok(runtime)
    });
    let hook = std::panic::take_hook();
    std::panic::set_hook(Box::new(|_| ()));
    let small = shrinker.shrink(text, "x.toml");
    std::panic::set_hook(hook);
    let small = small.expect("it fails");
    assert!(small.failure().contains("too far"), "{}", small.failure());
    assert_eq!(small.text().matches("[[entities]]").count(), 1);
}

#[test]
fn parameters_that_were_given_become_defaults() {
    let text = "title = 't'\nframes = 5\nparameters.crates = 2\n[[entities]]\nname = 'c'\n\
                arrange = { row = '= crates', step = [1, 0, 0] }\n\
                [[expect]]\nthat = 'entities < 5'\n";
    let registry = Registry::standard();
    let mut shrinker = Shrinker::new(&registry, runtime)
        .parameters(Parameters::new().with("crates", "40"))
        .loosely();
    let small = shrinker.shrink(text, "x.toml").expect("it fails");
    assert!(small.text().contains("crates = 5"), "{}", small.text());
}

#[test]
fn a_search_ends_after_the_most_runs() {
    let registry = Registry::standard();
    let mut told = Vec::new();
    let mut shrinker = Shrinker::new(&registry, runtime)
        .most_runs(4)
        .on_progress(|progress| told.push(*progress));
    let small = shrinker.shrink(YARD, "x.toml").expect("it fails");
    drop(shrinker);
    assert!(!small.is_smallest());
    assert_eq!((small.runs(), told.len()), (4, 3));
}

#[test]
fn scenes_with_faults_and_without_failures_are_refused() {
    let registry = Registry::standard();
    let mut shrinker = Shrinker::new(&registry, runtime);
    let told = |outcome: Result<Shrunk, ShrinkError>| outcome.expect_err("it is refused");
    let fine = told(shrinker.shrink("title = 't'\nframes = 1\n", "x.toml"));
    assert!(fine.to_string().starts_with("x.toml does not fail"));
    assert!(fine.scene_error().is_none());
    let faulty = told(shrinker.shrink("title = 3\n", "x.toml"));
    assert_eq!(
        faulty.scene_error().map(|error| error.faults().len()),
        Some(2)
    );
}
