//! Recording moments of a runtime after the fact.

use super::item::{FrameItem, FrameTimes, Happened, Header};
use super::write::{Frames, not_written};
use crate::registry::Registry;
use crate::settings::Settings;
use ciborium::Value;
use gerust::collide::{Contact, ContactState};
use gerust::runtime::{Controls, Moment, Origin};
use std::io::{self, Write};

/// Writes a recording of moments that were kept after frames that follow each other.
pub(crate) struct MomentRecorder<W> {
    frames: Frames<W>,
}

/// The header of a recording of moments.
pub(crate) struct Heading {
    pub(crate) title: String,
    pub(crate) reason: Option<String>,
    /// The types that are not registered.
    pub(crate) missing: Vec<String>,
    pub(crate) settings: Settings,
    /// The saved first moment.
    pub(crate) state: Vec<u8>,
    /// The number of the frame of the first moment.
    pub(crate) first: u64,
}

impl<W: Write> MomentRecorder<W> {
    pub(crate) fn begin(to: W, heading: Heading) -> io::Result<Self> {
        let header = Header {
            title: heading.title,
            first: heading.first,
            reason: heading.reason,
            missing: heading.missing,
            state: Some(Value::Bytes(heading.state)),
            settings: heading.settings,
            ..Header::default()
        };
        let frames = Frames::begin(to, header)?;
        Ok(Self { frames })
    }

    pub(crate) fn note(
        &mut self,
        moment: &Moment,
        registry: &Registry,
        failure: Option<String>,
        times: &FrameTimes,
    ) -> io::Result<()> {
        let now = moment.snapshot().map_err(not_written)?;
        let extras = FrameItem {
            happened: happened_in(moment, registry),
            failure,
            times: (times.took > 0).then(|| times.clone()),
            ..FrameItem::default()
        };
        self.frames.write_with(now, extras)
    }

    pub(crate) fn finish(self) -> io::Result<W> {
        self.frames.finish(0, 0)
    }
}

/// The events, inputs and switches of the frame before a moment.
fn happened_in(moment: &Moment, registry: &Registry) -> Happened {
    let mut happened = Happened {
        off: moment.systems_off().to_vec(),
        ..Happened::default()
    };
    let origin = moment.global::<Origin>();
    happened.origin = origin.filter(|origin| origin.moves() > 0).cloned();
    let controls = moment.global::<Controls>().into_iter();
    let moved = controls
        .flat_map(Controls::iter)
        .filter(|(_, value)| *value != 0.0);
    happened.controls = moved
        .map(|(name, value)| (name.to_owned(), value))
        .collect();
    let contacts = moment.posted::<Contact>().iter();
    let begun = contacts.filter(|contact| contact.state == ContactState::Began);
    happened.begun = begun
        .map(|contact| [contact.first.into(), contact.second.into()])
        .collect();
    for (name, events, so_far) in registry.posted_in(moment) {
        if !events.is_empty() {
            happened.events.insert(name.to_owned(), events);
        }
        if so_far > 0 {
            happened.counts.insert(name.to_owned(), so_far);
        }
    }
    happened
}
