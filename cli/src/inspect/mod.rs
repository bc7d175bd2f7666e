//! `gerust inspect`.

mod boxes;
mod contacts;
mod graph;
mod plan;
mod plan_text;
mod tree;

use crate::Verdict;
use crate::arguments::{
    BoxesTopic, ContactsTopic, Format, InspectCommand, InspectTopic, PlanFormat, PlanTopic,
    Threads, TreeTopic,
};
use crate::engine::Engine;
use crate::output;
use boxes::BoxesView;
use contacts::ContactsView;
use gerust::scene::Scene;
use plan::PlanView;
use std::path::Path;
use tree::TreeView;

pub(crate) fn run(engine: &Engine, command: &InspectCommand) -> Verdict {
    match &command.topic {
        InspectTopic::Plan(topic) => plan(engine, &command.scene, topic),
        InspectTopic::Tree(topic) => tree(engine, &command.scene, topic),
        InspectTopic::Boxes(topic) => boxes(engine, &command.scene, topic),
        InspectTopic::Contacts(topic) => contacts(engine, &command.scene, topic),
    }
}

/// Runs the scene to its end, so that the plan has measured times, and shows the plan.
fn plan(engine: &Engine, path: &Path, topic: &PlanTopic) -> Verdict {
    let is_measured = matches!(topic.format, PlanFormat::Text | PlanFormat::Json);
    if is_measured {
        output::warn_of_debug_build();
    }
    let scene = Scene::load(path, engine.registry())?;
    let mut run = scene.start(output::runtime(engine, topic.threads)?)?;
    output::advance_to(&mut run, scene.frames())?;
    let plan = run.runtime().schedule().plan()?;
    let findings = run.runtime().findings()?;
    let view = PlanView::new(&scene, run.runtime(), &plan, &findings);
    match topic.format {
        PlanFormat::Text => output::print(&plan_text::text(&view))?,
        PlanFormat::Json => output::print_json(&view)?,
        PlanFormat::Dot => output::print(&graph::dot(&plan))?,
        PlanFormat::Mermaid => output::print(&graph::mermaid(&plan))?,
    }
    Ok(true)
}

/// Runs the scene up to a frame and shows who is where, under whom.
fn tree(engine: &Engine, path: &Path, topic: &TreeTopic) -> Verdict {
    let scene = Scene::load(path, engine.registry())?;
    let frame = output::frame_within(&scene, topic.at)?;
    let mut run = scene.start(output::runtime(engine, Threads::default())?)?;
    output::advance_to(&mut run, frame)?;
    TreeView::new(&scene, run.runtime().world(), frame).print(topic.format == Format::Json)?;
    Ok(true)
}

/// Runs the scene up to a frame and shows what is where.
fn boxes(engine: &Engine, path: &Path, topic: &BoxesTopic) -> Verdict {
    let scene = Scene::load(path, engine.registry())?;
    let frame = output::frame_within(&scene, topic.at)?;
    let mut run = scene.start(output::runtime(engine, Threads::default())?)?;
    output::advance_to(&mut run, frame)?;
    let world = run.runtime().world();
    let view = BoxesView::new(&scene, world, frame, topic.layer.as_deref())?;
    view.print(topic.format == Format::Json)?;
    Ok(true)
}

/// Runs the scene up to a frame and shows what touches what.
fn contacts(engine: &Engine, path: &Path, topic: &ContactsTopic) -> Verdict {
    let scene = Scene::load(path, engine.registry())?;
    let frame = output::frame_within(&scene, topic.at)?;
    let mut run = scene.start(output::runtime(engine, Threads::default())?)?;
    output::advance_to(&mut run, frame)?;
    let world = run.runtime().world();
    let of = match &topic.of {
        Some(name) => Some(output::find(world, name, frame)?),
        None => None,
    };
    let view = ContactsView::new(&scene, world, frame, of)?;
    view.print(topic.format == Format::Json)?;
    Ok(true)
}
