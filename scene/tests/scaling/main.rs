//! Loading and starting a scene allocates in proportion to its size: twice the input, less than three times the bytes.

mod inputs;

use gerust::prelude::*;
use gerust_scene::{Registry, Scene};
use inputs::INPUTS;
use stats_alloc::{INSTRUMENTED_SYSTEM, Region, StatsAlloc};
use std::alloc::System as SystemAllocator;

#[global_allocator]
static ALLOCATOR: &StatsAlloc<SystemAllocator> = &INSTRUMENTED_SYSTEM;

fn bytes_of(text: &str) -> usize {
    let region = Region::new(ALLOCATOR);
    if let Ok(scene) = Scene::parse(text, "t.toml", &Registry::standard()) {
        let mut runtime = Runtime::new();
        runtime.set_threads(1).expect("one thread can be had");
        scene.run(runtime).expect("nothing fails");
    }
    region.change().bytes_allocated
}

// One test: bytes are counted for the whole process.
#[test]
fn twice_the_input_allocates_less_than_three_times_the_bytes() {
    #[cfg(feature = "gltf")]
    nodes_of_one_name_are_named_in_proportion();
    for (what, text) in INPUTS {
        let size = if cfg!(feature = "stress") { 1_000 } else { 400 };
        let bytes = [size, 2 * size].map(|size| bytes_of(&text(size)));
        assert!(
            bytes[1] < 3 * bytes[0],
            "{what}: {} bytes became {}",
            bytes[0],
            bytes[1]
        );
    }
}

/// Nodes of one name, each of which gets another.
#[cfg(feature = "gltf")]
fn nodes_of_one_name_are_named_in_proportion() {
    let bytes = [1_000, 2_000].map(|size| {
        let nodes = vec![r#"{ "name": "lamp" }"#; size].join(",");
        let places: Vec<String> = (0..size).map(|place| place.to_string()).collect();
        let text = format!(
            r#"{{ "asset": {{ "version": "2.0" }}, "scenes": [{{ "nodes": [{}] }}], "nodes": [{nodes}] }}"#,
            places.join(",")
        );
        let region = Region::new(ALLOCATOR);
        let tree = gerust::gltf::NodeTree::from_slice(text.as_bytes()).expect("it is a glTF file");
        assert_eq!(tree.nodes().len(), size);
        region.change().bytes_allocated
    });
    assert!(
        bytes[1] < 3 * bytes[0],
        "{} bytes became {}",
        bytes[0],
        bytes[1]
    );
}
