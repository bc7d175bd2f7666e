//! Saves a runtime, loads it in a fresh one, and shows that both go the same way.

use gerust::prelude::*;
use serde::{Deserialize, Serialize};

/// Metres above the quay's zero.
#[derive(Clone, Serialize, Deserialize)]
struct Tide(f32);

/// A crate has come to rest on something.
#[derive(Clone, Serialize, Deserialize)]
struct Landed;

#[derive(Clone, Default, Serialize, Deserialize)]
struct Log {
    landed: u32,
}

/// Not registered, so it is not saved.
struct Paint;

/// The program: each process sets up the same systems and registers the same types.
fn quay() -> Result<Runtime, Error> {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    world.register_global::<Tide>("tide")?;
    world.register_global::<Log>("log")?;
    world.register_event::<Landed>("landed")?;
    world.set_global(Tide(0.0));
    world.set_global(Log::default());
    runtime.add_system(
        System::named("set up")
            .phase(Phase::Setup)
            .takes::<Edits>()
            .runs(|mut edits| {
                let floor =
                    Collider::solid(Aabb::from_center(Vec3::NEG_Y, Vec3::new(9.0, 1.0, 9.0)));
                edits.spawn((Name::new("quay"), Transform::default(), floor));
                for i in 0..3_u8 {
                    let place = Transform::at(0.0, 1.5 + 3.0 * f32::from(i), 0.0);
                    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
                    let name = Name::new(&format!("crate-{i}"));
                    edits.spawn((name, place, cube, Body::dynamic(), Paint));
                }
            }),
    )?;
    runtime.add_system(
        System::named("rise")
            .takes::<(GlobalMut<Tide>, Global<Clock>)>()
            .runs(|(mut tide, clock)| tide.0 += 0.1 * clock.step_seconds()),
    )?;
    runtime.add_system(
        System::named("land")
            .phase(Phase::React)
            .takes::<(Inbox<Contact>, Outbox<Landed>)>()
            .runs(|(mut contacts, mut landed)| {
                let began = contacts
                    .take_unread()
                    .filter(|contact| contact.state == ContactState::Began);
                began.for_each(|_| landed.post(Landed));
            }),
    )?;
    // It hears in the next frame: what is posted in the last frame before saving is in flight.
    runtime.add_system(
        System::named("log")
            .phase(Phase::Intake)
            .takes::<(Inbox<Landed>, GlobalMut<Log>)>()
            .runs(|(mut landed, mut log)| log.landed += landed.take_unread().count() as u32),
    )?;
    Ok(runtime)
}

fn state(runtime: &Runtime) -> Result<String, Error> {
    let world = runtime.world();
    Ok(format!(
        "frame {}, tide {:.2} m, {} landed, {} contacts, digest {:016x}",
        world.global::<Clock>()?.frame(),
        world.global::<Tide>()?.0,
        world.global::<Log>()?.landed,
        world.global::<Contacts>()?.iter().len(),
        world.digest()?,
    ))
}

fn main() -> Result<(), Error> {
    let folder = tempfile::tempdir().map_err(|error| Error::new(gerust::ErrorKind::Io, error))?;
    let path = folder.path().join("quay.save");

    let mut runtime = quay()?;
    runtime.run_frames(53)?;
    println!("saved:   {}", state(&runtime)?);
    println!("{}", runtime.save_file(&path)?);

    let mut other = quay()?;
    other.load_file(&path)?;
    println!("loaded:  {}", state(&other)?);

    runtime.run_frames(67)?;
    other.run_frames(67)?;
    println!("went on: {}", state(&runtime)?);
    println!("loaded:  {}", state(&other)?);

    std::fs::write(&path, "not a file of this program")
        .map_err(|error| Error::new(gerust::ErrorKind::Io, error))?;
    let error = other.load_file(&path).unwrap_err();
    println!("error:   {error}");
    Ok(())
}
