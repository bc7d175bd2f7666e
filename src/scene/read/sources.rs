//! The files of a scene: the one that is loaded and those that it includes.
//!
//! All places are told in one text, in which the files stand one after the other with a line end between. Each file is parsed
//! behind as many blanks as the texts before it take up, so that what the parser says of places is true of that text.

use crate::scene::fault::Fault;
use crate::scene::registry::Registry;
use std::collections::VecDeque;
use std::fs::File;
use std::io::{self, Read};
use std::ops::Range;
use std::path::{Path, PathBuf};
use toml::Spanned;
use toml::de::{DeArray, DeTable, DeValue};

/// Files that a scene is made of at most.
const MOST_FILES: usize = 100;

/// One file.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Source {
    pub(crate) path: PathBuf,
    pub(crate) text: String,
    /// Where it begins in the text of all.
    pub(crate) start: usize,
}

impl Source {
    fn end(&self) -> usize {
        self.start + self.text.len()
    }
}

/// All files in the order in which they were named, the one that is loaded first.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Sources(Vec<Source>);

impl Sources {
    /// Reads the files that are included, and those that these include, each once.
    pub(super) fn gather(text: &str, path: &Path, root: &Path, faults: &mut Vec<Fault>) -> Self {
        let mut all = Self(vec![Source {
            path: path.to_owned(),
            text: text.to_owned(),
            start: 0,
        }]);
        let mut known = vec![identity(path)];
        let mut waiting: VecDeque<(PathBuf, Range<usize>)> = all.0[0].includes().into();
        while let Some((path, span)) = waiting.pop_front() {
            let own = identity(&path);
            if known.contains(&own) {
                continue;
            }
            known.push(own);
            let shown = path.display();
            if all.0.len() == MOST_FILES {
                let message = format!("{shown} is one file too many");
                faults.push(Fault::new(
                    span,
                    message,
                    format!("a scene has {MOST_FILES} files at most"),
                ));
                break;
            }
            if let Err((message, mend)) = refuse_elsewhere(&path, root) {
                faults.push(Fault::new(span, message, mend));
                continue;
            }
            match read_file(&path) {
                Ok(text) => {
                    let start = all.0.last().map_or(0, |last| last.end() + 1);
                    let source = Source { path, text, start };
                    waiting.extend(source.includes());
                    all.0.push(source);
                }
                Err(error) => {
                    let message = format!("{shown} cannot be read: {error}");
                    let mend = "check the path, which is taken from the directory of this file";
                    faults.push(Fault::new(span, message, mend));
                }
            }
        }
        all
    }

    pub(crate) fn iter(&self) -> impl ExactSizeIterator<Item = &Source> {
        self.0.iter()
    }

    /// The path of the file that is loaded.
    pub(crate) fn main(&self) -> &Path {
        &self.0[0].path
    }

    /// The text of all files.
    pub(super) fn text(&self) -> String {
        let texts: Vec<&str> = self.0.iter().map(|source| source.text.as_str()).collect();
        texts.join("\n")
    }

    /// The file in which a place of the text of all is.
    pub(crate) fn at(&self, place: usize) -> &Source {
        let after = self.0.partition_point(|source| source.start <= place);
        &self.0[after.saturating_sub(1)]
    }

    /// Each file behind as many blanks as put it where it is in the text of all.
    pub(super) fn padded(&self) -> Vec<String> {
        let files = self.0.iter();
        files
            .map(|source| format!("{}{}", " ".repeat(source.start), source.text))
            .collect()
    }
}

/// Bytes of one file at most.
const MOST_BYTES: u64 = 16 << 20;

/// The folder below which a scene may name files: that of the registry, or its own.
pub(crate) fn root_of(path: &Path, registry: &Registry) -> PathBuf {
    let own = path
        .parent()
        .filter(|folder| !folder.as_os_str().is_empty());
    let root = registry.root.as_deref().or(own).unwrap_or(Path::new("."));
    identity(root)
}

/// Fails with a message and its remedy if a file that a scene names is outside a folder or is not a regular file. A missing file is
/// reported when it is read.
pub(crate) fn refuse_elsewhere(path: &Path, root: &Path) -> Result<(), (String, String)> {
    let Ok(place) = path.canonicalize() else {
        return Ok(());
    };
    let shown = path.display();
    if !place.starts_with(root) {
        return Err((
            format!("{shown} is not below the folder {}", root.display()),
            String::from("move it there, or give a folder that holds both as `--root`"),
        ));
    }
    match place.is_file() {
        true => Ok(()),
        false => Err((
            format!("{shown} is not a regular file"),
            String::from("name a scene file"),
        )),
    }
}

/// Reads a text that is not too long.
pub(crate) fn read_file(path: &Path) -> io::Result<String> {
    let mut text = String::new();
    let file = File::open(path)?;
    file.take(MOST_BYTES + 1).read_to_string(&mut text)?;
    match text.len() as u64 > MOST_BYTES {
        false => Ok(text),
        true => Err(io::Error::other(format!(
            "it is longer than {} MiB",
            MOST_BYTES >> 20
        ))),
    }
}

/// What tells a file from all others, however it is named.
fn identity(path: &Path) -> PathBuf {
    path.canonicalize().unwrap_or_else(|_| path.to_owned())
}

impl Source {
    /// The files that it includes, each with the place of its name. What is not a list of texts is told when the file is read.
    fn includes(&self) -> Vec<(PathBuf, Range<usize>)> {
        let (root, _) = DeTable::parse_recoverable(&self.text);
        let Some(DeValue::Array(paths)) = root.get_ref().get("include").map(Spanned::get_ref)
        else {
            return Vec::new();
        };
        let directory = self.path.parent().unwrap_or(Path::new(""));
        let paths = paths.iter().filter_map(|path| {
            let DeValue::String(text) = path.get_ref() else {
                return None;
            };
            let span = path.span();
            let span = self.start + span.start..self.start + span.end;
            Some((directory.join(text.as_ref()), span))
        });
        paths.collect()
    }
}

/// Lists that grow by what is included, and tables into which it is merged.
const LISTS: [&str; 4] = ["entities", "cues", "rules", "expect"];
const TABLES: [&str; 4] = ["templates", "layers", "parameters", "budgets-ms"];

/// Adds what an included file says. Of settings, those hold that came first.
pub(super) fn include<'t>(root: &mut DeTable<'t>, included: DeTable<'t>, faults: &mut Vec<Fault>) {
    for (key, value) in included {
        let name = key.get_ref().clone();
        let Some(known) = root.get_mut(name.as_ref()) else {
            root.insert(key, value);
            continue;
        };
        let span = value.span();
        match (known.get_mut(), value.into_inner()) {
            (DeValue::Array(all), DeValue::Array(more)) if LISTS.contains(&name.as_ref()) => {
                let before = std::mem::replace(all, DeArray::new());
                *all = before.into_iter().chain(more).collect();
            }
            (DeValue::Table(all), DeValue::Table(more)) if TABLES.contains(&name.as_ref()) => {
                merge(all, more, &name, faults);
            }
            // Of another shape than what it should be added to: one of the two is at fault.
            (_, DeValue::Array(_) | DeValue::Table(_))
                if LISTS.contains(&name.as_ref()) || TABLES.contains(&name.as_ref()) =>
            {
                let message =
                    format!("`{name}` is of another shape in the file that includes this one");
                faults.push(Fault::new(span, message, "write it alike in both"));
            }
            _ => {}
        }
    }
}

fn merge<'t>(all: &mut DeTable<'t>, more: DeTable<'t>, what: &str, faults: &mut Vec<Fault>) {
    for (key, value) in more {
        let name = key.get_ref().as_ref();
        match all.contains_key(name) {
            false => {
                all.insert(key, value);
            }
            // What the including file says of a parameter or a budget holds.
            true if matches!(what, "parameters" | "budgets-ms") => {}
            true => {
                let kind = what.trim_end_matches('s');
                let message =
                    format!("there is a {kind} `{name}` already, in a file that comes before");
                faults.push(Fault::new(
                    key.span(),
                    message,
                    "give one of the two another name",
                ));
            }
        }
    }
}
