//! Writes measured values into scene files, in the place of those that do not hold any more.

use super::judge::Judged;
use crate::trouble::Trouble;
use gerust::scene::Remedy;
use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

/// Rewrites all files that hold stored values which failed, and says what was changed on standard error.
pub(super) fn write(judged: &[Judged]) -> Result<(), Trouble> {
    let mut by_file: BTreeMap<&Path, Vec<&Remedy>> = BTreeMap::new();
    let outcomes = judged.iter().flat_map(Judged::failures);
    for remedy in outcomes.filter_map(|outcome| outcome.remedy()) {
        by_file.entry(&remedy.path).or_default().push(remedy);
    }
    for (path, mut remedies) in by_file {
        let cannot = |verb: &str, error: std::io::Error| {
            Trouble::other(format!(
                "{} cannot be {verb}: {error}; nothing of it was changed",
                path.display()
            ))
        };
        let mut text = fs::read_to_string(path).map_err(|error| cannot("read", error))?;
        // From behind, so that the places before stay true. A file that several scenes include has each only once.
        remedies.sort_by_key(|remedy| std::cmp::Reverse(remedy.span.start));
        remedies.dedup_by_key(|remedy| remedy.span.start);
        for remedy in &remedies {
            let before = text.get(remedy.span.clone()).unwrap_or_default().to_owned();
            tracing::info!("{}: {before} is now {}", path.display(), remedy.text);
            text.replace_range(remedy.span.clone(), &remedy.text);
        }
        // Beside it first: if there is no room the old file stays whole.
        let beside = path.with_extension("toml.new");
        fs::write(&beside, text).map_err(|error| cannot("written", error))?;
        fs::rename(&beside, path).map_err(|error| cannot("replaced", error))?;
    }
    Ok(())
}
