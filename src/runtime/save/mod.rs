//! Saving a runtime, and loading it in another process.

mod file;
mod whole;

pub use whole::replace_file;

use super::frame_loop::Runtime;
use super::moment::Moment;
use crate::collide::KeptContacts;
use crate::error::{Error, Kind};
use crate::schedule::Clock;
use crate::store::{Layout, PutEvents, PutGlobal, SavedChanges, Snapshot};
use file::{Pieces, not_saved};
use std::fmt;
use std::io::{Read, Write};
use std::path::Path;

/// The types of which a saved file has no values, because they are not registered; from [`Runtime::save`]. It prints as one line
/// per kind.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Unsaved {
    components: Vec<String>,
    globals: Vec<String>,
    events: Vec<String>,
}

impl Unsaved {
    /// The component types that some entity has and that are not registered, in alphabetical order.
    #[must_use]
    pub fn components(&self) -> &[String] {
        &self.components
    }

    /// The types of globals that are not registered, in alphabetical order.
    #[must_use]
    pub fn globals(&self) -> &[String] {
        &self.globals
    }

    /// The types of events that are not registered and of which an inbox has not seen all, in alphabetical order.
    #[must_use]
    pub fn events(&self) -> &[String] {
        &self.events
    }

    /// Whether the file lacks nothing.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self == &Self::default()
    }
}

impl fmt::Display for Unsaved {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let kinds = [
            ("components", &self.components, "register_component"),
            ("globals", &self.globals, "register_global"),
            ("events", &self.events, "register_event"),
        ];
        let kinds = kinds.iter().filter(|(_, names, _)| !names.is_empty());
        for (number, (kind, names, function)) in kinds.enumerate() {
            let names = names.join("`, `");
            let end = if number == 0 { "" } else { "\n" };
            write!(
                f,
                "{end}unsaved {kind}: `{names}`; register them by `World::{function}`"
            )?;
        }
        Ok(())
    }
}

impl Runtime {
    /// Writes the whole state of the runtime: entities with their ids, registered components, registered globals, the clock, contacts,
    /// registered events that an inbox has not seen, and which systems are switched off. Also the order of rows, in which walks visit them, and
    /// what systems have not seen yet of [`Written`](crate::Written), [`Attached`](crate::Attached) and [`Lost`](crate::Lost). Returns the
    /// names of what is not registered and therefore missing in the file.
    ///
    /// The runtime registers its own types, and the [`StandardKit`](crate::StandardKit) those of its components. Call it between frames.
    /// [`Runtime::load`] reads the file. O(values).
    ///
    /// Not part of the state: systems, templates, settings of threads and profiler, and the rest of real time that
    /// [`Runtime::advance`] keeps. World placements are resolved when a file is loaded: if a system after phase `Place` writes a
    /// [`Transform`](crate::Transform), systems before that phase see its effect one frame earlier.
    ///
    /// # Errors
    ///
    /// If the writer fails, or the `Serialize` of a value.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// #[derive(Clone, serde::Serialize, serde::Deserialize)]
    /// struct Tide { metres: f32 }
    ///
    /// fn quay() -> Result<Runtime, Error> {
    ///     let mut runtime = Runtime::new();
    ///     runtime.add_kit(StandardKit)?;
    ///     runtime.world_mut().register_global::<Tide>("tide")?;
    ///     Ok(runtime)
    /// }
    ///
    /// let mut runtime = quay()?;
    /// runtime.world_mut().set_global(Tide { metres: 2.5 });
    /// let gull = runtime.world_mut().spawn((Transform::default(), Velocity(Vec3::X)));
    /// runtime.run_frames(60)?;
    /// let mut file = Vec::new();
    /// assert!(runtime.save(&mut file)?.is_empty());
    ///
    /// let mut other = quay()?;
    /// other.load(&file[..])?;
    /// assert_eq!(other.world().global::<Clock>()?.frame(), 60);
    /// assert_eq!(other.world().global::<Tide>()?.metres, 2.5);
    /// runtime.run_frames(60)?;
    /// other.run_frames(60)?;
    /// assert_eq!(other.world().digest()?, runtime.world().digest()?);
    /// assert!(other.world().contains(gull));
    /// # Ok::<(), Error>(())
    /// ```
    pub fn save(&mut self, writer: impl Write) -> Result<Unsaved, Error> {
        self.meet_world()?;
        write_to(writer, &self.saved()?)?;
        Ok(self.unsaved())
    }

    /// [`Runtime::save`] into a file, as a whole or not at all: it is written beside the path, synced and renamed. A file that is there
    /// is replaced.
    ///
    /// # Errors
    ///
    /// As [`Runtime::save`]; the old file then stays.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let folder = tempfile::tempdir().unwrap();
    /// let path = folder.path().join("quay.save");
    /// let mut runtime = Runtime::new();
    /// runtime.run_frames(3)?;
    /// runtime.save_file(&path)?;
    /// let mut other = Runtime::new();
    /// other.load_file(&path)?;
    /// assert_eq!(other.world().global::<Clock>()?.frame(), 3);
    /// # Ok::<(), Error>(())
    /// ```
    pub fn save_file(&mut self, path: impl AsRef<Path>) -> Result<Unsaved, Error> {
        self.meet_world()?;
        let bytes = self.saved()?;
        let path = path.as_ref();
        replace_file(path, |file| file.write_all(&bytes)).map_err(|source| {
            Error::from(Kind::Io {
                verb: "write",
                what: format!("`{}`", path.display()),
                source,
                fix: "name a file in a folder that you can write to",
            })
        })?;
        Ok(self.unsaved())
    }

    /// Replaces the state of the runtime by one that [`Runtime::save`] has written, here or in another process. The same program then
    /// continues as if it had not stopped. The runtime must have the same systems, with the same names, and the same registered
    /// types; entities, registered globals, contacts and events of before are gone. Systems of phase `Setup` that had their run do not run
    /// again. O(values).
    ///
    /// # Errors
    ///
    /// If the reader fails, or if the file is damaged, of a newer version, or has a component, a global or an event that is not registered
    /// here or that its type cannot read (see [`World::set_component_version`](crate::World::set_component_version)). The runtime is then unchanged. Also if the loaded state
    /// is invalid, for example because a placement is not finite: the runtime then has that state.
    ///
    /// # Panics
    ///
    /// As [`World::restore`](crate::World::restore).
    pub fn load(&mut self, mut reader: impl Read) -> Result<(), Error> {
        let mut bytes = Vec::new();
        reader.read_to_end(&mut bytes).map_err(|source| {
            Error::from(Kind::Io {
                verb: "read",
                what: String::from("the saved runtime"),
                source,
                fix: "pass a reader that works",
            })
        })?;
        self.load_bytes(&bytes)
    }

    /// [`Runtime::load`] from a file.
    ///
    /// # Errors
    ///
    /// As [`Runtime::load`].
    ///
    /// # Panics
    ///
    /// As [`Runtime::load`].
    pub fn load_file(&mut self, path: impl AsRef<Path>) -> Result<(), Error> {
        let path = path.as_ref();
        let bytes = std::fs::read(path).map_err(|source| {
            Error::from(Kind::Io {
                verb: "read",
                what: format!("`{}`", path.display()),
                source,
                fix: "name a file that `Runtime::save_file` has written",
            })
        })?;
        self.load_bytes(&bytes)
    }

    fn saved(&mut self) -> Result<Vec<u8>, Error> {
        file::State::of(&self.world, &mut self.schedule)?.to_bytes()
    }

    /// What [`Runtime::save`], moments and recordings leave out: the names of types that are not registered. O(types).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Fuel(f32);
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().spawn((Fuel(1.0),));
    /// assert_eq!(runtime.unsaved().components(), ["Fuel"]);
    /// ```
    #[must_use]
    pub fn unsaved(&self) -> Unsaved {
        Unsaved {
            components: self.world.unregistered_components(),
            globals: self.world.unregistered_globals(),
            events: self.world.unregistered_events(),
        }
    }

    fn load_bytes(&mut self, bytes: &[u8]) -> Result<(), Error> {
        self.get_ready()?;
        let state = file::State::from_bytes(bytes)?;
        let parts = state.into_parts(&self.world)?;
        // Fails without a change; what follows does not fail before all is in place.
        self.last_kept = None;
        self.world
            .restore_as(&parts.snapshot, Some(&parts.layout))?;
        self.world.set_global(parts.clock);
        for put in parts.globals {
            put(&mut self.world);
        }
        let (events, changes, order) = (parts.events, parts.changes, parts.layout.order);
        self.take_up(&parts.off, &parts.set_up, parts.contacts, |world| {
            for put in events {
                put(world);
            }
            changes.put_back(world, &order)
        })
    }
}

impl Moment {
    /// Writes what [`Runtime::save`] would have written at that time, for example on another thread while the runtime runs on.
    /// [`Runtime::load`] reads it. O(values).
    ///
    /// # Errors
    ///
    /// If the writer fails, or the `Serialize` of a value.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_kit(StandardKit)?;
    /// let gull = runtime.world_mut().spawn((Transform::default(), Velocity(Vec3::X * 6.0)));
    /// runtime.run_frames(30)?;
    /// let moment = runtime.keep();
    /// let writer = std::thread::spawn(move || {
    ///     let mut file = Vec::new();
    ///     moment.save(&mut file).map(|()| file)
    /// });
    /// runtime.run_frames(30)?;
    ///
    /// let mut other = Runtime::new();
    /// other.add_kit(StandardKit)?;
    /// other.load(&writer.join().expect("it does not panic")?[..])?;
    /// assert_eq!(other.world().get::<Transform>(gull)?.translation.x.round(), 3.0);
    /// other.run_frames(30)?;
    /// assert_eq!(other.world().digest()?, runtime.world().digest()?);
    /// # Ok::<(), Error>(())
    /// ```
    pub fn save(&self, writer: impl Write) -> Result<(), Error> {
        let kept = &*self.0;
        let (world, switches) = (&kept.world, &kept.switches);
        let globals = world.written_globals();
        let events = world.written_events();
        let pieces = Pieces {
            snapshot: world.snapshot()?,
            components: world.component_versions(),
            layout: world.layout(),
            clock: kept.clock,
            globals: globals.map_err(|(name, reason)| not_saved("global", &name, reason))?,
            changes: world.written_changes(&kept.runs),
            events: events.map_err(|(name, reason)| not_saved("event", &name, reason))?,
            contacts: kept.contacts.as_ref().map(KeptContacts::saved),
            off: switches.off.clone(),
            set_up: switches.set_up.clone(),
        };
        write_to(writer, &file::State::new(pieces).to_bytes()?)
    }
}

fn write_to(mut writer: impl Write, bytes: &[u8]) -> Result<(), Error> {
    let written = writer.write_all(bytes).and_then(|()| writer.flush());
    written.map_err(|source| {
        Error::from(Kind::Io {
            verb: "write",
            what: String::from("the saved runtime"),
            source,
            fix: "pass a writer that works",
        })
    })
}

/// A state that has been read, ready to be put in place.
struct Parts {
    changes: SavedChanges,
    clock: Clock,
    snapshot: Snapshot,
    layout: Layout,
    globals: Vec<PutGlobal>,
    events: Vec<PutEvents>,
    contacts: Option<crate::collide::SavedContacts>,
    off: Vec<String>,
    set_up: Vec<String>,
}
