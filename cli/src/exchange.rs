//! `gerust import` and `gerust export`.

use crate::Verdict;
use crate::arguments::{ExportCommand, ImportCommand, Threads};
use crate::engine::Engine;
use crate::failure::Failure;
use crate::output::{self, wrapped};
use crate::target::Target;
use gerust::gltf::{NodeTree, Skipped};
use gerust_scene::scene_of_nodes;

/// Repairs that are listed one by one.
const REPAIRS_LISTED: usize = 20;

pub(crate) fn import(engine: &Engine, command: &ImportCommand) -> Verdict {
    let target = Target::new(&command.output, [command.file.as_path()])?;
    let tree = NodeTree::load(&command.file)?;
    let stem = command.file.file_stem().unwrap_or_default();
    let (text, unknown) = scene_of_nodes(&tree, &stem.to_string_lossy(), engine.registry())?;
    target.write(text.as_bytes())?;
    output::print(&report(command, &tree, &unknown))?;
    Ok(true)
}

fn report(command: &ImportCommand, tree: &NodeTree, unknown: &[String]) -> String {
    let boxes = tree.nodes().iter().filter(|node| node.bounds().is_some());
    let mut text = format!(
        "{}: {}, {}\n",
        command.output.display(),
        counted(tree.nodes().len(), "node"),
        counted(boxes.count(), "collider"),
    );
    let skipped = skipped(tree.skipped());
    if !skipped.is_empty() {
        text.push_str(&wrapped(
            &format!("left out: {}", skipped.join(", ")),
            "  ",
            4,
        ));
    }
    if !unknown.is_empty() {
        let line = format!(
            "extras that no component is registered for: {}",
            unknown.join(", ")
        );
        text.push_str(&wrapped(&line, "  ", 4));
    }
    for repair in tree.repairs().iter().take(REPAIRS_LISTED) {
        text.push_str(&wrapped(&format!("repaired: {repair}"), "  ", 4));
    }
    let more = tree.repairs().len().saturating_sub(REPAIRS_LISTED);
    if more > 0 {
        text.push_str(&format!("  repaired: {more} more\n"));
    }
    text
}

fn counted(number: usize, what: &str) -> String {
    match number {
        1 => format!("1 {what}"),
        number => format!("{number} {what}s"),
    }
}

fn skipped(skipped: Skipped) -> Vec<String> {
    [
        (skipped.scenes, "other scene"),
        (skipped.skins, "skin"),
        (skipped.cameras, "camera"),
        (skipped.animations, "animation"),
        (skipped.lights, "light"),
    ]
    .into_iter()
    .filter(|&(number, _)| number > 0)
    .map(|(number, what)| counted(number, what))
    .collect()
}

pub(crate) fn export(engine: &Engine, command: &ExportCommand) -> Verdict {
    let is_gltf = command.output.extension().is_some_and(|end| end == "gltf");
    if !is_gltf {
        return Err(Failure::other(format!(
            "{} cannot be written: only the text form is known; name a file that ends in .gltf",
            command.output.display()
        )));
    }
    let scene = command.scene.load(engine)?;
    let target = Target::new(&command.output, scene.files_read())?;
    let frame = output::frame_within(&scene, command.at)?;
    let mut run = scene.start(output::runtime(engine, Threads::default())?)?;
    output::advance_to(&mut run, frame)?;
    target.write(gerust::gltf::export(run.runtime().world())?.as_bytes())?;
    output::print(&format!(
        "{}: the scene after frame {frame}",
        command.output.display()
    ))?;
    Ok(true)
}
