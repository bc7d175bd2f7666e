//! A sensor does not stop bodies and reports which ones are inside: contacts are posted as events when they begin and end.

use gerust::prelude::*;

struct Gate(Vec<String>);

claims! {
    type Watch = (Inbox<Contact>, Rows<&Name>, Global<Clock>, GlobalMut<Gate>);
}

fn watch((mut contacts, names, clock, mut gate): Watch<'_>) {
    for contact in contacts.take_unread() {
        let name = |entity| names.get(entity).map_or("somebody", Name::as_str);
        let (one, other) = (name(contact.first), name(contact.second));
        let what = match contact.state {
            ContactState::Began => "enters",
            ContactState::Ended => "leaves",
            ContactState::Held => continue,
        };
        gate.0
            .push(format!("frame {}: {other} {what} {one}", clock.frame()));
    }
}

fn main() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit)?;
    runtime.set_step_seconds(0.25)?;
    let world = runtime.world_mut();
    world.set_global(Gate(Vec::new()));
    world.spawn((
        Name::new("light gate"),
        Transform::default(),
        Collider::sensor(Aabb::from_center(Vec3::ZERO, Vec3::ONE)),
    ));
    world.spawn((
        Name::new("cart"),
        Transform::at(-5.0, 0.0, 0.0),
        Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5))),
        Velocity(Vec3::X * 4.0),
    ));
    runtime.add_system(
        System::named("watch")
            .phase(Phase::React)
            .takes::<Watch>()
            .runs(watch),
    )?;
    runtime.run_frames(12)?;
    for line in &runtime.world().global::<Gate>()?.0 {
        println!("{line}");
    }
    Ok(())
}
