//! Each scene of the engine as a test.

use gerust_cli::Engine;

fn engine() -> Engine {
    let mut engine = Engine::standard();
    own_engine::fuel(&mut engine);
    engine
}

gerust_scene::scene_tests! {
    runtime: engine().runtime().expect("the kits fit together"),
    registry: engine().registry(),
    dry: "scenes/dry.toml",
}
