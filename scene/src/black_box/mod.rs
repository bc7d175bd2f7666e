//! The black box: the last seconds of a running program, written to a recording when something goes wrong.

mod condition;
mod tape;
mod write;

pub use write::Written;

use crate::registry::Registry;
use condition::Condition;
use gerust::runtime::{FrameWatcher, Kit, Runtime};
use gerust::schedule::Clock;
use gerust::{Error, ErrorKind};
use std::fmt;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::thread::JoinHandle;
use std::time::Duration;
use tape::Tape;

/// Bytes of the frames in memory, unless [`BlackBox::within`] sets another limit.
const MOST_BYTES: usize = 256 << 20;

/// Keeps the last seconds of a running program in memory, and writes them to a [recording](crate::Recording) when something goes wrong: a
/// frame fails, a [condition](Self::when) becomes true, the program [panics](Self::write_on_panic), or it [asks](Self::write) for it. All
/// commands that read recordings read the file.
///
/// It is a kit; a clone is a handle on the same black box, for the rest of the program and for other threads. Of each frame it keeps the
/// registered components, events and globals, the contacts, the control inputs, the switched systems and the times of the profile. Types that
/// are not registered are missing in the file, which lists their names.
///
/// A frame copies what has changed since the one before, 64 rows at a time, as [`Runtime::keep`] does; steady frames allocate nothing. Values
/// are serialized when a file is written, by the thread that writes it.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::{BlackBox, Recording};
/// use std::time::Duration;
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// let black_box = BlackBox::keeping(Duration::from_secs(2)).titled("a gull");
/// runtime.add_kit(black_box.clone())?;
/// runtime.world_mut().spawn((Name::new("gull"), Transform::default(), Velocity(Vec3::X)));
/// runtime.run_frames(500)?;
///
/// let mut file = Vec::new();
/// let written = black_box.write_to(&mut file)?;
/// assert_eq!(written.frames(), 380..=500, "two seconds");
/// let recording = Recording::from_bytes(file, "gull.rec")?;
/// assert_eq!((recording.first_frame(), recording.last_frame()), (380, 120));
/// assert_eq!(recording.digest(120), Some(runtime.world().digest()?));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone)]
pub struct BlackBox {
    time: Duration,
    most_bytes: usize,
    title: String,
    registry: Registry,
    conditions: Vec<String>,
    folder: Option<PathBuf>,
    shared: Arc<Shared>,
}

/// What the kit and its handles have in common.
#[derive(Default)]
struct Shared {
    tape: Mutex<Tape>,
    /// Whether a frame is under way: a panic in it is caught, and the frame fails.
    is_in_frame: AtomicBool,
    was_added: AtomicBool,
    /// The files that were written without being asked for, and those that are being written.
    written: Mutex<Vec<Writing>>,
}

enum Writing {
    Done(Result<Written, Error>),
    Running(JoinHandle<Result<Written, Error>>),
}

impl Shared {
    fn tape(&self) -> MutexGuard<'_, Tape> {
        // A frame that panicked while it was noted is the last one.
        self.tape.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn note(&self, writing: Writing) {
        let mut written = self.written.lock().unwrap_or_else(PoisonError::into_inner);
        written.push(writing);
    }

    fn take_written(&self) -> Vec<Result<Written, Error>> {
        let mut written = self.written.lock().unwrap_or_else(PoisonError::into_inner);
        let all = std::mem::take(&mut *written);
        drop(written);
        let wait = |writing| match writing {
            Writing::Done(done) => done,
            Writing::Running(thread) => thread.join().unwrap_or_else(|_| {
                Err(Error::new(
                    ErrorKind::Panic,
                    "the black box could not be written: a component panicked in its `Serialize`",
                ))
            }),
        };
        all.into_iter().map(wait).collect()
    }
}

impl BlackBox {
    /// A black box that keeps the frames of this last time, in scene time: a runtime with 60 frames per second keeps 1,200 frames in
    /// 20 seconds. At least one frame is kept.
    #[must_use]
    pub fn keeping(time: Duration) -> Self {
        Self {
            time,
            most_bytes: MOST_BYTES,
            title: String::from("black box"),
            registry: Registry::standard(),
            conditions: Vec::new(),
            folder: None,
            shared: Arc::default(),
        }
    }

    /// Sets how many bytes the frames may take; 256 MiB unless it is called. When they take more, the oldest frames go. Values on the heap
    /// of components are not counted.
    #[must_use]
    pub fn within(mut self, bytes: usize) -> Self {
        self.most_bytes = bytes;
        self
    }

    /// Sets the title of the recordings, with which the names of automatic files begin.
    #[must_use]
    pub fn titled(mut self, title: &str) -> Self {
        title.clone_into(&mut self.title);
        self
    }

    /// Sets the registry, whose components and events are recorded; [`Registry::standard`] unless it is called.
    #[must_use]
    pub fn knowing(mut self, registry: Registry) -> Self {
        self.registry = registry;
        self
    }

    /// Sets the folder into which the black box writes a file by itself when a frame fails or a [condition](Self::when) becomes true. Without
    /// one it writes only when it is asked to. After such a file, the next one is written at the earliest when all its frames are new.
    #[must_use]
    pub fn writing_into(mut self, folder: impl Into<PathBuf>) -> Self {
        self.folder = Some(folder.into());
        self
    }

    /// Adds a condition in the language of expectations (`docs/scene-language.md`), which is asked after each frame. When it becomes true,
    /// a thread writes a file into the [folder](Self::writing_into). Adding the kit fails if it cannot be read.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{BlackBox, Recording};
    /// use std::time::Duration;
    ///
    /// let folder = std::env::temp_dir();
    /// let black_box = BlackBox::keeping(Duration::from_secs(1))
    ///     .titled("sunk pallets")
    ///     .writing_into(&folder)
    ///     .when("pallet.position.y < -2");
    /// let mut runtime = Runtime::new();
    /// runtime.add_kit(black_box.clone())?;
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    /// runtime.world_mut().spawn((Name::new("pallet"), Transform::default(), cube, Body::dynamic()));
    /// runtime.run_frames(90)?;
    ///
    /// let written = black_box.take_written().remove(0)?;
    /// let recording = Recording::load(written.path().expect("it is a file"))?;
    /// assert_eq!(recording.reason(), Some("`pallet.position.y < -2` holds in frame 39"));
    /// # std::fs::remove_file(written.path().unwrap())?;
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn when(mut self, condition: &str) -> Self {
        self.conditions.push(condition.to_owned());
        self
    }

    /// Writes the frames that are kept into a file, which replaces one of this name when it is complete. The program can run on meanwhile,
    /// if another thread calls this. O(frames · bytes).
    ///
    /// # Errors
    ///
    /// If no frame has run, if the file cannot be written, or if a component cannot be serialized.
    pub fn write(&self, path: impl AsRef<Path>) -> Result<Written, Error> {
        let kept = self.shared.tape().kept(None);
        write::into_file(kept, path.as_ref())
    }

    /// [`BlackBox::write`] into any writer.
    ///
    /// # Errors
    ///
    /// As [`BlackBox::write`].
    pub fn write_to(&self, writer: impl Write) -> Result<Written, Error> {
        let kept = self.shared.tape().kept(None);
        write::into_writer(kept, writer)
    }

    /// Waits for the files that are being written, and returns those that the black box has written by itself since the last call, or why
    /// it could not.
    #[must_use]
    pub fn take_written(&self) -> Vec<Result<Written, Error>> {
        self.shared.take_written()
    }

    /// The conditions that could not be answered in any frame so far, each with the reason: most often a name that no entity has.
    #[must_use]
    pub fn unanswered(&self) -> Vec<(String, String)> {
        self.shared.tape().unanswered()
    }

    /// Writes a file into the [folder](Self::writing_into) also when the program panics between two frames: it adds to the panic hook of
    /// the process. Panics in systems are caught and fail the frame, so that they need no hook, unless the program is compiled with
    /// `panic = "abort"`.
    pub fn write_on_panic(&self) {
        let black_box = Arc::downgrade(&self.shared);
        let Some(folder) = self.folder.clone() else {
            return;
        };
        let before = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |panic| {
            before(panic);
            let Some(shared) = black_box.upgrade() else {
                return;
            };
            let is_caught = cfg!(panic = "unwind") && shared.is_in_frame.load(Ordering::Relaxed);
            // A panic while a frame is noted holds the lock.
            if !is_caught && let Ok(mut tape) = shared.tape.try_lock() {
                let kept = tape.kept(Some(panic.to_string()));
                drop(tape);
                shared.note(Writing::Done(write::into_folder(kept, &folder)));
            }
        }));
    }
}

impl Kit for BlackBox {
    fn add_to(self, runtime: &mut Runtime) -> Result<(), Error> {
        let conditions = self.conditions.iter();
        let conditions: Result<Vec<Condition>, Error> =
            conditions.map(|text| Condition::parse(text)).collect();
        let conditions = conditions?;
        self.registry.enroll(runtime.world_mut())?;
        self.registry.enroll_events(runtime.world_mut());
        if self.shared.was_added.swap(true, Ordering::Relaxed) {
            return Err(Error::new(
                ErrorKind::InvalidArgument,
                "the black box was added to another runtime before; make one for each runtime",
            ));
        }
        let step = match runtime.world().find_global::<Clock>() {
            Some(clock) => clock.step(),
            None => Clock::default().step(),
        };
        let step = Duration::from_secs_f64(step);
        let frames = self.time.as_nanos().div_ceil(step.as_nanos().max(1));
        let frames = usize::try_from(frames).unwrap_or(usize::MAX).max(1);
        *self.shared.tape() = Tape::new(
            self.title.clone(),
            self.registry.clone(),
            conditions,
            frames,
            self.most_bytes,
        );
        let watcher = Watcher {
            folder: self.folder,
            shared: self.shared,
            quiet_until: 0,
        };
        runtime.add_watcher("black box", watcher)
    }
}

impl fmt::Debug for BlackBox {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("BlackBox")
            .field("title", &self.title)
            .field("time", &self.time)
            .field("folder", &self.folder)
            .finish_non_exhaustive()
    }
}

/// Notes each frame.
struct Watcher {
    folder: Option<PathBuf>,
    shared: Arc<Shared>,
    /// The frame from which on a file would have new frames alone.
    quiet_until: u64,
}

impl FrameWatcher for Watcher {
    fn before(&mut self, runtime: &mut Runtime) {
        let mut tape = self.shared.tape();
        if tape.is_empty() {
            tape.note(runtime, None);
        }
        drop(tape);
        self.shared.is_in_frame.store(true, Ordering::Relaxed);
    }

    fn after(&mut self, runtime: &mut Runtime, failure: Option<&Error>) {
        self.shared.is_in_frame.store(false, Ordering::Relaxed);
        let mut tape = self.shared.tape();
        tape.note(runtime, failure);
        let frame = tape.last_frame();
        let reason = tape.reason(runtime, failure);
        let Some(((folder, reason), frame)) = self.folder.as_ref().zip(reason).zip(frame) else {
            return;
        };
        // Frame numbers go back when the program does.
        let most = tape.most_frames();
        self.quiet_until = self.quiet_until.min(frame + most);
        if frame < self.quiet_until {
            return;
        }
        self.quiet_until = frame + most;
        let kept = tape.kept(Some(reason));
        drop(tape);
        self.shared.note(match failure {
            // The program may end with this error, and would not wait.
            Some(_) => Writing::Done(write::into_folder(kept, folder)),
            None => {
                let folder = folder.clone();
                Writing::Running(std::thread::spawn(move || {
                    write::into_folder(kept, &folder)
                }))
            }
        });
    }
}

impl Drop for Watcher {
    /// A program that ends waits for its files.
    fn drop(&mut self) {
        let done = self.shared.take_written();
        for done in done {
            self.shared.note(Writing::Done(done));
        }
    }
}
