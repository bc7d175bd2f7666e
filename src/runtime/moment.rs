//! Going back in memory.

use super::frame_loop::Runtime;
use crate::collide::{Contacts, KeptContacts, SavedContacts};
use crate::error::{Error, ErrorKind};
use crate::schedule::Clock;
use crate::store::{KeptWorld, World};
use rustc_hash::FxHashSet;
use std::collections::VecDeque;
use std::fmt;
use std::sync::Arc;

/// The state of a runtime at one time, in memory; from [`Runtime::keep`].
///
/// A moment shares unchanged values with the one before, 64 rows at a time. Cloning it is O(1).
#[derive(Clone)]
pub struct Moment(Arc<Kept>);

pub(super) struct Kept {
    clock: Clock,
    world: KeptWorld,
    contacts: Option<KeptContacts>,
    /// The systems that are switched off, and those of Setup that have had their run.
    switches: Arc<Switches>,
}

#[derive(PartialEq, Eq)]
struct Switches {
    off: Vec<String>,
    set_up: Vec<String>,
}

impl Moment {
    /// The number of the latest frame at that time.
    #[must_use]
    pub fn frame(&self) -> u64 {
        self.0.clock.frame()
    }
}

impl fmt::Debug for Moment {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Moment")
            .field("frame", &self.frame())
            .finish_non_exhaustive()
    }
}

impl Runtime {
    /// Copies the state of the runtime in memory: what [`Runtime::save`] writes, without writing it. Unregistered components, globals and
    /// events are not part of it.
    ///
    /// The first call lets the world note when rows of registered types are written, which adds about 5 % to a walk that writes them.
    /// O(rows / 64 + what was written since the last call + contacts).
    ///
    /// # Panics
    ///
    /// If the clone of a component, a global or an event panics.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    /// let floor = Collider::solid(Aabb::from_center(Vec3::NEG_Y, Vec3::new(9.0, 1.0, 9.0)));
    /// runtime.world_mut().spawn((Transform::default(), floor));
    /// let pallet = runtime.world_mut().spawn((Transform::at(0.0, 3.0, 0.0), cube, Body::dynamic()));
    /// runtime.run_frames(20)?;
    /// let moment = runtime.keep();
    ///
    /// runtime.run_frames(60)?;
    /// let landed = runtime.world().digest()?;
    /// runtime.world_mut().despawn(pallet)?;
    ///
    /// runtime.go_back(&moment)?;
    /// assert_eq!(runtime.world().global::<Clock>()?.frame(), 20);
    /// runtime.run_frames(60)?;
    /// assert_eq!(runtime.world().digest()?, landed);
    /// # Ok::<(), Error>(())
    /// ```
    pub fn keep(&mut self) -> Moment {
        // A world that was replaced is installed by the next frame; until then it has nothing that is registered.
        let _ = self.meet_world();
        let previous = self.last_kept.take();
        let previous = previous.as_deref();
        let switches = Switches {
            off: self.schedule.off_names(),
            set_up: self.schedule.set_up_names(),
        };
        let kept = Arc::new(Kept {
            clock: *self.clock_mut(),
            contacts: self.world.find_global::<Contacts>().map(|contacts| {
                contacts.kept(previous.and_then(|previous| previous.contacts.as_ref()))
            }),
            switches: match previous {
                Some(previous) if *previous.switches == switches => Arc::clone(&previous.switches),
                _ => Arc::new(switches),
            },
            world: self.world.keep(previous.map(|previous| &previous.world)),
        });
        self.last_kept = Some(Arc::clone(&kept));
        Moment(kept)
    }

    /// Puts the runtime back to a moment that was kept of it. The frames that follow repeat bit for bit, within the limits of
    /// [`Runtime::save`]. Entities that came later are gone, and their ids are handed out again: drop all that you have stored of them.
    /// O(values), and about the cost of a frame.
    ///
    /// # Errors
    ///
    /// If the moment is that of another runtime, or of a world that was replaced: then nothing is changed. Also if the state is invalid, for
    /// example because a placement is not finite: the runtime then has that state.
    ///
    /// # Panics
    ///
    /// If the clone or the drop of a component panics.
    pub fn go_back(&mut self, moment: &Moment) -> Result<(), Error> {
        self.get_ready()?;
        let kept = &*moment.0;
        // Rows are written anew, so the next moment shares nothing with this one.
        self.last_kept = None;
        if !self.world.put_back(&kept.world) {
            return Err(Error::new(
                ErrorKind::InvalidArgument,
                "cannot go back: the moment was kept of another world; go back to one of this runtime",
            ));
        }
        self.world.set_global(kept.clock);
        self.world.put_globals_back(&kept.world);
        let Switches { off, set_up } = &*kept.switches;
        let contacts = kept.contacts.as_ref().map(KeptContacts::saved);
        self.take_up(off, set_up, contacts, |world| {
            world.put_events_back(&kept.world)
        })
    }

    /// Continues from a world that was put back: derives what is not kept, and replaces the contacts that this finds.
    pub(super) fn take_up(
        &mut self,
        off: &[String],
        set_up: &[String],
        saved: Option<SavedContacts>,
        put_events: impl FnOnce(&mut World),
    ) -> Result<(), Error> {
        self.schedule.switch_all_but(off);
        self.schedule.take_as_set_up(set_up);
        if let Some((contacts, saved)) = self.contacts_mut().zip(saved.as_ref()) {
            contacts.take_settings(saved);
        }
        let settled = self.settle();
        if let Some((contacts, saved)) = self.contacts_mut().zip(saved) {
            contacts.put_back(saved);
        }
        // Those that were found just now have begun before.
        self.world.forget_events();
        put_events(&mut self.world);
        settled
    }

    fn contacts_mut(&mut self) -> Option<&mut Contacts> {
        self.world.find_global_mut::<Contacts>()
    }
}

/// The last moments of a runtime, at most a given number: to rewind.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::Moments;
///
/// let mut runtime = Runtime::new();
/// let mut moments = Moments::ring(100);
/// for _ in 0..150 {
///     runtime.run_frames(1)?;
///     moments.keep(&mut runtime);
/// }
/// assert_eq!(moments.frames(), Some(51..=150));
/// moments.go_back(&mut runtime, 120)?;
/// assert_eq!(runtime.world().global::<Clock>()?.frame(), 120);
/// assert_eq!(moments.frames(), Some(51..=120), "the later ones are dropped");
/// assert!(moments.go_back(&mut runtime, 20).is_err());
/// # Ok::<(), Error>(())
/// ```
#[derive(Debug)]
pub struct Moments {
    most: usize,
    moments: VecDeque<Moment>,
}

impl Moments {
    /// An empty ring that holds at most this number of moments, and at least one: a new one replaces the oldest.
    #[must_use]
    pub fn ring(most: usize) -> Self {
        Self {
            most: most.max(1),
            moments: VecDeque::new(),
        }
    }

    /// Adds the present moment of a runtime; see [`Runtime::keep`].
    ///
    /// # Panics
    ///
    /// As [`Runtime::keep`].
    pub fn keep(&mut self, runtime: &mut Runtime) {
        if self.moments.len() == self.most {
            self.moments.pop_front();
        }
        self.moments.push_back(runtime.keep());
    }

    /// How many moments it holds.
    #[must_use]
    pub fn len(&self) -> usize {
        self.moments.len()
    }

    /// Whether it holds none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.moments.is_empty()
    }

    /// All moments, the oldest first.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = &Moment> {
        self.moments.iter()
    }

    /// The frames of the oldest and the latest moment; `None` if there is no moment.
    #[must_use]
    pub fn frames(&self) -> Option<std::ops::RangeInclusive<u64>> {
        Some(self.moments.front()?.frame()..=self.moments.back()?.frame())
    }

    /// Puts a runtime back to the latest moment that was kept in a frame or before it, and drops the later moments.
    ///
    /// # Errors
    ///
    /// If there is no such moment; otherwise as [`Runtime::go_back`]. No moment is dropped then.
    ///
    /// # Panics
    ///
    /// As [`Runtime::go_back`].
    pub fn go_back(&mut self, runtime: &mut Runtime, frame: u64) -> Result<(), Error> {
        let later = self.moments.iter().rev();
        let later = later.take_while(|moment| moment.frame() > frame).count();
        let kept = self.moments.len() - later;
        let Some(moment) = kept.checked_sub(1).map(|at| &self.moments[at]) else {
            let frames = match self.frames() {
                Some(frames) => format!("name one from {} on", frames.start()),
                None => String::from("keep one first"),
            };
            return Err(Error::new(
                ErrorKind::InvalidArgument,
                format!(
                    "cannot go back to frame {frame}: no moment of it or of before was kept; {frames}"
                ),
            ));
        };
        runtime.go_back(moment)?;
        self.moments.truncate(kept);
        Ok(())
    }

    /// Bytes of all moments, without what values refer to on the heap. Parts that moments share count once. O(chunks of all moments).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::runtime::Moments;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().spawn_many((0..1_000_u16).map(|i| (Transform::at(f32::from(i), 0.0, 0.0),)));
    /// let mut moments = Moments::ring(60);
    /// for _ in 0..60 {
    ///     moments.keep(&mut runtime);
    /// }
    /// let once = size_of::<Transform>() * 1_000;
    /// assert!(moments.memory() > once && moments.memory() < 3 * once, "nothing has moved");
    /// ```
    #[must_use]
    pub fn memory(&self) -> usize {
        let mut seen = FxHashSet::default();
        let mut bytes = 0;
        for moment in &self.moments {
            let kept = &*moment.0;
            bytes += size_of::<Kept>() + kept.world.own_bytes();
            let mut note = |part: *const (), size: usize| {
                if seen.insert(part) {
                    bytes += size;
                }
            };
            kept.world.shared_parts(&mut note);
            if let Some(contacts) = &kept.contacts {
                contacts.shared_parts(&mut note);
            }
        }
        bytes
    }
}
