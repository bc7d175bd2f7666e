//! Which files a scene consists of, without checking it.

use super::sources::{FilesRead, Sources, read_file, refuse_elsewhere, root_of};
use crate::registry::Registry;
use std::collections::VecDeque;
use std::path::{Path, PathBuf};
use toml::Spanned;
use toml::de::{DeTable, DeValue};

/// The files that a scene names. Reading them costs little compared with checking the scene, and a faulty scene has files, too.
///
/// # Example
///
/// ```
/// use gerust_scene::{Registry, SceneFiles};
///
/// let files = SceneFiles::of("../scenes/visitors.toml".as_ref(), &Registry::standard());
/// assert!(files.included.is_empty());
/// assert!(files.loaded[0].ends_with("visitors/barge.toml"));
/// ```
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct SceneFiles {
    /// Those that it includes, and those that these include.
    pub included: Vec<PathBuf>,
    /// Those that its actions load, and what these include and load.
    pub loaded: Vec<PathBuf>,
}

impl SceneFiles {
    /// Lists the files of a scene. Files that cannot be read, or that the limits exclude, are left out; checking the scene reports
    /// them.
    #[must_use]
    pub fn of(path: &Path, registry: &Registry) -> Self {
        let mut files = Self::default();
        let Ok(text) = read_file(path) else {
            return files;
        };
        let mut read = FilesRead::default();
        let root = root_of(path, registry);
        let mut registry = registry.clone();
        registry.set_root(&root);
        let sources = Sources::gather(&text, path, &registry, &mut read, &mut Vec::new());
        let mut waiting = VecDeque::from(loads_of(&sources));
        let included = sources.iter().skip(1).map(|source| source.path.clone());
        files.included.extend(included);
        while let Some(path) = waiting.pop_front() {
            let is_known = files.loaded.contains(&path);
            if is_known || read.is_exceeded() || refuse_elsewhere(&path, &root).is_err() {
                continue;
            }
            let Ok(text) = read_file(&path) else { continue };
            let sources = Sources::gather(&text, &path, &registry, &mut read, &mut Vec::new());
            waiting.extend(loads_of(&sources));
            let paths = sources.iter().map(|source| source.path.clone());
            files.loaded.extend(paths);
        }
        files
    }
}

/// The files that the actions of cues and rules load.
fn loads_of(sources: &Sources) -> Vec<PathBuf> {
    let mut paths = Vec::new();
    for source in sources.iter() {
        let (root, _) = DeTable::parse_recoverable(&source.text);
        let folder = source.path.parent().unwrap_or(Path::new(""));
        for holder in ["cues", "rules"] {
            for entry in tables(root.get_ref().get(holder)) {
                for action in tables(entry.get("do")) {
                    if let Some(DeValue::String(file)) = action.get("load").map(Spanned::get_ref) {
                        paths.push(folder.join(file.as_ref()));
                    }
                }
            }
        }
    }
    paths
}

fn tables<'t, 'i>(
    list: Option<&'t Spanned<DeValue<'i>>>,
) -> impl Iterator<Item = &'t DeTable<'i>> + use<'t, 'i> {
    let items = match list.map(Spanned::get_ref) {
        Some(DeValue::Array(items)) => items.iter().as_slice(),
        _ => &[],
    };
    items.iter().filter_map(|item| match item.get_ref() {
        DeValue::Table(table) => Some(table),
        _ => None,
    })
}
