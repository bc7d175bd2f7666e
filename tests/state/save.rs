//! Saving a runtime and loading it: the loaded one continues as if it had not stopped.

use crate::program::{Counts, Full, Horn, Load, end, program, started};
use gerust::ErrorKind;
use gerust::prelude::*;
use serde::{Deserialize, Serialize};

fn saved(runtime: &mut Runtime) -> Vec<u8> {
    let mut file = Vec::new();
    let unsaved = runtime.save(&mut file).expect("everything can be written");
    assert!(unsaved.is_empty(), "{unsaved}");
    file
}

#[test]
fn a_loaded_runtime_goes_the_same_way() {
    const LAST: u64 = 150;
    let wanted = end(&mut started(), LAST);
    assert_eq!(wanted.1.set_up, 1);
    assert!(wanted.1.began > 20 && wanted.1.ended > 10, "{:?}", wanted.1);
    for frame in [0, 1, 2, 20, 35, 49, 50, 63, 64, 77, 90, 119, 149, 150] {
        let mut runtime = started();
        runtime.run_frames(frame).expect("nothing fails");
        let file = saved(&mut runtime);
        // In a program that has done other things before.
        let mut other = program();
        if frame % 2 == 0 {
            other.run_frames(10).expect("nothing fails");
        }
        other
            .load(&file[..])
            .expect("it was saved by the same program");
        assert_eq!(
            saved(&mut other),
            file,
            "frame {frame}: it saves what it has loaded"
        );
        assert_eq!(end(&mut other, LAST), wanted, "loaded at frame {frame}");
        assert_eq!(end(&mut runtime, LAST), wanted, "saving changes nothing");
    }
}

#[test]
fn a_runtime_goes_back_to_what_it_has_saved() {
    let mut runtime = started();
    runtime.run_frames(60).expect("nothing fails");
    let file = saved(&mut runtime);
    let wanted = end(&mut runtime, 120);
    for _ in 0..2 {
        runtime.load(&file[..]).expect("it is its own");
        assert_eq!(end(&mut runtime, 120), wanted);
    }
}

#[test]
fn what_is_not_registered_is_named() {
    struct Secret;
    struct Weather;
    struct Splash;

    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    world.set_global(Weather);
    world.spawn((Transform::default(), Secret, Velocity(Vec3::X)));
    world.post(Splash);
    let unsaved = runtime.save(Vec::new()).expect("the rest can be written");
    assert_eq!(unsaved.components(), ["Secret", "Velocity"]);
    assert_eq!(unsaved.globals(), ["Weather"]);
    assert_eq!(unsaved.events(), ["Splash"]);
    assert_eq!(
        unsaved.to_string(),
        "unsaved components: `Secret`, `Velocity`; register them by `World::register_component`\n\
         unsaved globals: `Weather`; register them by `World::register_global`\n\
         unsaved events: `Splash`; register them by `World::register_event`"
    );
}

/// The error of loading a file into a fresh program, which it leaves unchanged.
fn refusal(file: &[u8]) -> gerust::Error {
    let mut runtime = program();
    runtime.world_mut().spawn((Name::new("witness"),));
    let before = saved(&mut runtime);
    let error = runtime.load(file).expect_err("it is refused");
    assert_eq!(
        saved(&mut runtime),
        before,
        "a refused file changes nothing"
    );
    error
}

#[test]
fn damage_is_noticed_wherever_it_is() {
    let mut runtime = program();
    runtime.set_enabled("set up", false).expect("it is there");
    runtime
        .world_mut()
        .spawn((Name::new("gull"), Transform::default()));
    let file = saved(&mut runtime);
    for at in 0..file.len() {
        let mut flipped = file.clone();
        flipped[at] ^= 1 << (at % 8);
        let error = refusal(&flipped);
        assert_eq!(error.kind(), ErrorKind::InvalidFile, "byte {at}: {error}");
        if at % 7 == 0 {
            let error = refusal(&file[..at]);
            assert_eq!(error.kind(), ErrorKind::InvalidFile, "{at} bytes: {error}");
        }
    }
    let longer = [&file[..], b"x"].concat();
    assert!(refusal(&longer).to_string().contains("the file is damaged"));
    for (text, message) in [
        (
            &b"title = 't'"[..],
            "cannot load a saved runtime: `Runtime::save` has not written this file; name one that it has written",
        ),
        (
            &b""[..],
            "cannot load a saved runtime: `Runtime::save` has not written this file; name one that it has written",
        ),
        (
            &file[..file.len() / 2],
            "cannot load a saved runtime: the file is cut off; save it again",
        ),
    ] {
        assert_eq!(refusal(text).to_string(), message);
    }
}

#[test]
fn what_the_program_does_not_know_is_refused_by_name() {
    let file = saved(&mut started());
    let mut bare = Runtime::new();
    bare.add_kit(StandardKit).expect("its names are free");
    let error = bare.load(&file[..]).unwrap_err();
    assert_eq!(
        error.to_string(),
        "cannot load a saved runtime: it has the global `counts`, which is not registered here; \
         register it by `World::register_global`"
    );
    let world = bare.world_mut();
    world
        .register_global::<Counts>("counts")
        .expect("it is free");
    let mut started = started();
    started.run_frames(2).expect("nothing fails");
    let file = saved(&mut started);
    let error = bare.load(&file[..]).unwrap_err();
    assert!(
        error
            .to_string()
            .contains("it has events `horn`, which are not registered here"),
        "{error}"
    );
    let world = bare.world_mut();
    world.register_event::<Horn>("horn").expect("it is free");
    let error = bare.load(&file[..]).unwrap_err();
    assert!(error.to_string().contains("`load` of entity"), "{error}");
}

#[test]
fn values_of_an_earlier_shape_are_upgraded() {
    #[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
    struct Cargo {
        kilograms: f64,
    }

    let mut old = Runtime::new();
    old.world_mut()
        .register_component::<Load>("load")
        .expect("it is free");
    let truck = old.world_mut().spawn((Load { tonnes: 2.5 },));
    let file = saved(&mut old);

    let mut new = Runtime::new();
    let world = new.world_mut();
    assert!(
        world
            .set_component_version::<Cargo>(2, |_, old| old.read())
            .is_err(),
        "it has no name yet"
    );
    world
        .register_component::<Cargo>("load")
        .expect("it is free");
    world
        .set_component_version::<Cargo>(3, |version, old| {
            assert_eq!(version, 1);
            let tonnes = old
                .at("tonnes")
                .ok_or_else(|| gerust::Error::new(ErrorKind::InvalidData, "no tonnes"))?;
            Ok(Cargo {
                kilograms: tonnes.read::<f64>()? * 1000.0,
            })
        })
        .expect("it has a name");
    new.load(&file[..]).expect("it is upgraded");
    assert_eq!(
        *new.world().get::<Cargo>(truck).expect("it lives"),
        Cargo { kilograms: 2500.0 }
    );

    let newer = saved(&mut new);
    new.load(&newer[..]).expect("it has this version");
    let error = old.load(&newer[..]).unwrap_err();
    assert_eq!(
        error.to_string(),
        "cannot load a saved runtime: the component `load` cannot be read: it was saved with version 3 of its shape, \
         and this program knows version 1; load it with the types that it was saved with"
    );
}

/// A registered global that the saved runtime lacked is removed; one that it did not know stays.
#[test]
fn globals_that_were_missing_are_missing_again() {
    let file = saved(&mut {
        let mut runtime = Runtime::new();
        let world = runtime.world_mut();
        world
            .register_global::<Counts>("counts")
            .expect("it is free");
        runtime
    });
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    world
        .register_global::<Counts>("counts")
        .expect("it is free");
    world.register_global::<Load>("load").expect("it is free");
    world.set_global(Counts::default());
    world.set_global(Load { tonnes: 1.0 });
    runtime.load(&file[..]).expect("it is well formed");
    assert!(runtime.world().find_global::<Counts>().is_none());
    assert!(runtime.world().find_global::<Load>().is_some());
}

#[test]
fn switches_and_systems_of_setup_are_kept() {
    let mut runtime = started();
    runtime.run_frames(3).expect("nothing fails");
    let file = saved(&mut runtime);
    let mut other = program();
    other.set_enabled("sound", false).expect("it is there");
    let late = System::named("late set-up")
        .phase(Phase::Setup)
        .takes::<Edits>()
        .runs(|mut edits| {
            edits.spawn((Name::new("late"),));
        });
    other.add_system(late).expect("the name is free");
    other.load(&file[..]).expect("it is the same program");
    let is_on = |name: &str| {
        other
            .schedule()
            .system(name)
            .expect("it is there")
            .is_enabled()
    };
    assert!(!is_on("idle") && is_on("sound"));
    other.run_frames(1).expect("nothing fails");
    assert_eq!(
        other
            .world()
            .global::<Counts>()
            .expect("it is there")
            .set_up,
        1
    );
    assert!(
        other.world().find("late").is_some(),
        "a new system of Setup still runs"
    );
}

#[test]
fn a_file_is_written_as_a_whole_or_not_at_all() {
    let folder = tempfile::tempdir().expect("there is room");
    let path = folder.path().join("quay.save");
    let mut runtime = started();
    runtime.save_file(&path).expect("the folder is writable");
    let first = std::fs::read(&path).expect("it is there");
    runtime.run_frames(5).expect("nothing fails");
    runtime.save_file(&path).expect("the folder is writable");
    assert_ne!(std::fs::read(&path).expect("it is there"), first);
    assert_eq!(
        std::fs::read_dir(folder.path())
            .expect("it is there")
            .count(),
        1,
        "nothing is left over"
    );
    let mut other = program();
    other.load_file(&path).expect("it was saved");
    assert_eq!(
        other
            .world()
            .global::<Clock>()
            .expect("it is there")
            .frame(),
        5
    );

    let missing = folder.path().join("no/quay.save");
    let error = runtime.save_file(&missing).unwrap_err();
    assert_eq!(error.kind(), ErrorKind::Io);
    assert!(
        error
            .to_string()
            .starts_with(&format!("cannot write `{}`: ", missing.display())),
        "{error}"
    );
    let error = runtime.load_file(&missing).unwrap_err();
    assert_eq!(error.kind(), ErrorKind::Io);

    let error = runtime.save(Full).unwrap_err();
    assert_eq!(
        error.to_string(),
        "cannot write the saved runtime: no space; pass a writer that works"
    );
}

#[cfg(unix)]
#[test]
fn a_saved_file_has_the_permissions_of_any_file_or_of_the_old_one() {
    use std::os::unix::fs::PermissionsExt;

    let folder = tempfile::tempdir().expect("there is room");
    let mode = |name: &str| {
        let file = std::fs::metadata(folder.path().join(name)).expect("it is there");
        file.permissions().mode() & 0o777
    };
    let mut runtime = program();
    let path = folder.path().join("quay.save");
    runtime.save_file(&path).expect("there is room");
    std::fs::write(folder.path().join("usual"), "").expect("there is room");
    assert_eq!(mode("quay.save"), mode("usual"));
    let owner_alone = std::fs::Permissions::from_mode(0o600);
    std::fs::set_permissions(&path, owner_alone).expect("it is ours");
    runtime.save_file(&path).expect("there is room");
    assert_eq!(mode("quay.save"), 0o600);
}
