//! Counters that run down.

use crate::collide::{Contact, ContactState};
use crate::schedule::{Clock, Phase, System};
use crate::store::{Edits, Entity, Global, Inbox, Outbox, Rows};

/// A counter that runs down, by time and by each contact that begins. When nothing is left, a [`Worn`] is posted, once.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::{Wear, Worn};
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// runtime.set_step_seconds(0.5)?;
/// let rope = runtime.world_mut().spawn((Wear { per_second: 2.0, ..Wear::new(3.0) },));
/// runtime.run_frames(2)?;
/// assert_eq!(runtime.world().get::<Wear>(rope)?.left, 1.0);
/// runtime.run_frames(1)?;
/// assert_eq!(runtime.world().posted::<Worn>(), [Worn { entity: rope }]);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(rename_all = "kebab-case", deny_unknown_fields)
)]
pub struct Wear {
    /// The rest; it ends at 0.
    pub left: f32,
    /// How much a second takes away.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub per_second: f32,
    /// How much each contact takes away that begins.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub per_contact: f32,
    /// Whether the entity is despawned with its subtree when nothing is left.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub then_gone: bool,
}

impl Wear {
    /// A counter that nothing takes away from yet.
    #[must_use]
    pub fn new(left: f32) -> Self {
        Self {
            left,
            per_second: 0.0,
            per_contact: 0.0,
            then_gone: false,
        }
    }

    /// Takes away, and says whether that was the last of it.
    fn take(&mut self, amount: f32) -> bool {
        let was_left = self.left > 0.0;
        if amount > 0.0 {
            let left = self.left - amount;
            // Rounding of sums must not put the end off by a frame.
            self.left = if left > amount * 1e-3 { left } else { 0.0 };
        }
        was_left && self.left <= 0.0
    }
}

/// Posted when nothing is left of a [`Wear`].
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Worn {
    /// Whose.
    pub entity: Entity,
}

type Claims<'w> = (
    Rows<'w, (Entity, &'static mut Wear)>,
    Inbox<'w, Contact>,
    Global<'w, Clock>,
    Outbox<'w, Worn>,
    Edits<'w>,
);

pub(super) fn system() -> System {
    System::named("standard: wear")
        .phase(Phase::React)
        .takes::<Claims>()
        .runs(wear)
}

fn wear((mut rows, mut contacts, clock, mut worn, mut edits): Claims<'_>) {
    if rows.is_empty() {
        // They must not accumulate for a later reader.
        contacts.take_unread().for_each(drop);
        return;
    }
    let mut end = |entity: Entity, then_gone: bool| {
        worn.post(Worn { entity });
        if then_gone {
            edits.despawn(entity);
        }
    };
    for contact in contacts.take_unread() {
        if contact.state != ContactState::Began {
            continue;
        }
        for entity in [contact.first, contact.second] {
            if let Some((_, wear)) = rows.get_mut(entity)
                && wear.take(wear.per_contact)
            {
                end(entity, wear.then_gone);
            }
        }
    }
    let step = clock.step_seconds();
    rows.each(|(entity, wear)| {
        if wear.take(wear.per_second * step) {
            end(entity, wear.then_gone);
        }
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_end_comes_in_the_frame_in_which_it_is_due() {
        let mut wear = Wear::new(0.1);
        let step = 1.0_f32 / 60.0;
        let last = (1..).find(|_| wear.take(step));
        assert_eq!((last, wear.left), (Some(6), 0.0));
    }

    #[test]
    fn the_end_comes_once() {
        let mut wear = Wear::new(1.0);
        assert!(!wear.take(0.5));
        assert!(!wear.take(-3.0), "nothing is given back");
        assert!(wear.take(0.75));
        assert_eq!(wear.left, 0.0);
        assert!(!wear.take(1.0));
        assert!(
            !Wear::new(0.0).take(1.0),
            "what has ended before does not end again"
        );
    }
}
