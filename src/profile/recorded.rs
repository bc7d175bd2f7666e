//! Profiles that are kept in files, to be compared later.

use super::profiler::Profiler;
use super::span::{Category, SpanName};
use crate::error::{Error, Kind};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap};
use std::io::{self, Write};
use xxhash_rust::xxh3::xxh3_64;

/// The layout of the file; another one is refused.
const LAYOUT: u32 = 2;

/// What each name took in each frame, and where that was measured.
///
/// # Example
///
/// ```
/// use gerust::profile::RecordedProfile;
///
/// let mut runtime = gerust::Runtime::new();
/// runtime.run_frames(3)?;
/// let recorded = RecordedProfile::of(runtime.profiler()).about("machine", "two cores");
/// let mut file = Vec::new();
/// recorded.write(&mut file)?;
/// let read = RecordedProfile::read(&String::from_utf8(file)?)?;
/// assert_eq!(read, recorded);
/// assert_eq!((read.frames(), read.facts()["machine"].as_str()), (&[1, 2, 3][..], "two cores"));
/// assert!(RecordedProfile::read("{}").is_err());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct RecordedProfile {
    layout: u32,
    about: BTreeMap<String, String>,
    frames: Vec<u64>,
    names: Vec<RecordedName>,
    /// In the file: the XXH3 of the same JSON with an empty text here, as 16 hexadecimal digits.
    #[serde(default)]
    checksum: String,
}

/// One name of a recorded profile.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct RecordedName {
    /// What the spans of the name stand for: the name of a [`Category`].
    pub kind: String,
    /// The name.
    pub name: String,
    /// The nanoseconds in each frame, in the order of the frames; `None` where the name did not occur.
    pub nanoseconds: Vec<Option<u64>>,
}

impl RecordedProfile {
    /// The frames that a profiler keeps, without warm-up. O(spans).
    #[must_use]
    pub fn of(profiler: &Profiler) -> Self {
        let frames: Vec<u64> = profiler
            .measured_frames()
            .map(|frame| frame.number())
            .collect();
        let mut by_name: HashMap<(Category, SpanName), Vec<Option<u64>>> = HashMap::new();
        for (place, frame) in profiler.measured_frames().enumerate() {
            for span in frame.spans() {
                let times = by_name
                    .entry((span.category, span.name))
                    .or_insert_with(|| vec![None; frames.len()]);
                *times[place].get_or_insert(0) += span.nanoseconds;
            }
        }
        let mut names: Vec<(Category, RecordedName)> = by_name
            .into_iter()
            .map(|((category, name), nanoseconds)| {
                let recorded = RecordedName {
                    kind: category.name().to_owned(),
                    name: profiler.text_of(name).to_owned(),
                    nanoseconds,
                };
                (category, recorded)
            })
            .collect();
        names.sort_by(|(a, one), (b, other)| (a, &one.name).cmp(&(b, &other.name)));
        Self {
            layout: LAYOUT,
            about: BTreeMap::new(),
            frames,
            names: names.into_iter().map(|(_, name)| name).collect(),
            checksum: String::new(),
        }
    }

    /// Adds a fact about the machine or the run. Comparisons list facts that differ.
    #[must_use]
    pub fn about(mut self, fact: &str, is: &str) -> Self {
        self.about.insert(fact.to_owned(), is.to_owned());
        self
    }

    /// The facts about where and how it was measured.
    #[must_use]
    pub fn facts(&self) -> &BTreeMap<String, String> {
        &self.about
    }

    /// The numbers of the frames.
    #[must_use]
    pub fn frames(&self) -> &[u64] {
        &self.frames
    }

    /// What each name took: frame first, then phases, systems, parts and blocks.
    #[must_use]
    pub fn names(&self) -> &[RecordedName] {
        &self.names
    }

    /// Writes it as JSON.
    ///
    /// # Errors
    ///
    /// If the writer fails.
    pub fn write(&self, writer: impl Write) -> io::Result<()> {
        let stored = Self {
            checksum: self.check()?,
            ..self.clone()
        };
        serde_json::to_writer(writer, &stored).map_err(io::Error::from)
    }

    /// The checksum of a profile that holds none.
    fn check(&self) -> serde_json::Result<String> {
        let bytes = serde_json::to_vec(self)?;
        Ok(format!("{:016x}", xxh3_64(&bytes)))
    }

    /// Reads what [`RecordedProfile::write`] has written.
    ///
    /// # Errors
    ///
    /// If it is something else, with the line and column; if its checksum does not match.
    pub fn read(text: &str) -> Result<Self, Error> {
        let refuse = |reason: String| Error::from(Kind::BadProfile { reason });
        let told = |error: serde_json::Error| refuse(error.to_string());
        let mut profile: Self = serde_json::from_str(text).map_err(told)?;
        if profile.layout != LAYOUT {
            return Err(refuse(format!(
                "its layout is {}, this version reads layout {LAYOUT}",
                profile.layout
            )));
        }
        let checksum = std::mem::take(&mut profile.checksum);
        if checksum != profile.check().map_err(told)? && !cfg!(fuzzing) {
            return Err(refuse(String::from(
                "its checksum does not match: the file was damaged or edited",
            )));
        }
        let count = profile.frames.len();
        let uneven = |name: &&RecordedName| name.nanoseconds.len() != count;
        if let Some(name) = profile.names.iter().find(uneven) {
            return Err(refuse(format!(
                "`{}` has times of {} frames, but there are {count}",
                name.name,
                name.nanoseconds.len()
            )));
        }
        Ok(profile)
    }
}
