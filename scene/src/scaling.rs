//! Loading costs in proportion to the size of the scene: twice the input, less than three times the steps of searches.

#[path = "../tests/scaling/inputs.rs"]
mod inputs;

use super::{Registry, Scene};
use gerust::runtime::Runtime;
use gerust::work::steps_of;
use inputs::INPUTS;

/// Loads a scene, and runs it if it has no faults.
fn run(text: &str) {
    if let Ok(scene) = Scene::parse(text, "t.toml", &Registry::standard()) {
        let mut runtime = Runtime::new();
        runtime.set_threads(1).expect("one thread can be had");
        scene.run(runtime).expect("nothing fails");
    }
}

#[test]
fn twice_the_scene_takes_less_than_three_times_the_steps() {
    for (what, text) in INPUTS {
        let steps = [400, 800].map(|size| steps_of(|| run(&text(size))));
        // Up to a hundred faults have suggestions, each among all names.
        let few = 400;
        assert!(
            steps[1] < 3 * steps[0].max(few),
            "{what}: {} steps became {}",
            steps[0],
            steps[1]
        );
    }
}
