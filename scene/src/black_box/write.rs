//! Writing the frames of a black box.

use super::tape::{Extras, Kept};
use crate::recording::{Heading, MomentRecorder};
use crate::settings::Settings;
use gerust::runtime::replace_file;
use gerust::{Error, ErrorKind};
use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::ops::RangeInclusive;
use std::path::{Path, PathBuf};

/// A recording that a [`BlackBox`](super::BlackBox) has written.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Written {
    path: Option<PathBuf>,
    frames: RangeInclusive<u64>,
    reason: Option<String>,
}

impl Written {
    /// The file; `None` if it was written [to a writer](super::BlackBox::write_to).
    #[must_use]
    pub fn path(&self) -> Option<&Path> {
        self.path.as_deref()
    }

    /// The frames of the program that it holds. The first one is the state from which the others follow.
    #[must_use]
    pub fn frames(&self) -> RangeInclusive<u64> {
        self.frames.clone()
    }

    /// Why it was written; `None` if the program asked for it.
    #[must_use]
    pub fn reason(&self) -> Option<&str> {
        self.reason.as_deref()
    }
}

/// Files of one name in a folder; more are refused.
const MOST_FILES: u32 = 1_000;

/// A title in the letters and digits that names of files may have everywhere.
fn file_stem(title: &str) -> String {
    let words = title.split(|letter: char| !letter.is_alphanumeric());
    let words: Vec<String> = words
        .filter(|word| !word.is_empty())
        .map(str::to_lowercase)
        .collect();
    match words.is_empty() {
        true => String::from("black-box"),
        false => words.join("-").chars().take(80).collect(),
    }
}

/// Writes a new file into a folder.
pub(super) fn into_folder(kept: Kept, folder: &Path) -> Result<Written, Error> {
    let stem = file_stem(&kept.title);
    let frame = kept.frames.last().map_or(0, |(moment, _)| moment.frame());
    let mut refused = None;
    for number in 1..=MOST_FILES {
        let name = match number {
            1 => format!("{stem}-frame-{frame}.rec"),
            number => format!("{stem}-frame-{frame}-{number}.rec"),
        };
        let path = folder.join(name);
        match File::create_new(&path) {
            Ok(file) => return finish(kept, file, &path),
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                refused = Some((path, error))
            }
            Err(error) => return Err(not_written(&path, &error)),
        }
    }
    let (path, error) = refused.expect("every name was tried");
    Err(not_written(&path, &error))
}

/// Replaces a file when the new one is complete.
pub(super) fn into_file(kept: Kept, path: &Path) -> Result<Written, Error> {
    let written = replace_file(path, |file| {
        let (file, written) = write(kept, BufWriter::new(file))?;
        file.into_inner().map_err(io::IntoInnerError::into_error)?;
        Ok(written)
    });
    at_path(written, path)
}

fn finish(kept: Kept, file: File, path: &Path) -> Result<Written, Error> {
    let written = write(kept, BufWriter::new(file)).and_then(|(file, written)| {
        let file = file.into_inner().map_err(io::IntoInnerError::into_error)?;
        file.sync_all()?;
        Ok(written)
    });
    at_path(written, path)
}

fn at_path(written: io::Result<Written>, path: &Path) -> Result<Written, Error> {
    match written {
        Ok(written) => Ok(Written {
            path: Some(path.to_owned()),
            ..written
        }),
        Err(error) => Err(not_written(path, &error)),
    }
}

/// Writes to any writer.
pub(super) fn into_writer(kept: Kept, writer: impl Write) -> Result<Written, Error> {
    let done = write(kept, writer).map_err(|error| {
        Error::new(
            ErrorKind::Io,
            format!("the black box cannot be written: {error}; pass a writer that works"),
        )
    })?;
    Ok(done.1)
}

fn not_written(path: &Path, error: &io::Error) -> Error {
    Error::new(
        ErrorKind::Io,
        format!(
            "the black box cannot be written to {}: {error}; name a file in a folder that you can write to",
            path.display()
        ),
    )
}

fn write<W: Write>(kept: Kept, writer: W) -> io::Result<(W, Written)> {
    let (Some((first, _)), Some((latest, _))) = (kept.frames.first(), kept.frames.last()) else {
        let reason = "no frame has run; run one first";
        return Err(io::Error::new(io::ErrorKind::InvalidInput, reason));
    };
    let mut state = Vec::new();
    let saved = first.save(&mut state);
    saved.map_err(|error| io::Error::new(io::ErrorKind::InvalidData, error))?;
    let heading = Heading {
        state,
        title: kept.title,
        reason: kept.reason.clone(),
        missing: kept.missing,
        settings: Settings::of_moment(latest, kept.margin),
        first: first.frame(),
    };
    let frames = first.frame()..=latest.frame();
    let mut recorder = MomentRecorder::begin(writer, heading)?;
    // Each moment goes when it is written, so that the memory of a long tape shrinks.
    for (moment, extras) in kept.frames {
        let Extras { failure, times, .. } = &*extras;
        recorder.note(&moment, &kept.registry, failure.clone(), times)?;
    }
    let written = Written {
        path: None,
        frames,
        reason: kept.reason,
    };
    Ok((recorder.finish()?, written))
}
