//! Cues and rules: when actions are carried out.

use super::action::Action;
use super::language::Expression;
use gerust::collide::{Collider, Layers};
use gerust::space::MadeFrom;
use gerust::store::{Entity, Name, World};

/// Actions that are carried out at the beginning of some frames.
#[derive(Debug)]
pub(super) struct Cue {
    pub(super) at: Times,
    pub(super) actions: Vec<Action>,
}

#[derive(Clone, Copy, PartialEq, Debug)]
pub(super) enum Times {
    At(u64),
    /// At an interval in seconds, from one frame to another, the first one included.
    Every {
        seconds: f64,
        step: f64,
        from: u64,
        to: u64,
    },
}

impl Times {
    pub(super) fn include(self, frame: u64) -> bool {
        match self {
            Self::At(at) => frame == at,
            Self::Every {
                seconds,
                step,
                from,
                to,
            } => {
                if !(from..=to).contains(&frame) {
                    return false;
                }
                // How many intervals have begun by the end of this frame and of the one before: rounding must not move a whole
                // number of frames.
                let begun = |frames: u64| ((frames as f64 * step + 1e-9) / seconds).floor();
                frame == from || begun(frame - from) > begun(frame - from - 1)
            }
        }
    }
}

/// Actions that are carried out before the next frame when a condition has come to hold.
#[derive(Debug)]
pub(super) struct Rule {
    /// As it is written.
    pub(super) text: String,
    pub(super) trigger: Trigger,
    pub(super) once: bool,
    pub(super) each_frame: bool,
    pub(super) actions: Vec<Action>,
}

#[derive(Debug)]
pub(super) enum Trigger {
    When(Expression),
    /// Two that begin to touch, and what must hold as well.
    Contact([Side; 2], Option<Expression>),
    /// An event of a name, and what must hold as well.
    Event(String, Option<Expression>),
}

/// How a control input is moved: where it is from each of these frames on.
#[derive(Clone, PartialEq, Debug)]
pub(super) struct Track {
    pub(super) control: String,
    pub(super) moves: Vec<(u64, f32)>,
}

/// Which entities a side of a contact can be.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) enum Side {
    Entity(String),
    Template(String),
    Layer(String),
}

impl Side {
    pub(super) fn takes(&self, world: &World, entity: Entity) -> bool {
        match self {
            Self::Entity(wanted) => world
                .get::<Name>(entity)
                .is_ok_and(|name| name.as_str() == wanted),
            Self::Template(wanted) => world
                .get::<MadeFrom>(entity)
                .is_ok_and(|made| made.template() == wanted),
            Self::Layer(wanted) => {
                let layers = world.global::<Layers>();
                let layer = layers.ok().and_then(|layers| layers.find(wanted));
                let own = world
                    .get::<Collider>(entity)
                    .ok()
                    .map(|collider| collider.layer());
                own.is_some() && own == layer
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn repeated_cues_keep_their_interval_over_any_time() {
        let every = |seconds, step| Times::Every {
            seconds,
            step,
            from: 1,
            to: 10_000,
        };
        let frames = |times: Times| -> Vec<u64> {
            (1..=10_000).filter(|&frame| times.include(frame)).collect()
        };
        let each_half_second = frames(every(0.5, 1.0 / 60.0));
        assert_eq!(each_half_second[..4], [1, 31, 61, 91]);
        assert!(
            each_half_second
                .windows(2)
                .all(|pair| pair[1] - pair[0] == 30)
        );
        // An interval that is no whole number of frames does not drift.
        let uneven = frames(every(0.04, 1.0 / 60.0));
        assert_eq!(uneven[..6], [1, 4, 6, 9, 11, 13]);
        assert_eq!(
            uneven.len(),
            (9_999.0_f64 / 60.0 / 0.04).floor() as usize + 1
        );
        // Shorter than a frame is each frame.
        assert_eq!(frames(every(0.001, 1.0 / 60.0)).len(), 10_000);
        assert!(!every(0.5, 1.0 / 60.0).include(0));
    }
}
