//! Writes measured values into scene files, in the place of those that do not hold any more.

use super::judged::Judged;
use crate::failure::Failure;
use crate::target::Target;
use gerust_scene::Remedy;
use std::collections::BTreeMap;
use std::fs;
use std::path::PathBuf;

/// Rewrites all files with stored values that do not hold, notes each change on standard error, and lets their scenes be judged again.
pub(super) fn write(
    judged: &mut [Judged],
    judge_again: impl FnOnce(&[PathBuf]) -> Result<Vec<Judged>, Failure>,
) -> Result<(), Failure> {
    // One file may be named by several paths.
    let mut by_file: BTreeMap<PathBuf, Vec<Remedy>> = BTreeMap::new();
    let outcomes = judged.iter().flat_map(Judged::failures);
    for remedy in outcomes.filter_map(|outcome| outcome.remedy()) {
        let path = fs::canonicalize(&remedy.path).map_err(|error| cannot(&remedy, &error))?;
        by_file.entry(path).or_default().push(remedy);
    }
    for (path, mut remedies) in by_file {
        let first = remedies[0].clone();
        let mut text = fs::read_to_string(&path).map_err(|error| cannot(&first, &error))?;
        // From behind, so that the places before stay true. A file that several scenes include has each only once.
        remedies.sort_by_key(|remedy| std::cmp::Reverse(remedy.span.start));
        remedies.dedup_by_key(|remedy| remedy.span.start);
        for remedy in &remedies {
            let Some(before) = text.get(remedy.span.clone()).map(str::to_owned) else {
                return Err(Failure::other(format!(
                    "{} has changed since it was read; nothing of it was changed; check it again",
                    first.path.display()
                )));
            };
            let shown = remedy.path.display();
            tracing::info!("{shown}: {before} is now {}", remedy.text);
            text.replace_range(remedy.span.clone(), &remedy.text);
        }
        Target::new(&first.path, [])?.write(text.as_bytes())?;
    }
    let has_remedy = |scene: &&Judged| {
        let mut failures = scene.failures();
        failures.any(|outcome| outcome.remedy().is_some())
    };
    let blessed = judged.iter().filter(has_remedy);
    let blessed: Vec<PathBuf> = blessed.map(|scene| scene.path.clone()).collect();
    for again in judge_again(&blessed)? {
        if let Some(before) = judged.iter_mut().find(|scene| scene.path == again.path) {
            *before = again;
        }
    }
    Ok(())
}

fn cannot(remedy: &Remedy, error: &std::io::Error) -> Failure {
    Failure::other(format!(
        "{} cannot be read again: {error}; nothing of it was changed",
        remedy.path.display()
    ))
}
