use super::*;
use crate::{Recording, RecordingWriter, Registry, Scene, SceneRun};
use gerust::Error;
use gerust::collide::{Body, Collider};
use gerust::runtime::{Runtime, StandardKit};
use gerust::space::Transform;
use gerust::store::{Entity, Name};
use std::collections::BTreeMap;

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
            while run.run_frame()? {}
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
        while run.run_frame().expect("nothing fails") {
            writer.note(&run).expect("memory does not fail");
        }
        let bytes = writer.finish(&run).expect("memory does not fail");
        let recording = Recording::from_bytes(bytes, "random.rec").expect("it is one");
        let from = from.index(run.frame() as usize + 1) as u64;
        let mut again = scene.start(runtime().expect("it is made")).expect("it fits");
        again.resume(&recording, from).expect("the frame is there");
        while again.run_frame().expect("nothing fails") {
            let digest = again.runtime().world().digest().expect("all can be written");
            prop_assert_eq!(Some(digest), recording.digest(again.frame()), "from {}", from);
        }
    }

    /// A scene that is read again as another one, and as itself later, has the entities of that one.
    #[test]
    fn random_scenes_turn_into_each_other(
        from in scenes(Extent { frames: 20, ..Extent::default() }),
        to in scenes(Extent { frames: 20, ..Extent::default() }),
    ) {
        let (from, to) = (built(&from), built(&to));
        let start = |scene: &Scene| scene.start(runtime().expect("it is made")).expect("it fits");
        let mut run = start(&from);
        let plain = start(&to);
        let done = run.reload(&to).expect("it fits");
        prop_assert_eq!(by_name(&run), by_name(&plain));
        prop_assert!(done.left_out.is_empty());
        let kept = done.unchanged + done.changed;
        prop_assert_eq!(kept + done.spawned, plain.runtime().world().len());
        prop_assert_eq!(kept + done.despawned, start(&from).runtime().world().len());
        let again = run.reload(&to).expect("it fits");
        prop_assert_eq!((again.changed, again.spawned, again.despawned), (0, 0, 0));
        while run.run_frame().expect("nothing fails") {}
    }
}

/// By name: the parent's name, and all that a scene file can say of an entity.
fn by_name(run: &SceneRun) -> BTreeMap<String, String> {
    let world = run.runtime().world();
    let registry = &run.scene().parts.registry;
    let rows = world.rows::<(Entity, &Name)>();
    rows.iter()
        .map(|(entity, name)| {
            let parent = world.parent(entity);
            let parent = parent.and_then(|parent| world.get::<Name>(parent).ok());
            let shown = registry
                .names()
                .map(|kind| registry.show(kind, world, entity));
            let facts = (
                parent.map(|name| name.to_string()),
                world.get::<Transform>(entity).ok().map(|held| *held),
                world.get::<Body>(entity).ok().map(|held| *held),
                world.get::<Collider>(entity).ok().map(|held| held.clone()),
                shown.collect::<Vec<_>>(),
            );
            (name.to_string(), format!("{facts:?}"))
        })
        .collect()
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
