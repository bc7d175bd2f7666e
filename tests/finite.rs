//! Placements that are not finite end the frame with an error that names the entity, the system and the frame.

use gerust::prelude::*;

fn runtime_with(names: &[&str]) -> Runtime {
    let mut runtime = Runtime::new();
    for name in names {
        runtime
            .world_mut()
            .spawn((Name::new(name), Transform::default()));
    }
    runtime
}

/// Writes NaN into the transform of one entity in one frame.
fn slip(name: &str, of: &str, frame: u64) -> System {
    let of = of.to_owned();
    System::named(name)
        .takes::<(Rows<(&mut Transform, &Name)>, Global<Clock>)>()
        .runs(move |(mut rows, clock)| {
            if clock.frame() == frame {
                for (transform, name) in rows.iter_mut() {
                    if name.as_str() == of {
                        transform.translation.y = f32::NAN;
                    }
                }
            }
        })
}

#[test]
fn the_error_names_entity_system_and_frame() -> Result<(), gerust::Error> {
    let mut runtime = runtime_with(&["mast", "lamp", "buoy"]);
    runtime.add_system(slip("sway", "lamp", 3))?;
    runtime.run_frames(2)?;
    let error = runtime
        .run_frames(5)
        .expect_err("a placement is not finite");
    let lamp = runtime.world().find("lamp");
    assert_eq!(
        (error.entity(), error.system(), error.frame()),
        (lamp, Some("sway"), Some(3))
    );
    let text = error.to_string();
    assert!(
        text.contains("lamp") && text.contains("after frame 3") && text.contains("NaN"),
        "{text}"
    );
    // It lasts until it is put right.
    let error = runtime.run_frames(1).expect_err("it is still not finite");
    assert_eq!(error.frame(), Some(4));
    let lamp = lamp.expect("it is there");
    runtime
        .world_mut()
        .get_mut::<Transform>(lamp)?
        .translation
        .y = 1.0;
    runtime.run_frames(2)
}

#[test]
fn only_systems_that_write_the_row_are_named() -> Result<(), gerust::Error> {
    struct Painted;
    let mut runtime = runtime_with(&["mast"]);
    runtime.add_system(slip("sway", "mast", 1))?;
    runtime.add_system(
        System::named("paint")
            .takes::<Rows<&mut Transform, Having<Painted>>>()
            .runs(|_| ()),
    )?;
    runtime.add_system(
        System::named("look")
            .takes::<Rows<&Transform>>()
            .runs(|_| ()),
    )?;
    let error = runtime
        .run_frames(1)
        .expect_err("a placement is not finite");
    assert_eq!(error.system(), Some("sway"));

    // Where several can have written it, all are named.
    runtime.add_system(
        System::named("rock")
            .takes::<Rows<&mut Transform>>()
            .runs(|_| ()),
    )?;
    let error = runtime.run_frames(1).expect_err("it is still not finite");
    assert_eq!(error.system(), None);
    assert!(
        error.to_string().contains("the systems `sway`, `rock`"),
        "{error}"
    );
    Ok(())
}

#[test]
fn what_the_program_writes_is_found_with_and_without_links_and_colliders()
-> Result<(), gerust::Error> {
    type Slip = (&'static str, fn(&mut Transform));
    let slips: [Slip; 4] = [
        ("translation", |transform| {
            transform.translation.x = f32::INFINITY
        }),
        ("rotation", |transform| transform.rotation.w = f32::NAN),
        ("scale", |transform| transform.scale.z = f32::NEG_INFINITY),
        ("product", |transform| transform.scale = Vec3::splat(1e30)),
    ];
    for (what, write) in slips {
        for is_linked in [false, true] {
            for has_collider in [false, true] {
                let mut runtime = Runtime::new();
                let world = runtime.world_mut();
                let entity = world.spawn((Name::new("it"), Transform::default()));
                let others: Vec<Entity> = (0..200)
                    .map(|_| world.spawn((Transform::default(),)))
                    .collect();
                if is_linked || what == "product" {
                    world.link(entity, others[7])?;
                    world.get_mut::<Transform>(others[7])?.scale = Vec3::splat(1e30);
                }
                if has_collider {
                    world.attach(entity, Collider::sensor(Aabb::default()))?;
                }
                runtime.run_frames(1)?;
                write(runtime.world_mut().get_mut::<Transform>(entity)?);
                let error = runtime.run_frames(1).expect_err(what);
                assert_eq!(error.entity(), Some(entity), "{what}: {error}");
                assert!(error.to_string().contains("the program did"), "{error}");
                assert!(runtime.settle().is_err());
                runtime.world_mut().despawn(entity)?;
                runtime.run_frames(1)?;
            }
        }
    }
    Ok(())
}

/// Large numbers whose sum overflows are finite all the same.
#[test]
fn far_places_are_no_error() -> Result<(), gerust::Error> {
    let mut runtime = runtime_with(&["star"]);
    let star = runtime.world().find("star").expect("it is there");
    let transform = runtime.world_mut().get_mut::<Transform>(star)?;
    transform.translation = Vec3::splat(3e38);
    transform.scale = Vec3::splat(3e38);
    runtime.run_frames(2)
}

#[cfg(feature = "gltf")]
#[test]
fn no_export_has_them() {
    let mut world = World::new();
    let lamp = world.spawn((Name::new("lamp"), Transform::at(0.0, f32::NAN, 0.0)));
    let error = gerust::gltf::export(&world).expect_err("it is not finite");
    assert!(error.to_string().contains("lamp"), "{error}");
    world.despawn(lamp).expect("it is there");
    assert!(gerust::gltf::export(&world).is_ok());
}
