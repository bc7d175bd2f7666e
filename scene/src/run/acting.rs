//! What rules and cues do before a frame.

use super::SceneRun;
use super::Watch;
use crate::action::{About, Action, ActionKind, Pair, Stage};
use crate::cue::{Rule, Side, Trigger};
use crate::document::VerdictEntry;
use crate::event_log::EventLog;
use crate::language::{Expression, Value};
use crate::names::NamesNow;
use crate::report::Outcome;
use gerust::runtime::Controls;
use gerust::schedule::Cause;

impl SceneRun {
    /// Moves control inputs as the scene says they are moved at a frame.
    fn move_controls(&mut self, frame: u64) {
        let scene = self.scene.clone();
        for track in &scene.parts.controls {
            for (_, value) in track.moves.iter().filter(|(at, _)| *at == frame) {
                let controls = self.runtime.world_mut().ensure_global::<Controls>();
                controls.set(&track.control, *value);
            }
        }
    }

    /// Carries out what rules bring about that have come to hold, and then what cues do in a frame.
    pub(super) fn carry_out_actions(&mut self, frame: u64, watch: Watch<'_>) {
        let scene = self.scene.clone();
        self.move_controls(frame);
        let due = scene.parts.cues.iter().filter(|cue| cue.at.include(frame));
        let actions: usize = due.clone().map(|cue| cue.actions.len()).sum();
        let questions = scene.parts.rules.len().max(actions);
        NamesNow::list(self.runtime.world_mut(), questions);
        for (rule, place) in scene.parts.rules.iter().zip(0..) {
            let stage = Stage::of(&scene, frame);
            match &rule.trigger {
                Trigger::When(condition) => {
                    if self.has_come_to_hold(rule, condition, place) {
                        self.carry_out(&rule.actions, &stage, &rule.text, watch);
                    }
                }
                Trigger::Contact(sides, condition) => {
                    let pairs = self.pairs_that_began(sides);
                    let about = pairs.into_iter().map(About::contact).collect();
                    self.carry_out_each(rule, place, condition.as_ref(), about, stage, watch);
                }
                Trigger::Event(name, condition) => {
                    let events = self.events_of(name);
                    let about = events.iter().map(About::event).collect();
                    self.carry_out_each(rule, place, condition.as_ref(), about, stage, watch);
                }
            }
        }
        let stage = Stage::of(&scene, frame);
        for cue in due {
            self.carry_out(&cue.actions, &stage, "", watch);
        }
        NamesNow::clear(self.runtime.world_mut());
    }

    /// Carries out what a rule brings about, for each thing that it is about of which its condition holds.
    fn carry_out_each(
        &mut self,
        rule: &Rule,
        place: usize,
        condition: Option<&Expression>,
        about: Vec<About<'_>>,
        stage: Stage<'_>,
        watch: Watch<'_>,
    ) {
        for (about, nth) in about.into_iter().zip(0..) {
            let holds = condition.is_none_or(|condition| {
                let asked = self.scene.asked(self.runtime.world(), about);
                condition.value(&asked) == Ok(Value::Truth(true))
            });
            let state = &mut self.rules[place];
            if holds && !(rule.once && state.has_fired) {
                state.has_fired = true;
                let stage = Stage {
                    about,
                    nth,
                    ..stage
                };
                self.carry_out(&rule.actions, &stage, &rule.text, watch);
            }
        }
    }

    /// The pairs that have begun to touch in the last frame, each in the order of the sides.
    fn pairs_that_began(&self, sides: &[Side; 2]) -> Vec<Pair> {
        let world = self.runtime.world();
        let Some(happenings) = world.find_global::<EventLog>() else {
            return Vec::new();
        };
        let begun = happenings.begun.iter();
        begun
            .filter_map(|&[a, b]| {
                let fits = |one, other| sides[0].takes(world, one) && sides[1].takes(world, other);
                match (fits(a, b), fits(b, a)) {
                    (true, _) => Some([a, b]),
                    (false, true) => Some([b, a]),
                    (false, false) => None,
                }
            })
            .collect()
    }

    fn has_come_to_hold(&mut self, rule: &Rule, condition: &Expression, place: usize) -> bool {
        let asked = self.scene.asked(self.runtime.world(), About::default());
        // What cannot be asked does not hold.
        let holds = condition.value(&asked) == Ok(Value::Truth(true));
        let state = &mut self.rules[place];
        let held = std::mem::replace(&mut state.held, holds);
        let is_due = holds && (rule.each_frame || !held) && !(rule.once && state.has_fired);
        state.has_fired |= is_due;
        is_due
    }

    /// `rule` is what brought it about, if it was one.
    fn carry_out(&mut self, actions: &[Action], stage: &Stage<'_>, rule: &str, watch: Watch<'_>) {
        let frame = stage.frame;
        for action in actions.iter().filter(|action| action.passes_chance(stage)) {
            if let ActionKind::Stop { verdict, why } = &action.kind {
                let why = why.clone().unwrap_or_else(|| match rule {
                    "" => String::from("a cue stops the scene"),
                    rule => rule.to_owned(),
                });
                let held = *verdict == VerdictEntry::Held;
                self.stopped
                    .get_or_insert(Outcome::stopped(frame - 1, held, why));
                continue;
            }
            let world = self.runtime.world_mut();
            match action.keeps_names() {
                true => NamesNow::outlast(world),
                false => NamesNow::clear(world),
            }
            if let Err(missed) = action.carry_out(&mut self.runtime, stage) {
                let told = format!("frame {frame}: {}: {}", action.describe(), missed.reason());
                self.missed_cues.add(told);
            }
            watch(Cause::Action(&action.describe()), self.runtime.world());
        }
    }
}

/// The actions that failed: their number, and the reasons of the first few.
#[derive(Default, Debug)]
pub(crate) struct MissedCues {
    count: usize,
    first: Vec<String>,
}

/// How many reasons are kept.
const REASONS_KEPT: usize = 64;

impl MissedCues {
    fn add(&mut self, reason: String) {
        self.count += 1;
        if self.first.len() < REASONS_KEPT {
            self.first.push(reason);
        }
    }

    /// A line for each reason that was kept, and one for the rest.
    pub(crate) fn lines(&self) -> Vec<String> {
        let mut lines = self.first.clone();
        let more = self.count - lines.len();
        if more > 0 {
            lines.push(format!("{more} more actions"));
        }
        lines
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn reasons_of_missed_actions_do_not_pile_up() {
        let mut missed = MissedCues::default();
        for number in 0..REASONS_KEPT + 7 {
            missed.add(format!("reason {number}"));
        }
        let lines = missed.lines();
        assert_eq!(lines.len(), REASONS_KEPT + 1);
        assert_eq!(
            (&*lines[0], &*lines[REASONS_KEPT]),
            ("reason 0", "7 more actions")
        );
    }
}
