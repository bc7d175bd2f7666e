//! Checks cues.

use super::Checker;
use crate::scene::cue::{Action, Cue};
use crate::scene::document::{CueEntry, SetEntry};
use crate::scene::place::{EntityPlan, Parts};
use toml::Spanned;

impl<'d> Checker<'d> {
    /// `spawned` is what the cue spawns, if it does.
    pub(super) fn check_cue(
        &mut self,
        entry: &'d Spanned<CueEntry>,
        spawned: Option<Vec<EntityPlan>>,
    ) -> Option<Cue> {
        self.enter(entry);
        let cue = entry.get_ref();
        let frame = match (&cue.frame, &cue.time) {
            (Some(frame), None) => Some(self.check_frame(frame, *frame.get_ref(), 1)),
            (None, Some(time)) => Some(self.frame_of_time(time, 1)),
            (None, None) => {
                if !self.was_at_fault(&["frame", "time"]) {
                    self.fault(
                        entry,
                        "this cue has no time",
                        "add `frame = …` or `time = …`",
                    );
                }
                None
            }
            (Some(_), Some(time)) => {
                self.fault(
                    time,
                    "`frame` and `time` are both given",
                    "keep one of the two",
                );
                None
            }
        };
        let mut actions = Vec::new();
        if let Some(set) = &cue.set {
            actions.push(self.check_set(set));
        }
        if let (Some(spawn), Some(plans)) = (&cue.spawn, spawned) {
            if let Some(parent) = &spawn.parent {
                self.check_name(parent);
            }
            actions.push(Action::Spawn(plans));
        }
        if let Some(despawn) = &cue.despawn {
            self.check_name(despawn);
            actions.push(Action::Despawn(despawn.get_ref().clone()));
        }
        if actions.len() != 1 && !self.was_at_fault(&["set", "spawn", "despawn", "entity"]) {
            self.fault(
                entry,
                format!("this cue does {} things", actions.len()),
                "give it exactly one of `set`, `spawn`, `despawn`; write another cue for another thing",
            );
        }
        Some(Cue {
            frame: frame?,
            action: actions.pop()?,
        })
    }

    fn check_set(&mut self, set: &'d SetEntry) -> Action {
        self.check_name(&set.entity);
        let parts = Parts::of_set(set, self.read.values(set.components.as_ref()));
        self.check_parts(&parts);
        Action::Set {
            entity: set.entity.get_ref().clone(),
            parts: Box::new(parts),
        }
    }
}
