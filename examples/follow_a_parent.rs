//! A container changes hands: it hangs under a spreader, is set down on a truck, and stays where it is at that moment.

use gerust::prelude::*;

fn main() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit)?;
    runtime.set_step_seconds(0.5)?;
    let world = runtime.world_mut();
    let spreader = world.spawn((Transform::at(0.0, 10.0, 0.0), Velocity(Vec3::X * 2.0)));
    let container = world.spawn((Transform::at(0.0, -2.0, 0.0),));
    world.link(container, spreader)?;
    let truck = world.spawn((Transform::at(4.0, 1.0, 0.0),));

    let place = |runtime: &Runtime| -> Result<Vec3, gerust::Error> {
        Ok(runtime
            .world()
            .get::<WorldTransform>(container)?
            .translation())
    };
    runtime.run_frames(4)?;
    println!("under the spreader: {}", place(&runtime)?);

    runtime.world_mut().link_in_place(container, truck)?;
    runtime.run_frames(1)?;
    println!("handed over: {}", place(&runtime)?);

    runtime.world_mut().attach(truck, Velocity(Vec3::Z * 4.0))?;
    runtime.run_frames(2)?;
    println!("on the truck: {}", place(&runtime)?);
    // A circle is refused, with the way that it would take.
    let error = runtime.world_mut().link(truck, container).unwrap_err();
    println!("refused: {}", error.entity() == Some(truck));
    Ok(())
}
