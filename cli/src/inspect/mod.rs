//! `gerust inspect`.

mod boxes;
mod contacts;
mod entities;
mod events;
mod graph;
mod memory;
mod plan;
mod plan_text;
mod systems;
mod tree;

pub(crate) use contacts::ContactView;
pub(crate) use memory::{AllocationsView, MemoryView};
pub(crate) use plan::PlanView;

use crate::Verdict;
use crate::arguments::{
    BoxesTopic, ContactsTopic, EntitiesTopic, EntityTopic, EventsTopic, InspectCommand,
    InspectTopic, MemoryTopic, PlanFormat, PlanTopic, SystemsTopic, Threads, TreeTopic,
};
use crate::engine::Engine;
use crate::output;
use crate::scene_file::SceneFile;
use boxes::BoxesView;
use contacts::ContactsView;
use entities::{EntitiesView, EntityView};
use events::EventsView;
use systems::SystemsView;
use tree::TreeView;

pub(crate) fn run(engine: &Engine, command: &InspectCommand) -> Verdict {
    match &command.topic {
        InspectTopic::Plan(topic) => plan(engine, &command.scene, topic),
        InspectTopic::Entities(topic) => entities(engine, &command.scene, topic),
        InspectTopic::Entity(topic) => entity(engine, &command.scene, topic),
        InspectTopic::Systems(topic) => systems(engine, &command.scene, topic),
        InspectTopic::Events(topic) => events(engine, &command.scene, topic),
        InspectTopic::Tree(topic) => tree(engine, &command.scene, topic),
        InspectTopic::Boxes(topic) => boxes(engine, &command.scene, topic),
        InspectTopic::Contacts(topic) => contacts(engine, &command.scene, topic),
        InspectTopic::Memory(topic) => memory(engine, &command.scene, topic),
    }
}

/// Runs the scene to its end, so that the plan has measured times, and shows the plan.
fn plan(engine: &Engine, file: &SceneFile, topic: &PlanTopic) -> Verdict {
    let is_measured = matches!(topic.format, PlanFormat::Text | PlanFormat::Json);
    if is_measured {
        output::warn_of_debug_build();
    }
    let scene = file.load(engine)?;
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

/// Shows all entities.
fn entities(engine: &Engine, file: &SceneFile, topic: &EntitiesTopic) -> Verdict {
    output::look_at(engine, file, topic.look.at, |seen| {
        let view = EntitiesView::new(seen, topic)?;
        output::show(&view, topic.look.format, EntitiesView::text)
    })?;
    Ok(true)
}

/// Shows one entity.
fn entity(engine: &Engine, file: &SceneFile, topic: &EntityTopic) -> Verdict {
    output::look_at(engine, file, topic.look.at, |seen| {
        let view = EntityView::new(seen, output::find(seen, &topic.entity)?)?;
        output::show(&view, topic.look.format, EntityView::text)
    })?;
    Ok(true)
}

/// Shows what the systems reach and how often they have run.
fn systems(engine: &Engine, file: &SceneFile, topic: &SystemsTopic) -> Verdict {
    output::warn_of_debug_build();
    let scene = file.load(engine)?;
    let frame = output::frame_within(&scene, topic.look.at)?;
    let mut run = scene.start(output::runtime(engine, topic.threads)?)?;
    output::advance_to(&mut run, frame)?;
    let name = topic.name.as_deref();
    let view = SystemsView::new(
        scene.path().display().to_string(),
        frame,
        run.runtime(),
        name,
    );
    output::show(&view, topic.look.format, SystemsView::text)?;
    Ok(true)
}

/// Shows the events of a frame.
fn events(engine: &Engine, file: &SceneFile, topic: &EventsTopic) -> Verdict {
    output::look_at(engine, file, topic.look.at, |seen| {
        let view = EventsView::new(seen);
        output::show(&view, topic.look.format, EventsView::text)
    })?;
    Ok(true)
}

/// Shows who is where, under whom.
fn tree(engine: &Engine, file: &SceneFile, topic: &TreeTopic) -> Verdict {
    output::look_at(engine, file, topic.look.at, |seen| {
        let view = TreeView::new(seen, topic.name.as_deref());
        output::show(&view, topic.look.format, TreeView::text)
    })?;
    Ok(true)
}

/// Shows what is where.
fn boxes(engine: &Engine, file: &SceneFile, topic: &BoxesTopic) -> Verdict {
    output::look_at(engine, file, topic.look.at, |seen| {
        let view = BoxesView::new(seen, topic.layer.as_deref(), topic.name.as_deref())?;
        output::show(&view, topic.look.format, BoxesView::text)
    })?;
    Ok(true)
}

/// Shows what touches what.
fn contacts(engine: &Engine, file: &SceneFile, topic: &ContactsTopic) -> Verdict {
    output::look_at(engine, file, topic.look.at, |seen| {
        let of = topic.of.as_ref().map(|name| output::find(seen, name));
        let view = ContactsView::new(seen, of.transpose()?)?;
        output::show(&view, topic.look.format, ContactsView::text)
    })?;
    Ok(true)
}

/// Shows what components take up, how that has grown, and what frames allocate.
fn memory(engine: &Engine, file: &SceneFile, topic: &MemoryTopic) -> Verdict {
    let scene = file.load(engine)?;
    let frame = output::frame_within(&scene, topic.look.at)?;
    let mut run = scene.start(output::runtime(engine, Threads::default())?)?;
    let before = run.runtime().world().memory();
    output::advance_to(&mut run, frame)?;
    let mut view = MemoryView::new(&scene, run.runtime().world(), frame, &before);
    view.allocations = AllocationsView::count(run.runtime_mut())?;
    output::show(&view, topic.look.format, MemoryView::text)?;
    Ok(true)
}
