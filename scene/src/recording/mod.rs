//! Recordings: all frames of a run in a file.

mod change;
mod item;
mod moments;
mod playback;
mod recorder;
mod resume;
mod write;

pub use playback::Playback;
pub use recorder::Recorder;
pub use resume::ResumeError;
pub use write::RecordingWriter;

pub(crate) use item::{FrameTimes, SpanTimes};
pub(crate) use moments::{Heading, MomentRecorder};
pub(crate) use recorder::missing_in;

use crate::debug_as_message;
use crate::error_kinds::RecordingErrorKind;
use crate::report::Report;
use crate::values::datum_of;
use gerust::Profiler;
use gerust::Runtime;
use gerust::profile::{Category, MeasuredSpan};
use gerust::store::Datum;
use item::{
    CHAINED, End, FORMAT, FrameItem, Happened, Header, Item, Unwrapped, VERSION, unwrapped,
};
use std::fmt;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// A run recorded by a [`RecordingWriter`]: the registered components of all entities after each frame.
///
/// Any frame can be read without the scene, its systems or its component types. A damaged recording is read up to the
/// damage.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::{Recording, RecordingWriter, Registry, Scene};
///
/// let text = "title = 'a gull'\nframes = 60\n[[entities]]\nname = 'gull'\ncomponents.velocity = [6, 0, 0]\n";
/// let scene = Scene::parse(text, "gull.toml", &Registry::standard())?;
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// let mut run = scene.start(runtime)?;
/// let mut writer = RecordingWriter::begin(Vec::new(), &run)?;
/// while run.run_frame()? {
///     writer.note(&run)?;
/// }
/// let bytes = writer.finish(&run)?;
///
/// let recording = Recording::from_bytes(bytes, "gull.rec")?;
/// assert_eq!((recording.title(), recording.last_frame()), ("a gull", 60));
/// assert!(recording.damage().is_none());
/// let mut playback = recording.playback();
/// let snapshot = playback.go_to(30)?;
/// let gull = snapshot.entities().next().expect("it is there");
/// let x = snapshot.value(gull, "transform").expect("it has one").at("translation.0").expect("of three");
/// assert!((x.read::<f64>()? - 3.0).abs() < 1e-4);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Recording {
    path: PathBuf,
    bytes: Vec<u8>,
    header: Header,
    frames: Vec<Place>,
    end: Option<End>,
    damage: Option<Damage>,
    /// The frames that failed, with their errors.
    failures: Vec<(u64, String)>,
    frames_with_times: u64,
    contacts_begun: u64,
}

/// The categories of spans in a recording.
const CATEGORIES: [Category; 4] = [
    Category::Phase,
    Category::System,
    Category::Part,
    Category::Block,
];

/// Where a frame stands.
#[derive(Clone, Copy, Debug)]
struct Place {
    start: usize,
    is_key: bool,
    digest: u64,
    /// The checksum of the item before it.
    before: u64,
}

/// From where on a recording cannot be read.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Damage {
    byte: usize,
    reason: String,
}

impl Damage {
    /// The first byte, from 0, of what cannot be read.
    #[must_use]
    pub fn byte(&self) -> usize {
        self.byte
    }

    /// The problem.
    #[must_use]
    pub fn reason(&self) -> &str {
        &self.reason
    }
}

impl fmt::Display for Damage {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} at byte {}", self.reason, self.byte)
    }
}

/// Why a recording was not read, or not written.
///
/// # Example
///
/// ```
/// use gerust_scene::Recording;
///
/// let error = Recording::from_bytes(b"title = 'no recording'".to_vec(), "quay.toml").unwrap_err();
/// assert!(error.to_string().starts_with("quay.toml is no recording"));
/// assert!(Recording::load("no/such/file.rec").is_err());
/// ```
#[derive(thiserror::Error)]
#[error(transparent)]
pub struct RecordingError(#[from] Kind);

debug_as_message!(RecordingError);

impl RecordingError {
    /// The kind of the error.
    #[must_use]
    pub fn kind(&self) -> RecordingErrorKind {
        match &self.0 {
            Kind::Unreadable { .. } => RecordingErrorKind::Unreadable,
            Kind::NoRecording { .. } => RecordingErrorKind::NoRecording,
            Kind::Newer { .. } => RecordingErrorKind::Newer,
            Kind::NoSuchFrame { .. } => RecordingErrorKind::NoSuchFrame,
            Kind::Damaged { .. } => RecordingErrorKind::Damaged,
        }
    }
}

#[derive(thiserror::Error, Debug)]
enum Kind {
    #[error("{} cannot be read: {source}; check the path", path.display())]
    Unreadable { path: PathBuf, source: io::Error },
    #[error("{} is no recording: {reason}; make one with `gerust run SCENE --record FILE`", path.display())]
    NoRecording { path: PathBuf, reason: String },
    #[error("{} was recorded by a newer version: its form is {found}, this reads form {VERSION}; update the program", path.display())]
    Newer { path: PathBuf, found: u32 },
    #[error("{} has no frame {frame}: its last is {last}; choose one up to that", path.display())]
    NoSuchFrame {
        path: PathBuf,
        frame: u64,
        last: u64,
    },
    #[error("{} cannot be read at frame {frame}: {reason}; frames before it can", path.display())]
    Damaged {
        path: PathBuf,
        frame: u64,
        reason: String,
    },
}

impl Recording {
    /// Reads a recording.
    ///
    /// # Errors
    ///
    /// If the file cannot be read, or does not begin like a recording. Damage further on is no error, see [`Recording::damage`].
    pub fn load(path: impl AsRef<Path>) -> Result<Self, RecordingError> {
        let path = path.as_ref().to_owned();
        match fs::read(&path) {
            Ok(bytes) => Self::from_bytes(bytes, path),
            Err(source) => Err(Kind::Unreadable { path, source }.into()),
        }
    }

    /// Reads a recording from bytes; the path stands for it in messages.
    ///
    /// # Errors
    ///
    /// If they do not begin like a recording.
    pub fn from_bytes(bytes: Vec<u8>, path: impl AsRef<Path>) -> Result<Self, RecordingError> {
        let path = path.as_ref().to_owned();
        let first = unwrapped(&bytes, 0);
        let (header, length, check) = match first {
            Ok(Unwrapped {
                item: Item::Header(header),
                length,
                check,
            }) if header.format == FORMAT => (*header, length, check),
            Ok(_) => {
                let reason = String::from("it does not begin with the header of one");
                return Err(Kind::NoRecording { path, reason }.into());
            }
            Err(reason) => return Err(Kind::NoRecording { path, reason }.into()),
        };
        if header.version > VERSION {
            let found = header.version;
            return Err(Kind::Newer { path, found }.into());
        }
        let mut recording = Self {
            path,
            bytes,
            header,
            frames: Vec::new(),
            end: None,
            damage: None,
            failures: Vec::new(),
            frames_with_times: 0,
            contacts_begun: 0,
        };
        recording.list_frames(length, check);
        Ok(recording)
    }

    /// Returns whether a file begins like a recording. Returns `false` if it cannot be read or is not a regular file.
    ///
    /// # Example
    ///
    /// ```
    /// assert!(!gerust_scene::Recording::is_one("no/such/file.rec"));
    /// ```
    #[must_use]
    pub fn is_one(path: impl AsRef<Path>) -> bool {
        // The header is one of the first items that a file holds, and short; scene files are short as a whole.
        let is_file = fs::metadata(&path).is_ok_and(|file| file.is_file());
        let bytes = match is_file {
            true => fs::read(path).unwrap_or_default(),
            false => return false,
        };
        match unwrapped(&bytes, 0).map(|first| first.item) {
            Ok(Item::Header(header)) => header.format == FORMAT,
            _ => false,
        }
    }

    fn list_frames(&mut self, mut at: usize, check: u64) {
        let is_chained = self.header.version >= CHAINED;
        let mut before = if is_chained { check } else { 0 };
        let damage = loop {
            if at == self.bytes.len() {
                break match self.end {
                    Some(_) => None,
                    None => Some(String::from("the file ends before the run does")),
                };
            }
            let (item, next) = match unwrapped(&self.bytes[at..], before) {
                Ok(read) => (read.item, (at + read.length, read.check)),
                Err(reason) => break Some(reason),
            };
            match (item, next.0) {
                _ if self.end.is_some() => break Some(String::from("something follows the end")),
                (Item::Frame(frame), next) => {
                    let is_expected = frame.frame == self.frames.len() as u64;
                    if !is_expected || (self.frames.is_empty() && !frame.key) {
                        break Some(format!("frame {} comes out of turn", frame.frame));
                    }
                    self.frames_with_times += u64::from(frame.times.is_some());
                    self.contacts_begun += frame.happened.begun.len() as u64;
                    let failure = frame.failure.map(|error| (frame.frame, error));
                    self.failures.extend(failure);
                    self.frames.push(Place {
                        start: at,
                        is_key: frame.key,
                        digest: frame.digest,
                        before,
                    });
                    at = next;
                }
                (Item::End(end), next) => {
                    self.end = Some(end);
                    at = next;
                }
                (Item::Header(_), _) => break Some(String::from("a second header follows")),
            }
            if is_chained {
                before = next.1;
            }
        };
        self.damage = damage.map(|reason| Damage { byte: at, reason });
    }

    fn item(&self, frame: u64) -> Result<FrameItem, RecordingError> {
        let places = usize::try_from(frame).ok();
        let place = places.and_then(|frame| self.frames.get(frame));
        let Some(place) = place else {
            return Err(self.no_such_frame(frame));
        };
        match unwrapped(&self.bytes[place.start..], place.before).map(|read| read.item) {
            Ok(Item::Frame(item)) => Ok(*item),
            _ => Err(self.damaged(frame, "it was readable before")),
        }
    }

    fn no_such_frame(&self, frame: u64) -> RecordingError {
        let path = self.path.clone();
        let last = self.last_frame();
        Kind::NoSuchFrame { path, frame, last }.into()
    }

    fn damaged(&self, frame: u64, reason: impl Into<String>) -> RecordingError {
        Kind::Damaged {
            path: self.path.clone(),
            frame,
            reason: reason.into(),
        }
        .into()
    }

    /// The path that it was read from.
    #[must_use]
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The title of the scene.
    #[must_use]
    pub fn title(&self) -> &str {
        &self.header.title
    }

    /// The scene file, as it was named when it was recorded.
    #[must_use]
    pub fn scene(&self) -> &Path {
        Path::new(&self.header.scene)
    }

    /// The parameters that the scene was given, by name.
    pub fn parameters(&self) -> impl Iterator<Item = (&str, &str)> {
        let given = self.header.parameters.iter();
        given.map(|(name, value)| (name.as_str(), value.as_str()))
    }

    /// How much scene time a frame takes, in seconds.
    #[must_use]
    pub fn step_seconds(&self) -> f64 {
        self.header.settings.step
    }

    /// How many frames the scene was to run; 0 for a recording by a [`Recorder`].
    #[must_use]
    pub fn planned_frames(&self) -> u64 {
        self.header.frames
    }

    /// The number that frame 0 of the recording had in the runtime; 0 unless a [`Recorder`] began later.
    #[must_use]
    pub fn first_frame(&self) -> u64 {
        self.header.first
    }

    /// The last frame that can be read. Frame 0 is the state as loaded.
    #[must_use]
    pub fn last_frame(&self) -> u64 {
        (self.frames.len() as u64).saturating_sub(1)
    }

    /// How many expectations held and how many failed; nothing if the end of the run is missing.
    #[must_use]
    pub fn verdict(&self) -> Option<(u64, u64)> {
        self.end.map(|end| (end.held, end.failed))
    }

    /// From where on it cannot be read.
    #[must_use]
    pub fn damage(&self) -> Option<&Damage> {
        self.damage.as_ref()
    }

    /// The digest of the world after a frame ([`World::digest`](gerust::World::digest)); nothing if there is no such frame. O(1).
    #[must_use]
    pub fn digest(&self, frame: u64) -> Option<u64> {
        let frame = usize::try_from(frame).ok()?;
        self.frames.get(frame).map(|place| place.digest)
    }

    /// What happened in a frame besides changes of components.
    fn happened(&self, frame: u64) -> Result<Happened, RecordingError> {
        Ok(self.item(frame)?.happened)
    }

    /// The events of a frame, each with its registered name and its value, by name and then in order.
    ///
    /// # Errors
    ///
    /// If there is no such frame.
    pub fn events(&self, frame: u64) -> Result<Vec<(String, Datum)>, RecordingError> {
        let happened = self.happened(frame)?;
        let all = happened.events.into_iter();
        Ok(all
            .flat_map(|(name, events)| {
                let named = events.into_iter();
                named.map(move |event| (name.clone(), datum_of(&event)))
            })
            .collect())
    }

    /// Why a [`BlackBox`](crate::BlackBox) has written it; `None` if it was made in another way, or on request.
    #[must_use]
    pub fn reason(&self) -> Option<&str> {
        self.header.reason.as_deref()
    }

    /// The names of the types that were not registered in the program and are therefore not recorded. Only a
    /// [`BlackBox`](crate::BlackBox) and a [`Recorder`] list them.
    #[must_use]
    pub fn missing(&self) -> &[String] {
        &self.header.missing
    }

    /// The frames that failed, each with its error, as a [`BlackBox`](crate::BlackBox) or [`Recorder::advance`] has recorded them.
    pub fn failures(&self) -> impl ExactSizeIterator<Item = (u64, &str)> {
        let failures = self.failures.iter();
        failures.map(|(frame, error)| (*frame, error.as_str()))
    }

    /// In how many frames the times were recorded, which a [`BlackBox`](crate::BlackBox) does.
    #[must_use]
    pub fn frames_with_times(&self) -> u64 {
        self.frames_with_times
    }

    /// The results of the recorded run, given a runtime in the state of its last frame, with the
    /// [times](Self::add_times_to) of its frames in the profiler. How many expectations held is known, but not
    /// which: see [`verdict`](Self::verdict). Leftovers are not recorded.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Recorder, Recording, Registry};
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().spawn((Name::new("gull"), Transform::default()));
    /// let registry = Registry::standard();
    /// let mut recorder = Recorder::of(Vec::new(), "a gull", &mut runtime, &registry)?;
    /// runtime.run_frames(1)?;
    /// recorder.note(&runtime)?;
    ///
    /// let recording = Recording::from_bytes(recorder.finish()?, "gull.rec")?;
    /// let mut restored = Runtime::new();
    /// recording.restore_into(&mut restored, &registry, recording.last_frame())?;
    /// let report = recording.report(&restored);
    /// assert_eq!((report.title(), report.frames(), report.entities()), ("a gull", 1, 1));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn report(&self, runtime: &Runtime) -> Report {
        Report::of_recorded(
            self.title(),
            self.last_frame(),
            self.contacts_begun,
            runtime,
        )
    }

    /// Adds the times of its frames to a profiler, in order, and returns how many frames have some: only a
    /// [`BlackBox`](crate::BlackBox) records them. The profiler has to [keep](gerust::Profiler::keep_frames) as many frames.
    ///
    /// # Errors
    ///
    /// If a frame cannot be read.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::Profiler;
    /// use gerust::prelude::*;
    /// use gerust_scene::{BlackBox, Recording};
    /// use std::time::Duration;
    ///
    /// let mut runtime = Runtime::bare();
    /// let black_box = BlackBox::keeping(Duration::from_secs(1));
    /// runtime.add_kit(black_box.clone())?;
    /// runtime.add_system(System::named("tide").takes::<()>().runs(|()| {}))?;
    /// runtime.run_frames(10)?;
    /// let mut file = Vec::new();
    /// black_box.write_to(&mut file)?;
    ///
    /// let mut profiler = Profiler::default();
    /// let recording = Recording::from_bytes(file, "tide.rec")?;
    /// assert_eq!(recording.add_times_to(&mut profiler)?, 10);
    /// assert!(profiler.statistics().iter().any(|statistic| statistic.name() == "tide"));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn add_times_to(&self, profiler: &mut Profiler) -> Result<u64, RecordingError> {
        let mut count = 0;
        for frame in 0..self.frames.len() as u64 {
            let Some(times) = self.item(frame)?.times else {
                continue;
            };
            let spans = times.spans.iter().filter_map(|span| {
                let SpanTimes(category, name, depth, thread, start, took) = span;
                let mut categories = CATEGORIES.into_iter();
                Some(MeasuredSpan {
                    category: categories.find(|known| known.name() == *category)?,
                    name,
                    depth: *depth,
                    thread: *thread,
                    start: Duration::from_nanos(*start),
                    took: Duration::from_nanos(*took),
                })
            });
            let spans: Vec<MeasuredSpan<'_>> = spans.collect();
            profiler.add_measured(frame, Duration::from_nanos(times.took), &spans);
            count += 1;
        }
        Ok(count)
    }

    /// The control inputs of a frame that are not at rest, each with its name and value, by name.
    ///
    /// # Errors
    ///
    /// If there is no such frame.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::runtime::Controls;
    /// use gerust_scene::{Recorder, Recording, Registry};
    ///
    /// let mut runtime = Runtime::new();
    /// let mut recorder = Recorder::of(Vec::new(), "a crane", &mut runtime, &Registry::standard())?;
    /// runtime.world_mut().ensure_global::<Controls>().set("hoist", 0.5);
    /// runtime.run_frames(1)?;
    /// recorder.note(&runtime)?;
    /// let recording = Recording::from_bytes(recorder.finish()?, "crane.rec")?;
    /// assert_eq!(recording.controls(1)?, [(String::from("hoist"), 0.5)]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn controls(&self, frame: u64) -> Result<Vec<(String, f32)>, RecordingError> {
        Ok(self.happened(frame)?.controls.into_iter().collect())
    }

    /// Begins to look at frames.
    #[must_use]
    pub fn playback(&self) -> Playback<'_> {
        Playback::new(self)
    }
}

impl fmt::Debug for Recording {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Recording")
            .field("path", &self.path)
            .field("last_frame", &self.last_frame())
            .field("damage", &self.damage)
            .finish_non_exhaustive()
    }
}

#[cfg(test)]
mod tests;
