//! A tag is a component without data. What changes who has which is recorded as edits and carried out when the phase ends.

use gerust::prelude::*;

struct Crate;
/// A tag: this one has been checked.
struct Checked;

claims! {
    type Unchecked = Rows<Entity, (Having<Crate>, Lacking<Checked>)>;
    type Done = Rows<Entity, Having<Checked>>;
}

fn check((rows, mut edits): (Unchecked, Edits)) {
    // One crate a frame.
    if let Some(first) = rows.iter().next() {
        edits.attach(first, Checked);
    }
}

fn clear((rows, mut edits): (Done, Edits)) {
    // Those that were checked in this very frame are not among them: no edit has been carried out yet.
    for done in rows.iter() {
        edits.despawn(done);
    }
}

fn main() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::bare();
    runtime.world_mut().spawn_many((0..3).map(|_| (Crate,)));
    runtime.add_system(
        System::named("check")
            .takes::<(Unchecked, Edits)>()
            .runs(check),
    )?;
    runtime.add_system(System::named("clear").takes::<(Done, Edits)>().runs(clear))?;
    for frame in 1..=4 {
        runtime.run_frames(1)?;
        let world = runtime.world();
        let checked = world.rows_where::<Entity, Having<Checked>>().iter().count();
        println!(
            "after frame {frame}: {} crates, {checked} checked",
            world.len()
        );
    }
    Ok(())
}
