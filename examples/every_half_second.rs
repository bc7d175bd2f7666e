//! A system that runs every half second of scene time at any step of a frame, and one that runs only under a condition.

use gerust::prelude::*;

/// Whether the tide is in.
struct Tide(bool);
struct Log(Vec<String>);

fn main() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::bare();
    runtime.set_step_seconds(0.2)?;
    runtime.world_mut().set_global(Tide(false));
    runtime.world_mut().set_global(Log(Vec::new()));
    runtime.add_system(
        System::named("lamp")
            .every(0.5)
            .takes::<(Global<Clock>, GlobalMut<Log>)>()
            .runs(|(clock, mut log)| log.0.push(format!("{:.1} s: blink", clock.seconds()))),
    )?;
    runtime.add_system(
        System::named("pump")
            .only_if::<Global<Tide>>(|tide| tide.0)
            .takes::<(Global<Clock>, GlobalMut<Log>)>()
            .runs(|(clock, mut log)| log.0.push(format!("{:.1} s: pump", clock.seconds()))),
    )?;
    runtime.run_frames(8)?;
    runtime.world_mut().global_mut::<Tide>()?.0 = true;
    runtime.run_frames(1)?;
    for line in &runtime.world().global::<Log>()?.0 {
        println!("{line}");
    }
    Ok(())
}
