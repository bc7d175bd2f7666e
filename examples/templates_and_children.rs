//! A template is copied with all that hangs below it; each copy can differ.

use gerust::prelude::*;

#[derive(Clone)]
struct Tonnes(f32);

fn main() -> Result<(), gerust::Error> {
    let hook = Template::named("hook").with(Transform::at(0.0, -8.0, 0.0));
    let trolley = Template::named("trolley")
        .with(Transform::at(0.0, 20.0, 0.0))
        .with(Tonnes(12.0))
        .child(hook);

    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    let rail = world.spawn((Transform::at(100.0, 0.0, 0.0),));
    let row = trolley.copies(world, 3, |number, copy| {
        let copy = copy
            .under(rail)
            .at(Vec3::new(10.0 * number as f32, 20.0, 0.0));
        match number {
            2 => copy.with(Tonnes(30.0)),
            _ => copy,
        }
    })?;
    // World placements are resolved.
    runtime.settle()?;
    let world = runtime.world();
    for &trolley in &row {
        let hook = world.children(trolley).next().expect("each has one");
        println!(
            "{} t, its hook at {}",
            world.get::<Tonnes>(trolley)?.0,
            world.get::<WorldTransform>(hook)?.translation()
        );
    }
    let made = world.rows::<&MadeFrom>();
    println!("made from templates: {}", made.iter().count());
    drop(made);
    // Descendants are despawned as well.
    runtime.world_mut().despawn(rail)?;
    println!("left: {}", runtime.world().len());
    Ok(())
}
