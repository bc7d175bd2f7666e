//! Tests a kit of your own with random scripts of pushes, falls and links. A failing scene is reduced to the smallest one that still
//! fails, and written as a file.

use gerust::prelude::*;
use gerust_scene::properties::{Extent, ForEvery, scenes};
use gerust_scene::{Registry, SceneDraft};
use proptest::strategy::Strategy;

/// Keeps everything within the yard, except for a bug: it has no lower limit.
fn fence(runtime: &mut Runtime) -> Result<(), gerust::Error> {
    runtime.add_system(
        System::named("fence")
            .phase(Phase::Move)
            .before("move: place without links")
            .takes::<Rows<(&mut Transform, &Body)>>()
            .runs(|mut rows| {
                rows.each(|(transform, _)| {
                    let within = transform
                        .translation
                        .clamp(Vec3::splat(-40.0), Vec3::splat(40.0));
                    // Written only where something changes.
                    if transform.translation != within {
                        transform.translation = within;
                    }
                });
            }),
    )
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let registry = Registry::standard();
    let runtime = || {
        let mut runtime = Runtime::new();
        fence(&mut runtime)?;
        Ok(runtime)
    };
    let extent = Extent {
        nodes: 0,
        boxes: 4,
        cues: 4,
        frames: 40,
    };
    let holding = scenes(extent).prop_map(|scene: SceneDraft| scene.expect("always entities >= 1"));
    ForEvery::new(&registry, runtime)
        .cases(16)
        .check(&holding)?;
    println!("the floor is always there");

    let wrong = scenes(extent).prop_map(|scene: SceneDraft| scene.expect("entities = 1"));
    let failing = ForEvery::new(&registry, runtime)
        .cases(16)
        .check(&wrong)
        .unwrap_err();
    let text = failing.draft().text();
    println!(
        "fails: {}",
        failing.reason().lines().last().unwrap_or_default().trim()
    );
    println!(
        "entities in the smallest scene: {}",
        text.matches("[[entities]]").count()
    );
    Ok(())
}
