//! A system that fails ends its frame with an error; the program replaces it and continues.

use gerust::prelude::*;
use gerust::{Error, ErrorKind};

/// The text that a sensor has sent.
struct Reading(&'static str);

#[derive(Default)]
struct Weighed {
    tonnes: f32,
    bad: u32,
}

claims! { type Scale = (Rows<&Reading>, GlobalMut<Weighed>); }

/// Fails on the first bad reading.
fn strict() -> System {
    System::named("weigh")
        .takes::<Scale>()
        .tries(|(readings, mut weighed)| {
            let mut tonnes = 0.0;
            for reading in &readings {
                tonnes += reading.0.parse::<f32>()?;
            }
            weighed.tonnes = tonnes;
            Ok(())
        })
}

/// Counts bad readings.
fn lenient() -> System {
    System::named("weigh")
        .takes::<Scale>()
        .runs(|(readings, mut weighed)| {
            weighed.tonnes = 0.0;
            for reading in &readings {
                match reading.0.parse::<f32>() {
                    Ok(tonnes) => weighed.tonnes += tonnes,
                    Err(_) => weighed.bad += 1,
                }
            }
        })
}

fn main() -> Result<(), Error> {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    world.set_global(Weighed::default());
    world.spawn_many(["20.5", "twelve", "8.25"].map(|text| (Reading(text),)));
    runtime.add_system(strict())?;

    let error = runtime.run_frames(1).unwrap_err();
    println!("{error}");
    println!(
        "kind: {:?}, system: {:?}, frame: {:?}",
        error.kind(),
        error.system(),
        error.frame()
    );
    assert_eq!(error.kind(), ErrorKind::SystemFailed);

    // A new version of the system, as after loading a library again.
    runtime.replace_system("weigh", lenient())?;
    runtime.run_frames(1)?;
    let weighed = runtime.world().global::<Weighed>()?;
    println!("{} t, {} bad readings", weighed.tonnes, weighed.bad);
    drop(weighed);

    // The same function, called once with what it claims, as in a unit test.
    let count = runtime
        .world_mut()
        .grant::<Rows<&Reading>, _>(|readings| readings.iter().count())?;
    println!("{count} readings");

    runtime.remove_system("weigh")?;
    println!("{}", runtime.remove_system("weigh").unwrap_err());
    Ok(())
}
