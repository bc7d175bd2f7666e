//! The machine on which a recorded profile was measured.

use crate::failure::Failure;
use gerust::profile::RecordedProfile;
use gerust_scene::{Scene, SceneRun};
use std::time::Instant;
use sysinfo::{CpuRefreshKind, RefreshKind, System};
use xxhash_rust::xxh3::xxh3_64;

/// The fact that changes with the program alone, as it should when two builds are compared.
pub(super) const PROGRAM: &str = "program";

/// The fact that says how fast the machine was, in nanoseconds for a fixed piece of work. It differs each time.
pub(super) const PACE: &str = "pace";

/// Does a fixed piece of work of a few microseconds and returns the nanoseconds that it took.
pub(super) fn pace() -> u64 {
    let start = Instant::now();
    let mut digest = 0;
    for round in 0..PACE_ROUNDS {
        digest ^= xxh3_64(&std::hint::black_box(digest + round).to_le_bytes());
    }
    std::hint::black_box(digest);
    u64::try_from(start.elapsed().as_nanos()).unwrap_or(u64::MAX)
}

const PACE_ROUNDS: u64 = 1_000;

/// How long the fixed work took after by before, if both have it.
pub(super) fn pace_ratio(before: &RecordedProfile, after: &RecordedProfile) -> Option<f64> {
    let of = |profile: &RecordedProfile| profile.facts().get(PACE)?.parse::<f64>().ok();
    let ratio = of(after)? / of(before)?;
    (ratio.is_finite() && ratio > 0.0).then_some(ratio)
}

/// Adds the facts that must be the same for a comparison to mean anything.
pub(super) fn describe(
    profile: RecordedProfile,
    run: &SceneRun,
    scene: &Scene,
) -> Result<RecordedProfile, Failure> {
    let program = std::env::current_exe().and_then(std::fs::read);
    let program = program.map_or_else(|_| String::from("unknown"), |bytes| digest(&bytes));
    let counters = run.runtime().profiler().counter_statistics();
    let pace = counters.iter().find(|counter| counter.name == PACE);
    let profile = match pace {
        Some(pace) => profile.about(PACE, &pace.median.to_string()),
        None => profile,
    };
    Ok(profile
        .about(
            "scene",
            &format!("{} ({})", scene.title(), scene_digest(scene)?),
        )
        .about("threads", &run.runtime().threads().to_string())
        .about("machine", &machine())
        .about(
            "build",
            &format!("{} {}", env!("CARGO_PKG_VERSION"), gerust::profile::build()),
        )
        .about(PROGRAM, &program))
}

/// Changes with the files of the scene and with its parameters: then equal frames do other work.
fn scene_digest(scene: &Scene) -> Result<String, Failure> {
    let mut bytes = Vec::new();
    for path in scene.files() {
        let file = std::fs::read(path).map_err(|error| {
            Failure::other(format!(
                "{} cannot be read: {error}; leave it in place while it runs",
                path.display()
            ))
        })?;
        bytes.extend(file);
    }
    let given: Vec<String> = scene
        .parameters()
        .iter()
        .map(|(name, value)| format!(", {name}={value}"))
        .collect();
    Ok(digest(&bytes) + &given.concat())
}

fn digest(bytes: &[u8]) -> String {
    format!("{:016x}", xxh3_64(bytes))
}

fn machine() -> String {
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    let wanted = RefreshKind::nothing().with_cpu(CpuRefreshKind::nothing());
    let system = System::new_with_specifics(wanted);
    let brand = system.ok().and_then(|system| {
        let cpu = system.cpus().first()?;
        Some(cpu.brand().trim().to_owned())
    });
    let brand = brand.filter(|brand| !brand.is_empty());
    format!(
        "{cores} cores, {}, {} {}",
        brand.as_deref().unwrap_or("unknown processor"),
        std::env::consts::OS,
        std::env::consts::ARCH
    )
}
