//! Which files are scenes.

use crate::trouble::Trouble;
use std::fs;
use std::path::{Path, PathBuf};

/// A file that is to be checked.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub(super) struct Found {
    pub(super) path: PathBuf,
    /// It was not found in a directory but named.
    pub(super) is_named: bool,
}

/// All scenes in files and directories, in order of their paths.
pub(super) fn scenes_in(paths: &[PathBuf]) -> Result<Vec<Found>, Trouble> {
    let mut found = Vec::new();
    for path in paths {
        let cannot = |error: std::io::Error| {
            Trouble::other(format!(
                "{} cannot be read: {error}; check the path",
                path.display()
            ))
        };
        if fs::metadata(path).map_err(cannot)?.is_dir() {
            walk(path, &mut found).map_err(cannot)?;
        } else {
            found.push(Found {
                path: path.clone(),
                is_named: true,
            });
        }
    }
    if found.is_empty() {
        let names: Vec<String> = paths
            .iter()
            .map(|path| path.display().to_string())
            .collect();
        return Err(Trouble::other(format!(
            "there is no scene in {}; a scene is a .toml file with `frames`, entities or expectations",
            names.join(", ")
        )));
    }
    found.sort();
    found.dedup_by(|later, first| later.path == first.path);
    Ok(found)
}

fn walk(directory: &Path, found: &mut Vec<Found>) -> std::io::Result<()> {
    for entry in fs::read_dir(directory)? {
        let entry = entry?;
        let (path, name) = (entry.path(), entry.file_name());
        let is_hidden = name.to_string_lossy().starts_with('.');
        if is_hidden || name == "target" {
            continue;
        }
        // Links are not followed: they may lead in a circle.
        if entry.file_type()?.is_dir() {
            walk(&path, found)?;
        } else if path
            .extension()
            .is_some_and(|extension| extension == "toml")
            && looks_like_a_scene(&path)
        {
            found.push(Found {
                path,
                is_named: false,
            });
        }
    }
    Ok(())
}

/// Whether a file has a line that only scenes have. A scene that is no TOML any more must not be passed over in silence, so it
/// is not parsed for that.
fn looks_like_a_scene(path: &Path) -> bool {
    let Ok(text) = fs::read_to_string(path) else {
        return false;
    };
    let mut lines = text.lines().map(str::trim_start);
    lines.any(|line| {
        let key = line.split('=').next().unwrap_or_default().trim_end();
        key == "frames"
            || ["[[entities]]", "[[expect]]", "[[cues]]"]
                .iter()
                .any(|head| line.starts_with(head))
    })
}
