//! The files of a scene: the one that is loaded and those that it includes.
//!
//! All places refer to one text, in which the files stand one after the other with a line end between. Each file is parsed by
//! itself, and then its places are shifted by the length of the texts before it.

use crate::fault::Fault;
use crate::limits::{Limit, Limits};
use crate::registry::Registry;
use std::collections::{BTreeSet, VecDeque};
use std::fs::File;
use std::io::{self, Read};
use std::ops::Range;
use std::path::{Path, PathBuf};
use toml::Spanned;
use toml::de::{DeArray, DeTable, DeValue};

/// Files that actions load can be nested this deep at most, because each level is read by a nested call.
const DEEPEST: usize = 16;

/// The files that were read so far for one scene.
#[derive(Default, Debug)]
pub(crate) struct FilesRead {
    files: u64,
    bytes: u64,
    /// The file that is being read, behind those whose actions load it.
    chain: Vec<PathBuf>,
    /// Those of the program, or else of the scene that loads all others.
    pub(crate) limits: Limits,
    is_exceeded: bool,
}

impl FilesRead {
    /// Counts a file. Returns the fault if it exceeds a limit.
    fn add(&mut self, path: &Path, text: &str, span: &Range<usize>) -> Result<(), Fault> {
        self.files += 1;
        self.bytes += text.len() as u64;
        let shown = path.display();
        let (limit, what) = if self.files > self.limits.get(Limit::Files) {
            (
                Limit::Files,
                format!("{shown}, file number {},", self.files),
            )
        } else if self.bytes > self.limits.get(Limit::Bytes) {
            let what = format!("{shown}, with {} bytes in all files up to it,", self.bytes);
            (Limit::Bytes, what)
        } else {
            return Ok(());
        };
        self.is_exceeded = true;
        Err(self.limits.exceeded(limit, span.clone(), &what))
    }

    /// Enters a file that an action loads. Fails with a message and its remedy if the file loads itself or is nested too deeply.
    pub(crate) fn enter(&mut self, path: &Path) -> Result<(), (String, String)> {
        let own = identity(path);
        let shown = path.display();
        if self.chain.contains(&own) {
            let message = format!(
                "{shown} loads itself, by its own actions or by those of files that it loads"
            );
            return Err((message, String::from("take one of these actions out")));
        }
        if self.chain.len() > DEEPEST {
            let message = format!(
                "{shown} stands at the end of more than {DEEPEST} files that load each other"
            );
            return Err((message, String::from("load it from one of the first files")));
        }
        self.chain.push(own);
        Ok(())
    }

    /// Whether there were more files than the limits allow.
    pub(super) fn is_exceeded(&self) -> bool {
        self.is_exceeded
    }

    /// Whether the file that is being read is loaded by an action of another.
    pub(crate) fn is_loading(&self) -> bool {
        self.chain.len() > 1
    }

    pub(crate) fn leave(&mut self) {
        self.chain.pop();
    }
}

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
    pub(super) fn gather(
        text: &str,
        path: &Path,
        registry: &Registry,
        read: &mut FilesRead,
        faults: &mut Vec<Fault>,
    ) -> Self {
        let root = root_of(path, registry);
        let mut all = Self(vec![Source {
            path: path.to_owned(),
            text: text.to_owned(),
            start: 0,
        }]);
        let (limits, includes) = all.0[0].heads();
        if read.files == 0 {
            read.limits = registry.limits.or(limits);
            read.chain = vec![identity(path)];
        }
        if let Err(fault) = read.add(path, text, &(0..0)) {
            faults.push(fault);
            return all;
        }
        let mut known = BTreeSet::from([identity(path)]);
        let mut waiting: VecDeque<(PathBuf, Range<usize>)> = includes.into();
        while let Some((path, span)) = waiting.pop_front() {
            let own = identity(&path);
            if !known.insert(own) {
                continue;
            }
            let shown = path.display();
            if let Err((message, fix)) = refuse_elsewhere(&path, &root) {
                faults.push(Fault::new(span, message, fix));
                continue;
            }
            match read_file(&path) {
                Ok(text) => {
                    if let Err(fault) = read.add(&path, &text, &span) {
                        faults.push(fault);
                        break;
                    }
                    let start = all.0.last().map_or(0, |last| last.end() + 1);
                    let source = Source { path, text, start };
                    waiting.extend(source.heads().1);
                    all.0.push(source);
                }
                Err(error) => {
                    let message = format!("{shown} cannot be read: {error}");
                    let fix = "check the path, which is taken from the directory of this file";
                    faults.push(Fault::new(span, message, fix));
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
    /// The limits that it sets, and the files that it includes, each with the place of its name. Values of the wrong shape are
    /// reported when the whole file is read.
    fn heads(&self) -> (Limits, Vec<(PathBuf, Range<usize>)>) {
        let (root, _) = DeTable::parse_recoverable(&self.text);
        (limits_in(root.get_ref()), self.includes_in(root.get_ref()))
    }

    fn includes_in(&self, root: &DeTable<'_>) -> Vec<(PathBuf, Range<usize>)> {
        let Some(DeValue::Array(paths)) = root.get("include").map(Spanned::get_ref) else {
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

/// The limits of a file that is not checked yet.
fn limits_in(root: &DeTable<'_>) -> Limits {
    let mut limits = Limits::default();
    let Some(DeValue::Table(given)) = root.get("limits").map(Spanned::get_ref) else {
        return limits;
    };
    for limit in Limit::ALL {
        if let Some(DeValue::Integer(number)) = given.get(limit.name()).map(Spanned::get_ref)
            && let Ok(value) =
                u64::from_str_radix(&number.as_str().replace('_', ""), number.radix())
        {
            limits.set(limit, value);
        }
    }
    limits
}

/// Shifts all places in a table.
pub(super) fn shift(table: &mut DeTable<'_>, by: usize) {
    let shifted = |span: Range<usize>| span.start + by..span.end + by;
    let before = std::mem::take(table);
    for (key, mut value) in before {
        let key = Spanned::new(shifted(key.span()), key.into_inner());
        shift_value(&mut value, by);
        table.insert(key, value);
    }
}

fn shift_value(value: &mut Spanned<DeValue<'_>>, by: usize) {
    let span = value.span();
    match value.get_mut() {
        DeValue::Table(table) => shift(table, by),
        DeValue::Array(array) => array.iter_mut().for_each(|item| shift_value(item, by)),
        _ => {}
    }
    let inner = std::mem::replace(value.get_mut(), DeValue::Boolean(false));
    *value = Spanned::new(span.start + by..span.end + by, inner);
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
