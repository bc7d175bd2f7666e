//! Runs a scene file from a program, with a component and a system of the program's own, and checks what it expects.
//! Run it with `cargo run -p gerust-scene --example quay`.

use gerust::prelude::*;
use gerust_scene::{Registry, Scene};

/// How many trucks the pads have weighed: one for each that drove on.
#[derive(Default)]
struct Weighed(Vec<String>);

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../scenes/quay.toml");
    let scene = Scene::load(path, &Registry::standard())?;

    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit)?;
    runtime.world_mut().set_global(Weighed::default());
    runtime.add_system(
        System::named("weigh")
            .phase(Phase::React)
            .takes::<(Inbox<Contact>, Rows<&Name>, GlobalMut<Weighed>)>()
            .runs(|(mut contacts, names, mut weighed)| {
                for contact in contacts.take_unread() {
                    let pair = [contact.first, contact.second];
                    let name = |entity| names.get(entity).map_or("", Name::as_str);
                    let is_pad = pair.iter().any(|&entity| name(entity) == "weigh-pad");
                    if is_pad && contact.state == ContactState::Began {
                        weighed.0.extend(
                            pair.iter()
                                .map(|&entity| name(entity))
                                .filter(|name| name.starts_with("truck"))
                                .map(str::to_owned),
                        );
                    }
                }
            }),
    )?;

    let mut run = scene.start(runtime)?;
    while run.run_frame()? {}
    let weighed = &run.runtime().world().global::<Weighed>()?.0;
    println!("weighed: {}", weighed.join(", "));
    let report = run.report();
    println!("{report}");
    assert!(report.all_held());
    Ok(())
}
