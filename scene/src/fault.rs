//! Faults of a scene file, with their places.

use super::error_kinds::SceneErrorKind;
use super::read::Sources;
use crate::debug_as_message;
use std::fmt;
use std::ops::Range;
use std::path::{Path, PathBuf};

/// One thing that is wrong with a scene file.
///
/// # Example
///
/// ```
/// use gerust_scene::{Registry, Scene};
///
/// let text = "title = \"x\"\nframes = 1\n\n[[entities]]\nnaem = \"crate\"\n";
/// let error = Scene::parse(text, "typo.toml", &Registry::standard()).unwrap_err();
/// let fault = &error.faults()[0];
/// assert_eq!((fault.line(), fault.column()), (5, 1));
/// assert_eq!(fault.message(), "unknown key `naem` here");
/// assert!(fault.fix().starts_with("did you mean `name`?"));
/// assert_eq!(fault.path(), std::path::Path::new("typo.toml"));
/// assert_eq!(&error.text_of(fault)[fault.span()], "naem");
/// ```
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Fault {
    /// In the text of all files until it is located, then in that of its own.
    span: Range<usize>,
    path: PathBuf,
    line: usize,
    column: usize,
    message: String,
    fix: String,
}

impl Fault {
    pub(super) fn new(
        span: Range<usize>,
        message: impl Into<String>,
        fix: impl Into<String>,
    ) -> Self {
        Self {
            span,
            path: PathBuf::new(),
            line: 0,
            column: 0,
            message: message.into(),
            fix: fix.into(),
        }
    }

    fn locate(&mut self, sources: &Sources) {
        let source = sources.at(self.span.start);
        let own = |place: usize| place.saturating_sub(source.start).min(source.text.len());
        self.span = own(self.span.start)..own(self.span.end);
        self.path.clone_from(&source.path);
        let text = source.text.as_str();
        let before = &text[..floor_boundary(text, self.span.start)];
        let line_start = before.rfind('\n').map_or(0, |at| at + 1);
        self.line = before.matches('\n').count() + 1;
        self.column = before[line_start..].chars().count() + 1;
    }

    /// The file: the one that was loaded, or one that it includes.
    #[must_use]
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The offending text, as a range of bytes of the file.
    #[must_use]
    pub fn span(&self) -> Range<usize> {
        self.span.clone()
    }

    /// The line, counted from 1.
    #[must_use]
    pub fn line(&self) -> usize {
        self.line
    }

    /// The column, counted in characters from 1.
    #[must_use]
    pub fn column(&self) -> usize {
        self.column
    }

    /// The problem.
    #[must_use]
    pub fn message(&self) -> &str {
        &self.message
    }

    /// How to fix it.
    #[must_use]
    pub fn fix(&self) -> &str {
        &self.fix
    }
}

/// Faults of a scene that are shown; the rest is counted.
pub(super) const MOST_FAULTS: usize = 100;

/// The nearest place at or before a byte where a character begins.
fn floor_boundary(text: &str, at: usize) -> usize {
    (0..=at.min(text.len()))
        .rev()
        .find(|&at| text.is_char_boundary(at))
        .unwrap_or(0)
}

/// Why a scene file was not loaded: every fault that was found, or why it could not be read.
///
/// # Example
///
/// ```
/// use gerust_scene::{Registry, Scene};
///
/// let error = Scene::load("no/such/scene.toml", &Registry::standard()).unwrap_err();
/// assert!(error.faults().is_empty());
/// assert!(error.to_string().starts_with("no/such/scene.toml cannot be read: "));
/// ```
pub struct SceneError(Box<Kind>);

enum Kind {
    Unreadable {
        path: PathBuf,
        source: std::io::Error,
    },
    Faulty {
        sources: Sources,
        /// In the order of the file.
        faults: Vec<Fault>,
        /// How many more there are.
        more: usize,
    },
}

impl SceneError {
    /// The kind of the error.
    #[must_use]
    pub fn kind(&self) -> SceneErrorKind {
        match &*self.0 {
            Kind::Unreadable { .. } => SceneErrorKind::Unreadable,
            Kind::Faulty { .. } => SceneErrorKind::Faulty,
        }
    }

    pub(super) fn unreadable(path: &Path, source: std::io::Error) -> Self {
        Self(Box::new(Kind::Unreadable {
            path: path.to_owned(),
            source,
        }))
    }

    pub(super) fn faulty(sources: Sources, mut faults: Vec<Fault>) -> Self {
        // Those found last come last: their remedies are left out.
        let more = faults.len().saturating_sub(MOST_FAULTS);
        faults.truncate(MOST_FAULTS);
        faults.sort_by_key(|fault| (fault.span.start, fault.span.end));
        for fault in &mut faults {
            fault.locate(&sources);
        }
        faults.dedup();
        Self(Box::new(Kind::Faulty {
            sources,
            faults,
            more,
        }))
    }

    /// The file.
    #[must_use]
    pub fn path(&self) -> &Path {
        match &*self.0 {
            Kind::Unreadable { path, .. } => path,
            Kind::Faulty { sources, .. } => &sources.at(0).path,
        }
    }

    /// The first 100 faults that were found, in the order of the file; none if the file could not be read at all.
    #[must_use]
    pub fn faults(&self) -> &[Fault] {
        match &*self.0 {
            Kind::Unreadable { .. } => &[],
            Kind::Faulty { faults, .. } => faults,
        }
    }

    /// How many faults there are besides those of [`SceneError::faults`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 1\n".to_owned() + &"[[entities]]\ntemplate = 'crate'\n".repeat(130);
    /// let error = Scene::parse(&text, "t.toml", &Registry::standard()).unwrap_err();
    /// assert_eq!((error.faults().len(), error.more_faults()), (100, 30));
    /// assert!(error.to_string().ends_with("and 30 more faults"));
    /// ```
    #[must_use]
    pub fn more_faults(&self) -> usize {
        match &*self.0 {
            Kind::Unreadable { .. } => 0,
            Kind::Faulty { more, .. } => *more,
        }
    }

    /// The text of the file in which a fault of this error is, to show it there.
    #[must_use]
    pub fn text_of(&self, fault: &Fault) -> &str {
        match &*self.0 {
            Kind::Unreadable { .. } => "",
            Kind::Faulty { sources, .. } => {
                let mut files = sources.iter();
                let file = files.find(|source| source.path == fault.path);
                file.map_or("", |source| source.text.as_str())
            }
        }
    }
}

impl fmt::Display for SceneError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &*self.0 {
            Kind::Unreadable { path, source } => {
                write!(
                    f,
                    "{} cannot be read: {source}; check the path",
                    path.display()
                )
            }
            Kind::Faulty { faults, more, .. } => {
                for (position, fault) in faults.iter().enumerate() {
                    if position > 0 {
                        writeln!(f)?;
                    }
                    let Fault {
                        path,
                        line,
                        column,
                        message,
                        fix,
                        ..
                    } = fault;
                    write!(f, "{}:{line}:{column}: {message}; {fix}", path.display())?;
                }
                match more {
                    0 => Ok(()),
                    1 => write!(f, "\nand 1 more fault"),
                    more => write!(f, "\nand {more} more faults"),
                }
            }
        }
    }
}

debug_as_message!(SceneError);

impl std::error::Error for SceneError {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        match &*self.0 {
            Kind::Unreadable { source, .. } => Some(source),
            Kind::Faulty { .. } => None,
        }
    }
}
