//! `gerust inspect SCENE memory`.

use crate::allocations;
use crate::failure::Failure;
use crate::output::{self, bytes};
use crate::scene_file::SceneFile;
use gerust::store::Memory;
use gerust::{Runtime, World};
use serde::Serialize;
use std::fmt::Write;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct MemoryView {
    scene: String,
    frame: u64,
    entities: usize,
    /// Bytes of all values, and of the room for them.
    used: usize,
    reserved: usize,
    /// How many more bytes than at frame 0 there are.
    used_growth: i64,
    reserved_growth: i64,
    bookkeeping_per_entity: f64,
    /// Of frames after this one; `None` if the binary does not count allocations.
    pub(crate) allocations: Option<AllocationsView>,
    components: Vec<ComponentView>,
    tables: Vec<TableView>,
}

/// What frames allocate once lists have grown to their size.
#[derive(Serialize, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct AllocationsView {
    frames: u64,
    /// In how many of them something was allocated.
    allocating_frames: u64,
    allocations: u64,
    most_in_a_frame: u64,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct ComponentView {
    name: &'static str,
    values: usize,
    used: usize,
    reserved: usize,
    per_value: usize,
    used_growth: i64,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct TableView {
    components: Vec<&'static str>,
    entities: usize,
    used: usize,
    per_entity: usize,
}

/// Frames that are run before counting, so that lists have grown to their size, and frames that are counted.
const WARM_UP: u64 = 30;
const COUNTED: u64 = 120;

impl AllocationsView {
    /// Runs more frames, without cues and expectations, and counts what they allocate; `None` if this binary does not count.
    pub(crate) fn count(runtime: &mut Runtime) -> Result<Option<Self>, Failure> {
        if !allocations::are_counted() {
            return Ok(None);
        }
        // One thread, because what the pool does is none of the frame's doing, and a ring that is full.
        runtime.set_threads(1)?;
        runtime.profiler_mut().keep_frames(WARM_UP as usize);
        runtime.run_frames(WARM_UP)?;
        let mut seen = Self {
            frames: COUNTED,
            allocating_frames: 0,
            allocations: 0,
            most_in_a_frame: 0,
        };
        for _ in 0..COUNTED {
            let before = allocations::so_far();
            runtime.run_frames(1)?;
            let count = allocations::so_far() - before;
            seen.allocating_frames += u64::from(count > 0);
            seen.allocations += count;
            seen.most_in_a_frame = seen.most_in_a_frame.max(count);
        }
        Ok(Some(seen))
    }
}

impl MemoryView {
    pub(crate) fn new(file: &SceneFile, world: &World, frame: u64, before: &Memory) -> Self {
        let memory = world.memory();
        let growth = |now: usize, before: usize| now as i64 - before as i64;
        let mut components: Vec<ComponentView> = memory
            .types()
            .iter()
            .filter(|of_type| of_type.reserved() > 0)
            .map(|of_type| {
                let earlier = before
                    .types()
                    .iter()
                    .find(|known| known.name() == of_type.name());
                ComponentView {
                    name: of_type.name(),
                    values: of_type.values(),
                    used: of_type.used(),
                    reserved: of_type.reserved(),
                    per_value: of_type.used().checked_div(of_type.values()).unwrap_or(0),
                    used_growth: growth(of_type.used(), earlier.map_or(0, |known| known.used())),
                }
            })
            .collect();
        components.sort_by_key(|component| std::cmp::Reverse((component.used, component.name)));
        let mut tables: Vec<TableView> = memory
            .tables()
            .iter()
            .filter(|table| table.entities() > 0)
            .map(|table| TableView {
                components: table.components().to_vec(),
                entities: table.entities(),
                used: table.used(),
                per_entity: table.used() / table.entities(),
            })
            .collect();
        tables.sort_by_key(|table| std::cmp::Reverse(table.used));
        Self {
            scene: file.path().display().to_string(),
            frame,
            entities: world.len(),
            used: memory.used(),
            reserved: memory.reserved(),
            used_growth: growth(memory.used(), before.used()),
            reserved_growth: growth(memory.reserved(), before.reserved()),
            bookkeeping_per_entity: memory.bookkeeping_per_entity(),
            allocations: None,
            components,
            tables,
        }
    }

    pub(crate) fn text(&self) -> String {
        let mut text = format!(
            "after frame {}: {} entities, {} in values, {} reserved\n  since frame 0: {} in values, {} reserved\n  ids and rows take {:.1} bytes per entity besides\n",
            self.frame,
            self.entities,
            bytes(self.used),
            bytes(self.reserved),
            signed(self.used_growth),
            signed(self.reserved_growth),
            self.bookkeeping_per_entity,
        );
        // Writing to a string does not fail.
        let _ = match self.allocations {
            None => Ok(()),
            Some(seen) if seen.allocating_frames == 0 => writeln!(
                text,
                "  {} more frames without cues allocated nothing",
                seen.frames
            ),
            Some(seen) => writeln!(
                text,
                "  {} of {} more frames without cues allocated, {} times in all, at most {}",
                seen.allocating_frames, seen.frames, seen.allocations, seen.most_in_a_frame
            ),
        };
        let _ = writeln!(
            text,
            "\n{:<NAME$} {:>8} {:>9} {:>10} {:>10} {:>10}",
            "component", "values", "each", "used", "reserved", "growth"
        );
        for component in &self.components {
            let _ = writeln!(
                text,
                "{:<NAME$} {:>8} {:>9} {:>10} {:>10} {:>10}",
                output::shortened(component.name, NAME),
                component.values,
                bytes(component.per_value),
                bytes(component.used),
                bytes(component.reserved),
                signed(component.used_growth),
            );
        }
        let _ = writeln!(
            text,
            "\n{:>8} {:>9} {:>10}  table of",
            "entities", "each", "used"
        );
        for table in &self.tables {
            let line = format!(
                "{:>8} {:>9} {:>10}  {}",
                table.entities,
                bytes(table.per_entity),
                bytes(table.used),
                table.components.join(", ")
            );
            text.push_str(&output::wrapped(&line, "", 31));
        }
        text
    }
}

/// Columns for names.
const NAME: usize = 26;

fn signed(growth: i64) -> String {
    let sign = if growth < 0 { "-" } else { "+" };
    match growth {
        0 => String::from("0 B"),
        growth => format!("{sign}{}", bytes(growth.unsigned_abs() as usize)),
    }
}
