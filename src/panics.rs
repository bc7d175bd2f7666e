//! Panics of user code that the runtime carries past its own work: their messages and their places.

use std::any::Any;
use std::collections::VecDeque;
use std::panic::{AssertUnwindSafe, PanicHookInfo, catch_unwind, resume_unwind};
use std::sync::{Mutex, Once, PoisonError};
use std::thread::ThreadId;

type Payload = Box<dyn Any + Send>;

/// Catches panics, so that work can be completed before the first of them continues.
#[derive(Default)]
pub(crate) struct Panics {
    first: Option<Payload>,
}

impl Panics {
    /// Runs `work`; `None` if it panics. What `work` changes must be whole after a panic.
    pub(crate) fn catch<R>(&mut self, work: impl FnOnce() -> R) -> Option<R> {
        match catch_unwind(AssertUnwindSafe(work)) {
            Ok(result) => Some(result),
            Err(payload) => {
                self.add(payload);
                None
            }
        }
    }

    fn add(&mut self, payload: Payload) {
        match &self.first {
            None => self.first = Some(payload),
            // A payload is a value of the user, too: its drop may panic.
            Some(_) => drop(catch_unwind(AssertUnwindSafe(|| drop(payload)))),
        }
    }

    /// Takes over what others have caught later.
    pub(crate) fn join(&mut self, later: Self) {
        if let Some(payload) = later.first {
            self.add(payload);
        }
    }

    /// Drops values one by one: after a panic the rest still goes.
    pub(crate) fn drop_all<T>(&mut self, values: impl IntoIterator<Item = T>) {
        if !std::mem::needs_drop::<T>() {
            return values.into_iter().for_each(drop);
        }
        for value in values {
            self.catch(|| drop(value));
        }
    }

    /// The first panic, if there was one.
    pub(crate) fn take(&mut self) -> Option<Panic> {
        self.first.take().map(Panic::new)
    }

    /// Continues the first panic, if there was one.
    pub(crate) fn resume(self) {
        if let Some(payload) = self.first {
            resume_unwind(payload);
        }
    }
}

/// Runs work with a place for panics, and continues the first one at the end.
pub(crate) fn after_all<R>(work: impl FnOnce(&mut Panics) -> R) -> R {
    let mut panics = Panics::default();
    let result = work(&mut panics);
    panics.resume();
    result
}

/// The message of a caught panic, and where it was raised.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Panic {
    pub(crate) message: String,
    pub(crate) place: Option<PanicPlace>,
}

/// A line of source code.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct PanicPlace {
    pub(crate) file: String,
    pub(crate) line: u32,
}

impl Panic {
    pub(crate) fn new(payload: Payload) -> Self {
        let text = text_of(&*payload).map(str::to_owned);
        let place = take_place(text.as_deref());
        // The payload may panic as it goes.
        drop(catch_unwind(AssertUnwindSafe(|| drop(payload))));
        Self {
            message: text.unwrap_or_else(|| String::from("no message")),
            place,
        }
    }

    /// "at file:line: message", for the end of a sentence.
    pub(crate) fn described(&self) -> String {
        match &self.place {
            Some(PanicPlace { file, line }) => format!("at {file}:{line}: {}", self.message),
            None => format!("at an unknown place: {}", self.message),
        }
    }
}

fn text_of(payload: &(dyn Any + Send)) -> Option<&str> {
    payload
        .downcast_ref::<&str>()
        .copied()
        .or_else(|| payload.downcast_ref::<String>().map(String::as_str))
}

/// A panic that the hook has seen.
struct Seen {
    thread: ThreadId,
    message: Option<String>,
    place: PanicPlace,
}

/// The last panics of the process, newest first. A payload does not say where it was raised, and one that rayon carries
/// from another thread not even on which; so panics are found again by their messages.
static SEEN: Mutex<VecDeque<Seen>> = Mutex::new(VecDeque::new());

/// How many panics are remembered.
const REMEMBERED: usize = 32;

/// Notes the places of panics from now on. The hook that was set before still gets them all.
pub(crate) fn note_places() {
    static ONCE: Once = Once::new();
    // Hooks cannot be changed while this thread panics; the next runtime tries again.
    if std::thread::panicking() {
        return;
    }
    ONCE.call_once(|| {
        let before = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            note(info);
            before(info);
        }));
    });
}

fn note(info: &PanicHookInfo<'_>) {
    let Some(location) = info.location() else {
        return;
    };
    let seen = Seen {
        thread: std::thread::current().id(),
        message: text_of(info.payload()).map(str::to_owned),
        place: PanicPlace {
            file: location.file().to_owned(),
            line: location.line(),
        },
    };
    let mut all = SEEN.lock().unwrap_or_else(PoisonError::into_inner);
    all.truncate(REMEMBERED - 1);
    all.push_front(seen);
}

/// The place of the newest panic with this message, on this thread if there was one.
fn take_place(message: Option<&str>) -> Option<PanicPlace> {
    let mut all = SEEN.lock().unwrap_or_else(PoisonError::into_inner);
    let here = std::thread::current().id();
    let says_so = |seen: &Seen| seen.message.as_deref() == message;
    let own = all
        .iter()
        .position(|seen| seen.thread == here && says_so(seen));
    let found = own.or_else(|| all.iter().position(says_so))?;
    all.remove(found).map(|seen| seen.place)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_after_one_that_panics_are_dropped_as_well() {
        struct Loud<'a>(u8, &'a Mutex<Vec<u8>>);
        impl Drop for Loud<'_> {
            fn drop(&mut self) {
                self.1.lock().expect("it is not held").push(self.0);
                assert!(self.0 != 1 && self.0 != 2, "{} is loud", self.0);
            }
        }
        note_places();
        let dropped = Mutex::new(Vec::new());
        let mut panics = Panics::default();
        panics.drop_all((0..4).map(|number| Loud(number, &dropped)));
        assert_eq!(*dropped.lock().expect("it is not held"), [0, 1, 2, 3]);
        let first = panics.take().expect("two of them panicked");
        assert_eq!(first.message, "1 is loud");
        assert!(
            first
                .place
                .is_some_and(|place| place.file.ends_with("panics.rs"))
        );
        assert!(panics.take().is_none());
    }

    #[test]
    fn the_place_of_a_panic_on_another_thread_is_found() {
        note_places();
        let line = line!() + 1;
        let thread = std::thread::spawn(|| panic!("far away, {}", 7));
        let panic = Panic::new(thread.join().expect_err("it panicked"));
        assert_eq!(panic.message, "far away, 7");
        assert_eq!(panic.place.map(|place| place.line), Some(line));
    }

    #[test]
    fn a_payload_without_text_has_no_message() {
        note_places();
        let payload = catch_unwind(|| std::panic::panic_any(7_u8)).expect_err("it panicked");
        assert_eq!(Panic::new(payload).message, "no message");
    }
}
