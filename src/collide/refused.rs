//! Bodies whose numbers make no sense.

use super::body::Body;
use crate::error::{Error, Kind};
use crate::store::{Entity, World};

/// The bodies that were not moved in the last frame.
#[derive(Default, Debug)]
pub(super) struct RefusedBodies {
    bodies: Vec<(Entity, String)>,
    /// The limit of pairs, if there were more and so none was moved.
    crowd: Option<usize>,
}

impl RefusedBodies {
    pub(super) fn clear(&mut self) {
        self.bodies.clear();
        self.crowd = None;
    }

    /// Whether a body can be moved; if not, it is noted.
    pub(super) fn admit(&mut self, entity: Entity, body: &Body, is_grid: bool) -> bool {
        let Some(problem) = problem(body, is_grid) else {
            return true;
        };
        self.refuse(entity, problem);
        false
    }

    /// Notes that a body cannot be moved.
    pub(super) fn refuse(&mut self, entity: Entity, problem: impl Into<String>) {
        self.bodies.push((entity, problem.into()));
    }

    /// Notes that no dynamic body was moved, because more than `most` pairs may meet.
    pub(super) fn refuse_crowd(&mut self, most: usize) {
        self.crowd = Some(most);
    }
}

/// Whether a body that is no grid can be moved.
pub(super) fn can_move(body: &Body) -> bool {
    problem(body, false).is_none()
}

fn problem(body: &Body, is_grid: bool) -> Option<String> {
    let speed = body.velocity.length();
    let has_mass =
        (Body::LEAST_MASS..=Body::MOST_MASS).contains(&body.mass) || body.mass == f32::INFINITY;
    let (what, found, want) = if !has_mass {
        (
            "a mass",
            body.mass,
            "a number from 1e-20 to 1e12 kg, or an infinite one",
        )
    } else if !speed.is_finite() || speed > Body::MOST_SPEED {
        ("a speed", speed, "a number up to 1e7 m/s")
    } else if !(0.0..=1.0).contains(&body.restitution) {
        ("a restitution", body.restitution, "a number from 0 to 1")
    } else if !(body.friction >= 0.0 && body.friction.is_finite()) {
        ("a friction", body.friction, "a number of 0 or more")
    } else if !body.gravity_scale.is_finite() {
        ("a gravity scale", body.gravity_scale, "a finite number")
    } else if is_grid && body.motion == super::Motion::Dynamic {
        return Some(String::from(
            "is dynamic, but a grid of tiles cannot fall; let it be static or kinematic",
        ));
    } else {
        return None;
    };
    Some(format!("has {what} of {found}; give it {want}"))
}

/// Whether bodies were refused in the last frame.
pub(super) fn tell(world: &World) -> Result<(), Error> {
    let Some(refused) = world.find_global::<RefusedBodies>() else {
        return Ok(());
    };
    if let Some(most) = refused.crowd {
        return Err(Error::from(Kind::TooManyPairs { most }));
    }
    let Some((entity, problem)) = refused.bodies.first() else {
        return Ok(());
    };
    Err(Error::from(Kind::BadBody {
        entity: *entity,
        label: world.label(*entity),
        problem: problem.clone(),
    }))
}
