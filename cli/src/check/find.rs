//! Which files are scenes.

use crate::failure::Failure;
use std::fs;
use std::path::{Path, PathBuf};

/// A file that is to be checked.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub(super) struct Found {
    pub(super) path: PathBuf,
    /// It was not found in a directory but named.
    pub(super) is_named: bool,
    /// The directory in which it was found.
    pub(super) root: Option<PathBuf>,
}

impl Found {
    /// Whether it is a regular file, which can be read more than once.
    pub(super) fn is_regular(&self) -> bool {
        fs::metadata(&self.path).is_ok_and(|file| file.is_file())
    }
}

/// All scenes in files and directories, in order of their paths.
pub(super) fn scenes_in(paths: &[PathBuf]) -> Result<Vec<Found>, Failure> {
    let mut found = Vec::new();
    for path in paths {
        let cannot = |error: std::io::Error| {
            Failure::other(format!(
                "{} cannot be read: {error}; check the path",
                path.display()
            ))
        };
        if fs::metadata(path).map_err(cannot)?.is_dir() {
            walk(path, path, &mut found).map_err(cannot)?;
        } else {
            found.push(Found {
                path: path.clone(),
                is_named: true,
                root: None,
            });
        }
    }
    if found.is_empty() {
        let names: Vec<String> = paths
            .iter()
            .map(|path| path.display().to_string())
            .collect();
        return Err(Failure::other(format!(
            "no scene found in {}; a scene is a .toml file with `frames`, entities or expectations",
            names.join(", ")
        )));
    }
    found.sort();
    found.dedup_by(|later, first| later.path == first.path);
    Ok(found)
}

fn walk(root: &Path, directory: &Path, found: &mut Vec<Found>) -> std::io::Result<()> {
    for entry in fs::read_dir(directory)? {
        let entry = entry?;
        let (path, name) = (entry.path(), entry.file_name());
        let is_hidden = name.to_string_lossy().starts_with('.');
        if is_hidden || name == "target" {
            continue;
        }
        // Links are not followed: they may lead in a circle.
        if entry.file_type()?.is_dir() {
            walk(root, &path, found)?;
        } else if path
            .extension()
            .is_some_and(|extension| extension.eq_ignore_ascii_case("toml"))
            && may_be_a_scene(&path)
        {
            found.push(Found {
                path,
                is_named: false,
                root: Some(root.to_owned()),
            });
        }
    }
    Ok(())
}

/// Whether a file has a line that only scenes have, or cannot be read. A scene that is no longer TOML or text must be reported, so the
/// file is not parsed.
fn may_be_a_scene(path: &Path) -> bool {
    // Reading a pipe might never end.
    if fs::metadata(path).is_ok_and(|file| !file.is_file()) {
        return false;
    }
    let Ok(bytes) = fs::read(path) else {
        return true;
    };
    let text = String::from_utf8_lossy(&bytes);
    let is_blank = |c: char| c.is_whitespace() || c == '\u{feff}';
    text.split(['\n', '\r']).any(|line| {
        let line = line.trim_start_matches(is_blank);
        let key = line.split('=').next().unwrap_or_default();
        let key = key.trim_matches(|c: char| c.is_whitespace() || c == '"' || c == '\'');
        let head: String = line.chars().filter(|c| !c.is_whitespace()).collect();
        key == "frames"
            || ["[[entities]]", "[[expect]]", "[[cues]]"]
                .iter()
                .any(|known| head.starts_with(known))
    })
}
