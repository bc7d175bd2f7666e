//! Gulls glide over a quay; one of them is perched.

use gerust::prelude::*;

/// Metres per second.
struct Glide(Vec3);
struct Perched;

fn main() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    for height in [12.0, 14.0, 16.0] {
        world.spawn((Transform::at(0.0, height, 0.0), Glide(Vec3::X * 3.0)));
    }
    world.spawn((Transform::at(-5.0, 9.0, 2.0), Glide(Vec3::X), Perched));

    runtime.add_system(
        System::named("glide")
            .takes::<(
                Rows<(&mut Transform, &Glide), Lacking<Perched>>,
                Global<Clock>,
            )>()
            .runs(|(mut gulls, clock)| {
                for (transform, glide) in gulls.iter_mut() {
                    transform.translation += glide.0 * clock.step_seconds();
                }
            }),
    )?;
    runtime.run_frames(120)?;

    for (entity, placed) in runtime.world().rows::<(Entity, &WorldTransform)>().iter() {
        let at = placed.translation();
        println!(
            "gull {entity} is at ({:.1}, {:.1}, {:.1})",
            at.x, at.y, at.z
        );
    }
    Ok(())
}
