//! `gerust inspect`.

mod boxes;
mod contacts;
mod entities;
mod events;
mod graph;
mod memory;
mod plan;
mod plan_text;
mod recording;
mod systems;
mod tree;

pub(crate) use contacts::ContactView;
pub(crate) use memory::{AllocationsView, MemoryView};
pub(crate) use plan::{PlanOf, PlanView};
pub(crate) use recording::RecordingView;

use crate::Verdict;
use crate::arguments::{
    BoxesTopic, ContactsTopic, EntitiesTopic, EntityTopic, EventsTopic, InspectCommand,
    InspectTopic, MemoryTopic, PlanFormat, PlanTopic, RecordingTopic, SystemsTopic, Threads,
    TreeTopic,
};
use crate::engine::Engine;
use crate::failure::Failure;
use crate::output;
use crate::scene_file::SceneFile;
use boxes::BoxesView;
use contacts::ContactsView;
use entities::{EntitiesView, EntityView};
use events::EventsView;
use gerust::Runtime;
use gerust::schedule::Plan;
use gerust_scene::Recording;
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
        InspectTopic::Recording(topic) => recording(&command.scene, topic),
    }
}

/// Runs the scene to its end, so that the plan has measured times, and shows the plan.
fn plan(engine: &Engine, file: &SceneFile, topic: &PlanTopic) -> Verdict {
    if let Some(recording) = file.recording()? {
        return plan_of_recording(engine, file, &recording, topic);
    }
    let is_measured = matches!(topic.format, PlanFormat::Text | PlanFormat::Json);
    if is_measured {
        output::warn_of_debug_build();
    }
    let scene = file.load(engine)?;
    let frame = output::frame_within(&scene, topic.at)?;
    let mut run = scene.start(output::runtime(engine, topic.threads)?)?;
    output::advance_to(&mut run, frame)?;
    let plan = run.runtime().schedule().plan()?;
    let findings = run.runtime().findings()?;
    let of = PlanOf::scene(&scene, frame);
    let view = PlanView::new(of, run.runtime(), &plan, Some(&findings));
    show_plan(&view, &plan, topic.format)
}

/// Shows the plan of the engine in the state of the recording. Nothing ran, so there are no times.
fn plan_of_recording(
    engine: &Engine,
    file: &SceneFile,
    recording: &Recording,
    topic: &PlanTopic,
) -> Verdict {
    let mut runtime = output::runtime(engine, topic.threads)?;
    let frame = topic.at.unwrap_or(recording.last_frame());
    recording.restore_into(&mut runtime, engine.registry(), frame)?;
    let plan = runtime.schedule().plan()?;
    let of = PlanOf {
        file: file.path().display().to_string(),
        title: recording.title(),
        frames: frame,
    };
    let view = PlanView::new(of, &runtime, &plan, None);
    show_plan(&view, &plan, topic.format)
}

fn show_plan(view: &PlanView<'_>, plan: &Plan, format: PlanFormat) -> Verdict {
    match format {
        PlanFormat::Text => output::print(&plan_text::text(view))?,
        PlanFormat::Json => output::print_json(view)?,
        PlanFormat::Dot => output::print(&graph::dot(plan))?,
        PlanFormat::Mermaid => output::print(&graph::mermaid(plan))?,
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
    if !file.is_recording() {
        output::warn_of_debug_build();
    }
    let name = topic.name.as_deref();
    output::look_with(engine, file, topic.threads, topic.look.at, |seen| {
        let view = SystemsView::new(seen, name);
        output::show(&view, topic.look.format, SystemsView::text)
    })?;
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

/// Shows what a recording holds and why it was made.
fn recording(file: &SceneFile, topic: &RecordingTopic) -> Verdict {
    let recording = match file.recording()? {
        Some(recording) => recording,
        // The error says why it is none.
        None => Recording::load(file.path())?,
    };
    let view = RecordingView::new(&recording);
    output::show(&view, topic.format, RecordingView::text)?;
    Ok(true)
}

/// Shows what components take up, how that has grown, and what frames allocate.
fn memory(engine: &Engine, file: &SceneFile, topic: &MemoryTopic) -> Verdict {
    if let Some(recording) = file.recording()? {
        return memory_of_recording(engine, file, &recording, topic);
    }
    let scene = file.load(engine)?;
    let frame = output::frame_within(&scene, topic.look.at)?;
    let mut run = scene.start(output::runtime(engine, Threads::default())?)?;
    let before = run.runtime().world().memory();
    output::advance_to(&mut run, frame)?;
    let mut view = MemoryView::new(file, run.runtime().world(), frame, &before);
    view.allocations = AllocationsView::count(run.runtime_mut())?;
    output::show(&view, topic.look.format, MemoryView::text)?;
    Ok(true)
}

/// Shows the memory of the components of a recorded frame. No frame runs, so no allocations are listed.
fn memory_of_recording(
    engine: &Engine,
    file: &SceneFile,
    recording: &Recording,
    topic: &MemoryTopic,
) -> Verdict {
    let frame = topic.look.at.unwrap_or(recording.last_frame());
    let at = |frame| {
        let mut runtime = output::runtime(engine, Threads::default())?;
        recording.restore_into(&mut runtime, engine.registry(), frame)?;
        Ok::<Runtime, Failure>(runtime)
    };
    let (first, runtime) = (at(0)?, at(frame)?);
    let view = MemoryView::new(file, runtime.world(), frame, &first.world().memory());
    output::show(&view, topic.look.format, MemoryView::text)?;
    Ok(true)
}
