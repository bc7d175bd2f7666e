//! Events: each inbox sees each event exactly once, whenever its system runs, and nothing has to be registered.

use gerust::prelude::*;

#[derive(Clone)]
struct Horn(&'static str);

/// What the watchman has noted.
struct Notes(Vec<String>);

fn main() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Notes(Vec::new()));
    runtime.add_system(
        System::named("ships")
            .takes::<(Global<Clock>, Outbox<Horn>)>()
            .runs(|(clock, mut horns)| match clock.frame() {
                1 => horns.post(Horn("barge")),
                3 => {
                    horns.post(Horn("ferry"));
                    horns.post(Horn("tug"));
                }
                _ => {}
            }),
    )?;
    runtime.add_system(
        System::named("watchman")
            .after("ships")
            .takes::<(Inbox<Horn>, Global<Clock>, GlobalMut<Notes>)>()
            .runs(|(mut horns, clock, mut notes)| {
                for Horn(ship) in horns.take_unread() {
                    notes.0.push(format!("frame {}: {ship}", clock.frame()));
                }
            }),
    )?;
    runtime.run_frames(2)?;
    // The watchman sleeps through frame 3, and hears of it when he is back.
    runtime.set_enabled("watchman", false)?;
    runtime.run_frames(1)?;
    runtime.set_enabled("watchman", true)?;
    runtime.run_frames(2)?;
    for note in &runtime.world().global::<Notes>()?.0 {
        println!("{note}");
    }
    Ok(())
}
