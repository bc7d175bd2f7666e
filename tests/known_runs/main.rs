//! Compares runs of bodies and contacts with stored digests, bit for bit.
//!
//! The formulas of motion have tests of their own. These runs notice every other change of a result, on any number of threads. After
//! an intended change, write the digests anew and say in the changelog what changed:
//!
//! ```sh
//! GERUST_KNOWN_RUNS=write cargo test --all-features --test known_runs
//! ```

mod crowds;
mod machines;
mod setup;

use gerust::prelude::*;
use setup::Setup;
use std::fmt::Write;
use std::path::Path;
use xxhash_rust::xxh3::xxh3_64;

const FOLDER: &str = "tests/known_runs/digests";

/// Placements and bodies of all entities, in the order of their ids.
fn bodies(world: &World) -> u64 {
    let mut rows: Vec<_> = world
        .rows::<(Entity, &WorldTransform, Option<&Body>)>()
        .iter()
        .map(|(entity, placement, body)| {
            let velocity = body.map_or(Vec3::ZERO, |body| body.velocity);
            (entity, *placement, velocity)
        })
        .collect();
    rows.sort_by_key(|(entity, ..)| *entity);
    let mut bytes = Vec::new();
    for (entity, placement, velocity) in rows {
        bytes.extend(entity.index().to_le_bytes());
        let numbers = placement.affine().to_cols_array();
        for number in numbers.into_iter().chain(velocity.to_array()) {
            bytes.extend(number.to_le_bytes());
        }
    }
    xxh3_64(&bytes)
}

/// All contacts with their numbers, and the carriers.
fn contacts(world: &World) -> Result<(u64, usize, usize), Error> {
    let contacts = world.global::<Contacts>()?;
    let mut text = String::new();
    for contact in contacts.iter().chain(contacts.brief()) {
        // Writing to a string does not fail. `{:?}` of a number is exact.
        let _ = writeln!(text, "{contact:?}");
    }
    let rows = world.rows::<(Entity, &Body)>();
    let mut carried: Vec<_> = rows
        .iter()
        .filter_map(|(entity, _)| Some((entity, contacts.stands_on(entity)?)))
        .map(|(entity, standing)| (entity, standing.carrier, standing.since))
        .collect();
    carried.sort_unstable();
    let _ = writeln!(text, "{carried:?}");
    let count = contacts.iter().len();
    Ok((xxh3_64(text.as_bytes()), count, contacts.leftover_count()))
}

/// A line for every tenth of a run.
fn lines_of(setup: &Setup, threads: usize) -> Result<Vec<String>, Error> {
    let mut runtime = setup.runtime()?;
    runtime.set_threads(threads)?;
    let pace = setup.frames / 10;
    let mut lines = Vec::new();
    for frame in 1..=setup.frames {
        setup.before_frame(&mut runtime, frame)?;
        runtime.run_frames(1)?;
        if frame % pace == 0 {
            let world = runtime.world();
            let (contacts, count, leftovers) = contacts(world)?;
            let bodies = bodies(world);
            lines.push(format!(
                "frame {frame}: bodies {bodies:016x}, {count} contacts, {leftovers} leftovers {contacts:016x}"
            ));
        }
    }
    Ok(lines)
}

/// Compares a run on three threads with the stored one, and in the long form also with itself on one thread.
fn check(name: &str, setup: &Setup) -> Result<(), Box<dyn std::error::Error>> {
    let threads = if cfg!(feature = "parallel") { 3 } else { 1 };
    let found = lines_of(setup, threads)?;
    if threads > 1 && cfg!(feature = "stress") {
        assert_eq!(found, lines_of(setup, 1)?, "on three threads and on one");
    }
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join(FOLDER);
    let path = path.join(format!("{name}.txt"));
    if std::env::var_os("GERUST_KNOWN_RUNS").is_some_and(|mode| mode == "write") {
        std::fs::write(&path, found.join("\n") + "\n")?;
        return Ok(());
    }
    let known = std::fs::read_to_string(&path)?;
    for (found, known) in found.iter().zip(known.lines()) {
        assert_eq!(found, known, "the first difference; see the top of main.rs");
    }
    assert_eq!(found.len(), known.lines().count());
    Ok(())
}

macro_rules! known_runs {
    ($($name:ident: $setup:expr,)+) => {
        $(
            #[test]
            fn $name() -> Result<(), Box<dyn std::error::Error>> {
                check(stringify!($name), &$setup)
            }
        )+
    };
}

known_runs! {
    pile: Setup::new(240, crowds::pile),
    other_pile: Setup::new(160, crowds::other_pile).seeded(2),
    gas: Setup::new(200, crowds::gas),
    shots: Setup::new(60, crowds::shots),
    sliding_crates: Setup::new(60, crowds::sliding_crates).seeded(3),
    tangle: Setup::new(60, crowds::tangle).seeded(4),
    in_walls: Setup::new(40, crowds::in_walls).seeded(5),
    flat_pile: Setup::new(160, crowds::flat_pile).seeded(6),
    gravity_aside: Setup::new(120, crowds::gravity_aside).seeded(7),
    maze_of_tiles: Setup::new(160, crowds::maze_of_tiles).seeded(8),
    far_away: Setup::new(120, crowds::far_away).seeded(9),
    large_crowd: Setup::new(20, crowds::large_crowd).seeded(10),
    columns: Setup::new(160, crowds::columns).seeded(11),
    carriers: Setup::new(240, machines::carriers),
    lift_and_ceiling: Setup::new(160, machines::lift_and_ceiling),
    pushers: Setup::new(160, machines::pushers).seeded(2),
    parts: Setup::new(120, machines::parts).seeded(3),
    layers: Setup::new(120, machines::layers).seeded(4),
    changes: Setup::new(200, machines::changes).acting(machines::change).seeded(5),
    settings: Setup::new(120, machines::heap).acting(machines::set).seeded(6),
}
