//! Simple state machines, whose transitions are logged.

use crate::collide::{Collider, Contacts};
use crate::schedule::{Clock, Phase, System};
use crate::store::{Entity, Global, Outbox, Rows};

/// How many transitions a machine remembers.
const REMEMBERED: usize = 16;

/// A state machine: a state by name, and transitions out of it. In each frame the first transition is taken that leads from the
/// state and whose condition holds; a [`Switched`] is posted then, and the machine remembers it.
///
/// If the entity's [`Collider`] has a box set of the name of the new state, that set counts from then on.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::{TransitionCondition, Machine, Switched, Transition};
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// runtime.set_step_seconds(0.5)?;
/// let machine = Machine::new("red")
///     .with(Transition::new("red", "green").on(TransitionCondition::Signal(String::from("go"))))
///     .with(Transition::new("green", "red").after(1.0));
/// let lamp = runtime.world_mut().spawn((machine,));
/// runtime.run_frames(5)?;
/// assert_eq!(runtime.world().get::<Machine>(lamp)?.state, "red");
///
/// runtime.world_mut().get_mut::<Machine>(lamp)?.signal = String::from("go");
/// runtime.run_frames(1)?;
/// let switched = Switched { entity: lamp, from: "red".into(), to: "green".into() };
/// assert_eq!(runtime.world().posted::<Switched>(), [switched]);
/// runtime.run_frames(2)?;
/// let machine = runtime.world().get::<Machine>(lamp)?;
/// assert_eq!(machine.state, "red");
/// let log: Vec<_> = machine.log.iter().map(|entry| (entry.frame, entry.to.as_str())).collect();
/// assert_eq!(log, [(6, "green"), (8, "red")]);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(rename_all = "kebab-case", deny_unknown_fields)
)]
#[non_exhaustive]
pub struct Machine {
    /// The name of the state that it is in.
    pub state: String,
    /// The ways from state to state, the ones to try first at first.
    pub transitions: Vec<Transition>,
    /// The signal since the last frame; cleared after the next one. Empty means none.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub signal: String,
    /// For how many seconds it has been in its state.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub since: f32,
    /// The last 16 transitions, oldest first.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub log: Vec<LogEntry>,
}

/// A way of a [`Machine`] from one state to another.
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(rename_all = "kebab-case", deny_unknown_fields)
)]
pub struct Transition {
    /// The state in which it is tried.
    pub from: String,
    /// The state to which it leads.
    pub to: String,
    /// The condition for the transition.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub on: TransitionCondition,
    /// For how many seconds the machine must have been in its state as well.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub after: f32,
}

/// The condition for a [`Transition`].
#[derive(Clone, PartialEq, Eq, Debug, Default)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(rename_all = "kebab-case")
)]
pub enum TransitionCondition {
    /// Nothing: time alone decides.
    #[default]
    Anything,
    /// The entity is in contact with something.
    Touched,
    /// The entity is in contact with nothing.
    Free,
    /// The machine received this signal.
    Signal(String),
}

/// A transition that was taken.
#[derive(Clone, PartialEq, Eq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct LogEntry {
    /// In which frame.
    pub frame: u64,
    /// To which state it led.
    pub to: String,
}

/// Posted when a [`Machine`] takes a transition.
#[derive(Clone, PartialEq, Eq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Switched {
    /// Whose machine.
    pub entity: Entity,
    /// The state that it was in.
    pub from: String,
    /// The state that it is in.
    pub to: String,
}

impl Machine {
    /// A machine in a state, without transitions.
    #[must_use]
    pub fn new(state: &str) -> Self {
        Self {
            state: state.to_owned(),
            transitions: Vec::new(),
            signal: String::new(),
            since: 0.0,
            log: Vec::new(),
        }
    }

    /// The same machine with a further transition.
    #[must_use]
    pub fn with(mut self, transition: Transition) -> Self {
        self.transitions.push(transition);
        self
    }

    /// Advances by a number of seconds, and returns the state that was left, if any.
    fn advance(&mut self, step: f32, frame: u64, is_touched: impl Fn() -> bool) -> Option<String> {
        self.since += step;
        let signal = std::mem::take(&mut self.signal);
        let taken = self.transitions.iter().find(|transition| {
            // Rounding of sums must not put a transition off by a frame.
            let is_time = self.since + 1e-4 >= transition.after;
            transition.from == self.state
                && is_time
                && match &transition.on {
                    TransitionCondition::Anything => true,
                    TransitionCondition::Touched => is_touched(),
                    TransitionCondition::Free => !is_touched(),
                    TransitionCondition::Signal(wanted) => *wanted == signal,
                }
        })?;
        let to = taken.to.clone();
        if self.log.len() == REMEMBERED {
            self.log.remove(0);
        }
        self.log.push(LogEntry {
            frame,
            to: to.clone(),
        });
        self.since = 0.0;
        Some(std::mem::replace(&mut self.state, to))
    }
}

impl Transition {
    /// A way that is taken at once, unless more is said.
    #[must_use]
    pub fn new(from: &str, to: &str) -> Self {
        Self {
            from: from.to_owned(),
            to: to.to_owned(),
            on: TransitionCondition::Anything,
            after: 0.0,
        }
    }

    /// The same way, taken only if something is so.
    #[must_use]
    pub fn on(self, on: TransitionCondition) -> Self {
        Self { on, ..self }
    }

    /// The same transition, taken only after the machine has been in its state for `seconds`.
    #[must_use]
    pub fn after(self, seconds: f32) -> Self {
        Self {
            after: seconds,
            ..self
        }
    }
}

type Claims<'w> = (
    Rows<'w, (Entity, &'static mut Machine)>,
    Rows<'w, &'static mut Collider>,
    Global<'w, Contacts>,
    Global<'w, Clock>,
    Outbox<'w, Switched>,
);

pub(super) fn system() -> System {
    System::named("standard: switch states")
        .phase(Phase::React)
        .takes::<Claims>()
        .runs(switch)
}

fn switch((mut machines, mut colliders, contacts, clock, mut switched): Claims<'_>) {
    let step = clock.step_seconds();
    machines.each(|(entity, machine)| {
        let is_touched = || {
            let mut brief = contacts.brief();
            contacts.of(entity).next().is_some()
                || brief.any(|contact| [contact.first, contact.second].contains(&entity))
        };
        let Some(from) = machine.advance(step, clock.frame(), is_touched) else {
            return;
        };
        let has_set = colliders
            .get(entity)
            .is_some_and(|collider| collider.set_names().contains(&machine.state.as_str()));
        if has_set && let Some(collider) = colliders.get_mut(entity) {
            let outcome = collider.switch_to(&machine.state);
            debug_assert!(outcome.is_ok(), "it has the set");
        }
        switched.post(Switched {
            entity,
            from,
            to: machine.state.clone(),
        });
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_way_that_is_open_is_taken() {
        let mut machine = Machine::new("shut")
            .with(Transition::new("open", "shut"))
            .with(
                Transition::new("shut", "held")
                    .on(TransitionCondition::Touched)
                    .after(2.0),
            )
            .with(Transition::new("shut", "open").on(TransitionCondition::Signal("key".into())))
            .with(Transition::new("held", "shut").on(TransitionCondition::Free));
        assert_eq!(machine.advance(1.0, 1, || true), None, "not yet");
        machine.signal = "kez".into();
        assert_eq!(machine.advance(0.5, 2, || false), None);
        assert_eq!(machine.signal, "", "what was not understood is forgotten");
        machine.signal = "key".into();
        assert_eq!(machine.advance(0.5, 3, || true).as_deref(), Some("shut"));
        assert_eq!((machine.state.as_str(), machine.since), ("held", 0.0));
        assert_eq!(machine.advance(0.5, 4, || true), None);
        assert_eq!(machine.advance(0.5, 5, || false).as_deref(), Some("held"));
        assert_eq!(machine.state, "shut");
    }

    #[test]
    fn old_entries_of_the_log_go() {
        let mut machine = Machine::new("a")
            .with(Transition::new("a", "b"))
            .with(Transition::new("b", "a"));
        for frame in 1..=40 {
            assert!(machine.advance(0.1, frame, || false).is_some());
        }
        assert_eq!(machine.log.len(), REMEMBERED);
        assert_eq!(machine.log[0].frame, 25);
        assert_eq!(machine.log[15].frame, 40);
    }
}
