//! The behavior of a watcher, apart from terminals: keys in, state out.

use super::picture::{Camera, View};
use super::watched::Watched;
use crate::components;
use crate::draw::snapshot::Snapshot;
use crate::failure::Failure;
use gerust::{Entity, World};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use serde_json::{Map, Value as Json};
use std::time::Duration;

/// How fast a scene can run: times its own pace.
const SPEEDS: [f64; 9] = [0.0625, 0.125, 0.25, 0.5, 1.0, 2.0, 4.0, 8.0, 16.0];
const USUAL_SPEED: usize = 4;
/// Frames that run between two looks at most, so that keys are heard.
const MOST_AT_ONCE: u64 = 64;

/// Where the arrow keys go.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Panel {
    Systems,
    Tree,
}

/// A line of the tree.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) struct TreeLine {
    pub(super) entity: Entity,
    pub(super) depth: usize,
    pub(super) label: String,
}

pub(super) struct App<'s> {
    pub(super) watched: Watched<'s>,
    pub(super) is_running: bool,
    speed: usize,
    pub(super) view: View,
    pub(super) camera: Camera,
    pub(super) panel: Panel,
    pub(super) system: usize,
    pub(super) selected: Option<Entity>,
    /// The search text, and whether it is being typed.
    pub(super) search: String,
    pub(super) is_typing: bool,
    pub(super) message: String,
    pub(super) is_over: bool,
    /// Frames that are due, whole ones and a part.
    due: f64,
    /// Whose values these are, at which frame, and what they were at the frame that was seen before.
    seen: Option<(Entity, u64)>,
    pub(super) values: Vec<(String, String)>,
    before: Vec<(String, String)>,
}

impl<'s> App<'s> {
    pub(super) fn new(watched: Watched<'s>, view: View) -> Result<Self, Failure> {
        let camera = Camera::around(&Snapshot::take(watched.world())?);
        Ok(Self {
            watched,
            is_running: false,
            speed: USUAL_SPEED,
            view,
            camera,
            panel: Panel::Tree,
            system: 0,
            selected: None,
            search: String::new(),
            is_typing: false,
            message: String::new(),
            is_over: false,
            due: 0.0,
            seen: None,
            values: Vec::new(),
            before: Vec::new(),
        })
    }

    /// Looks at the values of the selected entity.
    pub(super) fn look(&mut self) {
        let world = self.watched.world();
        let selected = self.selected(world);
        let now = selected.map(|entity| (entity, self.watched.frame()));
        if now == self.seen {
            return;
        }
        let values = selected.map_or_else(Vec::new, |entity| values_of(world, entity));
        let is_same = self.seen.map(|(entity, _)| entity) == selected;
        let before = std::mem::replace(&mut self.values, values);
        self.before = if is_same { before } else { Vec::new() };
        self.seen = now;
    }

    /// Whether a value is another than at the frame that was seen before.
    pub(super) fn has_changed(&self, name: &str, value: &str) -> bool {
        let mut before = self.before.iter();
        let known = before.find(|(known, _)| known == name);
        known.is_some_and(|(_, known)| known != value)
    }

    pub(super) fn speed(&self) -> f64 {
        SPEEDS[self.speed]
    }

    /// Lets time pass: runs as many frames as are due.
    pub(super) fn pass(&mut self, time: Duration) -> Result<(), Failure> {
        if !self.is_running {
            self.due = 0.0;
            return Ok(());
        }
        let clock = self.watched.world().global::<gerust::Clock>()?;
        let step = f64::from(clock.step_seconds());
        drop(clock);
        // Rounding must not put off a frame whose time has come.
        self.due += time.as_secs_f64() * self.speed() / step + 1e-6;
        let frames = (self.due.floor() as u64).min(MOST_AT_ONCE);
        self.due -= self.due.floor();
        for _ in 0..frames {
            if !self.watched.forward()? {
                self.is_running = false;
                self.message = String::from("this is the end");
                break;
            }
        }
        Ok(())
    }

    pub(super) fn handle(&mut self, key: KeyEvent) -> Result<(), Failure> {
        self.message.clear();
        if key.code == KeyCode::Char('c') && key.modifiers.contains(KeyModifiers::CONTROL) {
            self.is_over = true;
            return Ok(());
        }
        if self.is_typing {
            self.handle_typing(key.code);
            return Ok(());
        }
        match key.code {
            KeyCode::Char('q') => self.is_over = true,
            KeyCode::Esc => self.search.clear(),
            KeyCode::Char(' ') => self.is_running = !self.is_running,
            KeyCode::Char('.') | KeyCode::Right => {
                self.is_running = false;
                if !self.watched.forward()? {
                    self.message = String::from("this is the end");
                }
            }
            KeyCode::Char(',') | KeyCode::Left => {
                self.is_running = false;
                if !self.watched.back()? {
                    self.message = String::from("this is the start");
                }
            }
            KeyCode::Char('+' | '=') => self.speed = (self.speed + 1).min(SPEEDS.len() - 1),
            KeyCode::Char('-') => self.speed = self.speed.saturating_sub(1),
            KeyCode::Char('v') => self.view = self.view.other(),
            KeyCode::Tab | KeyCode::BackTab => {
                self.panel = match self.panel {
                    Panel::Systems => Panel::Tree,
                    Panel::Tree => Panel::Systems,
                }
            }
            KeyCode::Up | KeyCode::Char('k') => self.step_selection(-1),
            KeyCode::Down | KeyCode::Char('j') => self.step_selection(1),
            KeyCode::Char('x') => self.toggle()?,
            KeyCode::Char('/') => {
                self.search.clear();
                self.is_typing = true;
                self.panel = Panel::Tree;
            }
            _ => {}
        }
        Ok(())
    }

    fn handle_typing(&mut self, key: KeyCode) {
        match key {
            KeyCode::Char(letter) => self.search.push(letter),
            KeyCode::Backspace => drop(self.search.pop()),
            KeyCode::Enter => self.is_typing = false,
            KeyCode::Esc => {
                self.search.clear();
                self.is_typing = false;
            }
            _ => return,
        }
        // The first result is selected, so that its values are shown while the user types.
        if !self.search.is_empty() {
            self.selected = self.tree().first().map(|line| line.entity);
        }
    }

    fn toggle(&mut self) -> Result<(), Failure> {
        let Some(name) = self.systems().get(self.system).cloned() else {
            return Ok(());
        };
        self.message = match self.watched.toggle(&name)? {
            Some(true) => format!("`{name}` is on"),
            Some(false) => format!("`{name}` is off: see what stands still"),
            None => String::from("a recording has run already: nothing can be switched"),
        };
        Ok(())
    }

    /// The names of all systems, in the order in which they run.
    pub(super) fn systems(&self) -> Vec<String> {
        let runtime = self.watched.running().unwrap_or(self.watched.shown());
        let systems = runtime.schedule().systems();
        systems.map(|system| system.name().to_owned()).collect()
    }

    /// All entities whose label contains what is searched for, each after what it is under.
    pub(super) fn tree(&self) -> Vec<TreeLine> {
        let world = self.watched.world();
        let mut roots: Vec<Entity> = world
            .rows::<Entity>()
            .iter()
            .filter(|&entity| world.parent(entity).is_none())
            .collect();
        roots.sort();
        let mut lines = Vec::new();
        for root in roots {
            for entity in std::iter::once(root).chain(world.descendants(root)) {
                lines.push(TreeLine {
                    entity,
                    depth: world.ancestors(entity).count(),
                    label: world.label(entity),
                });
            }
        }
        if !self.search.is_empty() {
            lines.retain(|line| line.label.contains(&self.search));
        }
        lines
    }

    /// The entity that is selected, if it is there.
    pub(super) fn selected(&self, world: &World) -> Option<Entity> {
        self.selected.filter(|&entity| world.contains(entity))
    }

    fn step_selection(&mut self, by: isize) {
        let moved = |at: usize, all: usize| at.saturating_add_signed(by).min(all.saturating_sub(1));
        match self.panel {
            Panel::Systems => self.system = moved(self.system, self.systems().len()),
            Panel::Tree => {
                let tree = self.tree();
                let at = self
                    .selected
                    .and_then(|entity| tree.iter().position(|line| line.entity == entity));
                let next = at.map_or(0, |at| moved(at, tree.len()));
                self.selected = tree.get(next).map(|line| line.entity);
            }
        }
    }
}

/// The components of an entity field by field, the most often needed ones first. Numbers have three decimals.
fn values_of(world: &World, entity: Entity) -> Vec<(String, String)> {
    const UNSEEN: [&str; 3] = ["links", "made-from", "name"];
    let all = components::of(world, entity).unwrap_or_default();
    let mut shown: Vec<(String, Json)> = all
        .into_iter()
        .filter(|(name, _)| !UNSEEN.contains(&name.as_str()))
        .collect();
    // Without a parent it is the transform.
    let parent = world.parent(entity);
    if let Some(placement) = parent.and_then(|_| components::placement_of(world, entity)) {
        shown.push((String::from("placement"), placement));
    }
    shown.sort_by_key(|(name, _)| match name.as_str() {
        "transform" => 0,
        "placement" => 2,
        "collider" => 3,
        _ => 1,
    });
    let mut lines = Vec::new();
    for (name, value) in &shown {
        list_fields(name, value, &mut lines);
    }
    lines
}

fn list_fields(name: &str, value: &Json, lines: &mut Vec<(String, String)>) {
    match value {
        Json::Object(fields) if is_turn(fields) => {
            let (degrees, axis) = (shortly(&fields["degrees"]), shortly(&fields["axis"]));
            lines.push((name.to_owned(), format!("{degrees}° about {axis}")));
        }
        Json::Object(fields) => {
            for (field, value) in fields {
                list_fields(&format!("{name}.{field}"), value, lines);
            }
        }
        value => lines.push((name.to_owned(), shortly(value))),
    }
}

fn is_turn(fields: &Map<String, Json>) -> bool {
    fields.len() == 2 && fields.contains_key("axis") && fields.contains_key("degrees")
}

fn shortly(value: &Json) -> String {
    match value {
        Json::Number(number) => match number.as_f64() {
            Some(number) if number.fract() != 0.0 => format!("{number:.3}"),
            // A whole number of any kind; minus zero is zero.
            Some(number) if number.abs() < 1e15 => format!("{}", number + 0.0),
            _ => number.to_string(),
        },
        Json::String(text) => text.clone(),
        Json::Array(items) => {
            let items: Vec<String> = items.iter().map(shortly).collect();
            items.join(", ")
        }
        other => components::inline(other),
    }
}
