//! Draws what is watched.

use super::app::{App, Panel};
use super::picture::{Mark, picture};
use crate::draw::snapshot::{Look, Snapshot};
use crate::output;
use gerust::profile::{Category, FrameProfile};
use gerust::{Clock, Runtime};
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Paragraph};
use std::time::Duration;

/// Whether colors are used: not if `NO_COLOR` is set to anything.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Palette {
    Colors,
    Plain,
}

impl Palette {
    pub(super) fn of_environment() -> Self {
        match std::env::var_os("NO_COLOR") {
            Some(value) if !value.is_empty() => Self::Plain,
            _ => Self::Colors,
        }
    }

    /// One of the 16 colors that every terminal has.
    fn style(self, color: Color) -> Style {
        match self {
            Self::Colors => Style::new().fg(color),
            Self::Plain => Style::new(),
        }
    }
}

/// The least that all of it fits into.
const LEAST: (u16, u16) = (80, 24);

pub(super) fn draw(frame: &mut Frame<'_>, app: &App<'_>, palette: Palette) {
    let area = frame.area();
    if area.width < LEAST.0 || area.height < LEAST.1 {
        let text = format!(
            "this terminal has {}x{} letters; watching takes {}x{} - make it larger, or press q",
            area.width, area.height, LEAST.0, LEAST.1
        );
        frame.render_widget(Paragraph::new(text), area);
        return;
    }
    let [head, upper, strip, lower, keys] = Layout::vertical([
        Constraint::Length(1),
        Constraint::Fill(5),
        Constraint::Length(4),
        Constraint::Fill(4),
        Constraint::Length(1),
    ])
    .areas(area);
    let [scene, systems] =
        Layout::horizontal([Constraint::Fill(1), Constraint::Length(38)]).areas(upper);
    let [tree, entity] =
        Layout::horizontal([Constraint::Length(30), Constraint::Fill(1)]).areas(lower);
    frame.render_widget(Paragraph::new(heading(app, head.width)), head);
    draw_scene(frame, app, palette, scene);
    draw_systems(frame, app, palette, systems);
    draw_strip(frame, app, palette, strip);
    draw_tree(frame, app, tree);
    draw_entity(frame, app, palette, entity);
    frame.render_widget(Paragraph::new(footer(app)), keys);
}

fn heading(app: &App<'_>, width: u16) -> Line<'static> {
    let watched = &app.watched;
    let state = match (
        app.is_running,
        watched.is_past(),
        watched.running().is_none(),
    ) {
        (true, false, false) => "runs",
        (true, _, _) => "replays",
        (false, true, _) => "stands, in the past",
        (false, false, _) => "stands",
    };
    let seconds = watched.world().global::<Clock>();
    let seconds = seconds.map_or(0.0, |clock| clock.seconds());
    let told = format!(
        " - frame {} of {}, {seconds:.2} s, {state}, speed {}",
        watched.frame(),
        watched.last_frame(),
        app.speed(),
    );
    // How it stands is worth more than the end of a long title.
    let room = usize::from(width).saturating_sub(told.chars().count());
    let title = output::shortened(watched.title(), room);
    Line::from(vec![
        Span::styled(title, Style::new().add_modifier(Modifier::BOLD)),
        Span::raw(told),
    ])
}

fn footer(app: &App<'_>) -> Line<'static> {
    if app.is_typing {
        return Line::from(format!(
            "find: {}_   enter keeps it, esc drops it",
            app.search
        ));
    }
    if !app.message.is_empty() {
        let bold = Style::new().add_modifier(Modifier::BOLD);
        return Line::from(Span::styled(app.message.clone(), bold));
    }
    Line::from("space run  . step  , back  +- speed  v view  tab panel  ↑↓ x off  / find  q quit")
}

fn draw_scene(frame: &mut Frame<'_>, app: &App<'_>, palette: Palette, area: Rect) {
    let block = Block::bordered()
        .title(format!("from the {}", app.view.name()))
        .title_bottom(legend(palette));
    let inner = block.inner(area);
    frame.render_widget(block, area);
    let world = app.watched.world();
    let Ok(snapshot) = Snapshot::take(world) else {
        return;
    };
    let size = (inner.width, inner.height);
    let cells = picture(&snapshot, &app.camera, app.view, app.selected(world), size);
    let lines = cells.into_iter().map(|row| {
        // Letters of one kind in a row are one span.
        let runs = row.chunk_by(|a, b| a == b);
        let spans = runs.map(|run| {
            let text: String = run.iter().map(|mark| mark.letter()).collect();
            Span::styled(text, look_of(run[0], palette))
        });
        Line::from(spans.collect::<Vec<_>>())
    });
    frame.render_widget(Paragraph::new(lines.collect::<Vec<_>>()), inner);
}

fn look_of(mark: Mark, palette: Palette) -> Style {
    match mark {
        Mark::Nothing => Style::new(),
        Mark::Box(Look::Static) => palette.style(Color::Gray),
        Mark::Box(Look::Kinematic) => palette.style(Color::Magenta),
        Mark::Box(Look::Dynamic) => palette.style(Color::Cyan),
        Mark::Box(Look::Sensor) => palette.style(Color::Yellow),
        Mark::Box(Look::Off) => palette.style(Color::DarkGray),
        Mark::Point => palette.style(Color::LightBlue),
        Mark::Contact => palette.style(Color::Red),
        Mark::Selected => palette.style(Color::White).add_modifier(Modifier::BOLD),
    }
}

/// What the letters stand for.
fn legend(palette: Palette) -> Line<'static> {
    let kinds = [
        (Mark::Box(Look::Static), "static "),
        (Mark::Box(Look::Kinematic), "kinem. "),
        (Mark::Box(Look::Dynamic), "dynam. "),
        (Mark::Box(Look::Sensor), "sensor "),
        (Mark::Contact, "touch"),
    ];
    let spans = kinds.into_iter().flat_map(|(mark, name)| {
        let letter = Span::styled(mark.letter().to_string(), look_of(mark, palette));
        [letter, Span::raw(name)]
    });
    Line::from(spans.collect::<Vec<_>>())
}

/// The frame that ran last, warm-up or not.
fn last_profile(runtime: &Runtime) -> Option<&FrameProfile> {
    runtime.profiler().frames().last()
}

fn draw_systems(frame: &mut Frame<'_>, app: &App<'_>, palette: Palette, area: Rect) {
    let block = Block::bordered().title("systems: time in the last frame");
    let inner = block.inner(area);
    frame.render_widget(block, area);
    let Some(runtime) = app.watched.running() else {
        let text = "a recording: no system runs here";
        frame.render_widget(Paragraph::new(text), inner);
        return;
    };
    let profile = last_profile(runtime);
    let time_of = |name: &str| {
        let spans = profile.into_iter().flat_map(|profile| profile.spans());
        let mut own = spans.filter(|span| span.category() == Category::System);
        let span = own.find(|span| runtime.profiler().name_of(span) == name)?;
        Some(Duration::from_nanos(span.nanoseconds()))
    };
    let systems: Vec<_> = runtime.schedule().systems().collect();
    let visible = usize::from(inner.height);
    let first = first_visible(app.system, systems.len(), visible);
    let lines = systems.iter().enumerate().skip(first).take(visible);
    let lines = lines.map(|(at, system)| {
        let width = usize::from(inner.width).saturating_sub(11);
        let name = output::shortened(system.name(), width);
        let (told, style) = match (system.is_enabled(), time_of(system.name())) {
            (false, _) => (String::from("off"), palette.style(Color::DarkGray)),
            (true, None) => (String::from("-"), Style::new()),
            (true, Some(time)) => (output::time(time), Style::new()),
        };
        let mark = if system.is_enabled() { ' ' } else { '×' };
        let line = Line::from(format!("{mark}{name:<width$} {told:>9}")).style(style);
        highlight(line, at == app.system && app.panel == Panel::Systems)
    });
    frame.render_widget(Paragraph::new(lines.collect::<Vec<_>>()), inner);
}

/// The first visible line of a list, so that the selected line is visible.
fn first_visible(at: usize, all: usize, visible: usize) -> usize {
    let middle = at.saturating_sub(visible / 2);
    middle.min(all.saturating_sub(visible))
}

fn highlight(line: Line<'_>, is_selected: bool) -> Line<'_> {
    match is_selected {
        true => line.patch_style(Style::new().add_modifier(Modifier::REVERSED)),
        false => line,
    }
}

/// Frame times as bars, each an eighth of a letter in height, with the budget as a line.
fn draw_strip(frame: &mut Frame<'_>, app: &App<'_>, palette: Palette, area: Rect) {
    let Some(runtime) = app.watched.running() else {
        let block = Block::bordered().title("frame times are not recorded");
        frame.render_widget(block, area);
        return;
    };
    let profiler = runtime.profiler();
    let budget = profiler.budget();
    let width = usize::from(area.width).saturating_sub(2);
    let frames = profiler.frames();
    let skipped = frames.len().saturating_sub(width);
    let times: Vec<Duration> = frames.skip(skipped).map(FrameProfile::duration).collect();
    let last = times.last().copied().unwrap_or_default();
    let worst = times.iter().copied().max().unwrap_or_default();
    // Frames would be flat against a budget that they do not come near, or against the one that was much slower.
    let top = usual_worst(&times)
        .max(Duration::from_micros(1))
        .mul_f64(1.5);
    let shows_budget = budget <= top;
    let title = format!(
        "frame time, after a rest: {}, worst shown {}, budget {}{}",
        output::time(last),
        output::time(worst),
        output::time(budget),
        if shows_budget { " (line)" } else { "" },
    );
    let block = Block::bordered().title(title);
    let inner = block.inner(area);
    frame.render_widget(block, area);
    let rows = usize::from(inner.height).max(1);
    let eighths = |time: Duration| {
        // A value above the scale fills its column.
        let share = (time.as_secs_f64() / top.as_secs_f64()).min(1.0);
        (share * rows as f64 * 8.0).round() as usize
    };
    let line_row = eighths(budget) / 8;
    let lines = (0..rows).rev().map(|row| {
        let cells = times.iter().map(|&time| {
            let filled = eighths(time).saturating_sub(row * 8).min(8);
            let is_over = time > budget;
            let style = match is_over {
                true => palette.style(Color::Red).add_modifier(Modifier::BOLD),
                false => palette.style(Color::Green),
            };
            let letter = match filled {
                0 if shows_budget && row == line_row => '─',
                filled => [' ', '▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'][filled],
            };
            Span::styled(letter.to_string(), style)
        });
        Line::from(cells.collect::<Vec<_>>())
    });
    frame.render_widget(Paragraph::new(lines.collect::<Vec<_>>()), inner);
}

/// Below which 95 % of the times are.
fn usual_worst(times: &[Duration]) -> Duration {
    let mut sorted = times.to_vec();
    sorted.sort();
    let at = sorted.len() * 95 / 100;
    sorted.get(at).copied().unwrap_or_default()
}

fn draw_tree(frame: &mut Frame<'_>, app: &App<'_>, area: Rect) {
    let tree = app.tree();
    let title = match app.search.as_str() {
        "" => format!("{} entities", tree.len()),
        search => format!("{} with `{search}`", tree.len()),
    };
    let block = Block::bordered().title(title);
    let inner = block.inner(area);
    frame.render_widget(block, area);
    let at = tree
        .iter()
        .position(|line| Some(line.entity) == app.selected);
    let visible = usize::from(inner.height);
    let first = first_visible(at.unwrap_or(0), tree.len(), visible);
    let lines = tree.iter().enumerate().skip(first).take(visible);
    let lines = lines.map(|(number, line)| {
        let indent = " ".repeat(line.depth);
        let text = format!("{indent}{}", line.label);
        let text = output::shortened(&text, usize::from(inner.width));
        highlight(Line::from(text), Some(number) == at)
    });
    frame.render_widget(Paragraph::new(lines.collect::<Vec<_>>()), inner);
}

fn draw_entity(frame: &mut Frame<'_>, app: &App<'_>, palette: Palette, area: Rect) {
    let world = app.watched.world();
    let selected = app.selected(world);
    let title = match (selected, app.selected) {
        (Some(entity), _) => world.label(entity),
        (None, Some(_)) => String::from("the selected entity has gone"),
        (None, None) => String::from("no entity is selected: ↑ and ↓ do"),
    };
    let block = Block::bordered().title(title);
    let inner = block.inner(area);
    frame.render_widget(block, area);
    let (width, visible) = (usize::from(inner.width), usize::from(inner.height));
    let more = app.values.len().saturating_sub(visible);
    // The last line counts the lines that are left out.
    let shown = if more > 0 { visible - 1 } else { visible };
    let mut lines: Vec<Line<'_>> = Vec::new();
    for (name, value) in app.values.iter().take(shown) {
        let room = width.saturating_sub(name.chars().count() + 1);
        let style = match app.has_changed(name, value) {
            true => Style::new().add_modifier(Modifier::BOLD),
            false => Style::new(),
        };
        lines.push(Line::from(vec![
            Span::styled(name.as_str(), palette.style(Color::Cyan)),
            Span::raw(" "),
            Span::styled(output::shortened(value, room), style),
        ]));
    }
    if more > 0 {
        lines.push(Line::from(format!("… and {} more", more + 1)));
    }
    frame.render_widget(Paragraph::new(lines), inner);
}
