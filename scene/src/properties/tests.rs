use super::*;
use crate::{Recording, RecordingWriter, Registry, Scene};
use gerust::Error;
use gerust::runtime::{Runtime, StandardKit};

fn runtime() -> Result<Runtime, Error> {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit)?;
    Ok(runtime)
}

fn built(draft: &SceneDraft) -> Scene {
    draft
        .build(&Registry::standard())
        .unwrap_or_else(|error| panic!("{error}{draft:?}"))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Every made scene is free of faults and has the same result on any number of threads.
    #[test]
    fn random_scenes_run_alike_on_any_number_of_threads(draft in scenes(Extent::default())) {
        let scene = built(&draft);
        let digest = |threads: usize| -> Result<u64, Error> {
            let mut runtime = runtime()?;
            if cfg!(feature = "parallel") {
                runtime.set_threads(threads)?;
                runtime.set_serial_below(std::time::Duration::ZERO);
            }
            let mut run = scene.start(runtime)?;
            while run.advance()? {}
            Ok(run.runtime().world().digest().expect("all can be written"))
        };
        let alone = digest(1).expect("nothing fails");
        prop_assert_eq!(alone, digest(2).expect("nothing fails"));
    }

    /// A recorded run that resumes at any frame continues in the same way.
    #[test]
    fn random_scenes_go_on_from_their_recordings(
        draft in scenes(Extent { frames: 40, ..Extent::default() }),
        from in any::<prop::sample::Index>(),
    ) {
        let scene = built(&draft);
        let mut run = scene.start(runtime().expect("it is made")).expect("it fits");
        let mut writer = RecordingWriter::begin(Vec::new(), &run).expect("memory does not fail");
        while run.advance().expect("nothing fails") {
            writer.note(&run).expect("memory does not fail");
        }
        let bytes = writer.finish(&run).expect("memory does not fail");
        let recording = Recording::from_bytes(bytes, "random.rec").expect("it is one");
        let from = from.index(run.frame() as usize + 1) as u64;
        let mut again = scene.start(runtime().expect("it is made")).expect("it fits");
        again.resume(&recording, from).expect("the frame is there");
        while again.advance().expect("nothing fails") {
            let digest = again.runtime().world().digest().expect("all can be written");
            prop_assert_eq!(Some(digest), recording.digest(again.frame()), "from {}", from);
        }
    }
}

#[test]
fn the_smallest_scene_that_fails_is_reported_and_runs_again() {
    let registry = Registry::standard();
    let folder = std::env::temp_dir().join(format!("gerust-properties-{}", std::process::id()));
    std::fs::create_dir_all(&folder).expect("there is room");
    let path = folder.join("failing.toml");
    let frames = if cfg!(feature = "stress") { 120 } else { 20 };
    let extent = Extent {
        frames,
        ..Extent::default()
    };
    let all = scenes(extent).prop_map(|scene| scene.expect("entities < 4"));
    let tries = if cfg!(feature = "stress") { 4_096 } else { 300 };
    let every = ForEvery::new(&registry, runtime)
        .tries(tries)
        .write_to(&path);
    let failing = every.check(&all).expect_err("most have more");
    // The floor and any three other entities, without any cue.
    let text = failing.draft().text();
    let (entities, cues) = (
        text.matches("[[entities]]").count(),
        text.matches("spawn").count(),
    );
    assert_eq!(entities + cues, 4, "{failing}");
    assert!(failing.to_string().contains("gerust run "), "{failing}");
    let again = Scene::load(&path, &registry).expect("it has no fault");
    let report = again
        .run(runtime().expect("it is made"))
        .expect("nothing fails");
    assert!(!report.all_held());
    // The same one is found again.
    let second = every.check(&all).expect_err("most have more");
    assert_eq!(second.draft().text(), text);
    std::fs::remove_dir_all(&folder).expect("it is there");
    let failing = every.tries(1).check(&all);
    let failing = failing.expect_err("most have more");
    assert!(failing.to_string().contains("it could not be written into"));
}
