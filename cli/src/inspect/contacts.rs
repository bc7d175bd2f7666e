//! `gerust inspect SCENE contacts`.

use crate::failure::Failure;
use crate::output::{self, Seen};
use gerust::{Contact, ContactState, Contacts, Entity, World};
use glam::Vec3;
use serde::Serialize;
use std::fmt::Write;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct ContactsView {
    scene: String,
    frame: u64,
    /// Those that dynamic bodies could not be parted from.
    leftovers: usize,
    contacts: Vec<ContactView>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct ContactView {
    first: String,
    second: String,
    /// From the first towards the second.
    normal: Vec3,
    depth: f32,
    /// Newton seconds, and metres per second, in the frame.
    impulse: f32,
    approach: f32,
    state: &'static str,
    since: u64,
    kind: &'static str,
    leftover: bool,
    /// Which of the two stands on the other.
    standing: Option<String>,
}

impl ContactsView {
    /// All contacts, or those of one entity, in the order of the ids.
    pub(super) fn new(seen: &Seen<'_>, of: Option<Entity>) -> Result<Self, Failure> {
        let world = seen.world();
        let contacts = world.global::<Contacts>()?;
        let shown = contacts
            .iter()
            .chain(contacts.brief())
            .filter(|contact| of.is_none_or(|of| contact.first == of || contact.second == of));
        Ok(Self {
            scene: seen.file.clone(),
            frame: seen.frame,
            leftovers: contacts.leftovers().count(),
            contacts: shown
                .map(|contact| ContactView::new(world, &contacts, contact))
                .collect(),
        })
    }

    pub(super) fn text(&self) -> String {
        let mut text = format!(
            "after frame {}: {} contacts, {} of them left over by motion\n\n{:<NAME$} {:<NAME$} side {:>7} {:>9}  {:<5} {:>6}\n",
            self.frame,
            self.contacts.len(),
            self.leftovers,
            "first",
            "second",
            "depth m",
            "impulse",
            "state",
            "since",
        );
        for contact in &self.contacts {
            contact.push(&mut text);
        }
        text
    }
}

/// An impulse in five digits, with its unit.
fn newton_seconds(impulse: f32) -> String {
    let size = match impulse {
        0.0 => return String::from("-"),
        large if large >= 10_000.0 => format!("{large:.2e}"),
        large if large >= 100.0 => format!("{large:.0}"),
        small => format!("{small:.2}"),
    };
    format!("{size} Ns")
}

/// Columns for names.
const NAME: usize = 14;

impl ContactView {
    pub(crate) fn new(world: &World, contacts: &Contacts, contact: &Contact) -> Self {
        let pair = [
            (contact.first, contact.second),
            (contact.second, contact.first),
        ];
        let standing = pair.into_iter().find(|&(above, below)| {
            let standing = contacts.stands_on(above);
            standing.is_some_and(|standing| standing.carrier == below)
        });
        Self {
            first: world.label(contact.first),
            second: world.label(contact.second),
            // Plus nothing, so that no negative zero is shown.
            normal: contact.normal + Vec3::ZERO,
            depth: contact.depth,
            impulse: contact.impulse,
            approach: contact.approach,
            // Those that have ended within the frame are in no list.
            state: match contact.state {
                _ if contacts.between(contact.first, contact.second).is_none() => "brief",
                ContactState::Began => "began",
                ContactState::Held => "held",
                ContactState::Ended => "ended",
            },
            since: contact.since,
            kind: if contact.is_sensor { "sensor" } else { "solid" },
            leftover: contact.is_leftover,
            standing: standing.map(|(above, _)| world.label(above)),
        }
    }

    /// On which side of the first the second is.
    fn side(&self) -> String {
        let axis = self.normal.abs().max_position();
        let sign = if self.normal[axis] > 0.0 { '+' } else { '-' };
        format!("{sign}{}", ["x", "y", "z"][axis])
    }

    fn push(&self, text: &mut String) {
        let remark = match (self.leftover, &self.standing) {
            (true, _) => "  left over",
            (false, Some(above)) if *above == self.first => "  stands on it",
            (false, Some(_)) => "  carries it",
            (false, None) if self.kind == "sensor" => "  sensor",
            (false, None) => "",
        };
        // Writing to a string does not fail.
        let _ = writeln!(
            text,
            "{:<NAME$} {:<NAME$} {:<4} {:>7.4} {:>9}  {:<5} {:>6}{remark}",
            output::shortened(&self.first, NAME),
            output::shortened(&self.second, NAME),
            self.side(),
            self.depth,
            newton_seconds(self.impulse),
            self.state,
            self.since,
        );
    }
}
