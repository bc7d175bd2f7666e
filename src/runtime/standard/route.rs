//! Entities that travel from waypoint to waypoint.

use crate::schedule::{Clock, System};
use crate::space::Transform;
use crate::store::{Entity, Global, Outbox, Rows};
use glam::Vec3;

/// Moves the entity's [`Transform`] from waypoint to waypoint at an even speed, in its parent's space, through everything.
/// Each arrival is posted as an [`Arrived`].
///
/// A frame may pass several waypoints; no way is lost at corners.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::{Arrived, Route};
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// runtime.set_step_seconds(0.5)?;
/// let route = Route::new(vec![Vec3::new(2.0, 0.0, 0.0), Vec3::new(2.0, 0.0, 3.0)], 2.0);
/// let truck = runtime.world_mut().spawn((Transform::default(), route));
/// runtime.run_frames(2)?;
/// assert_eq!(runtime.world().posted::<Arrived>(), [Arrived { entity: truck, waypoint: 0, is_last: false }]);
/// runtime.run_frames(3)?;
/// assert_eq!(runtime.world().get::<Transform>(truck)?.translation, Vec3::new(2.0, 0.0, 3.0));
/// assert!(runtime.world().get::<Route>(truck)?.is_done());
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Route {
    /// Where to go, in order, in metres.
    pub waypoints: Vec<Vec3>,
    /// Metres per second; not above zero stands still.
    pub speed: f32,
    /// Whether the first waypoint follows the last; else the entity stops there.
    #[cfg_attr(feature = "snapshot", serde(default, rename = "loop"))]
    pub is_loop: bool,
    /// The waypoint that it is heading for; as many as there are when it is done.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub next: usize,
}

impl Route {
    /// A route that stops at its last waypoint; places in metres, speed in metres per second.
    #[must_use]
    pub fn new(waypoints: Vec<Vec3>, speed: f32) -> Self {
        Self {
            waypoints,
            speed,
            is_loop: false,
            next: 0,
        }
    }

    /// The same route, over and over again.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::runtime::Route;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_kit(StandardKit)?;
    /// runtime.set_step_seconds(1.0)?;
    /// let route = Route::new(vec![Vec3::X, Vec3::ZERO], 1.0).looped();
    /// let cart = runtime.world_mut().spawn((Transform::default(), route));
    /// runtime.run_frames(7)?;
    /// assert_eq!(runtime.world().get::<Transform>(cart)?.translation, Vec3::X);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn looped(self) -> Self {
        Self {
            is_loop: true,
            ..self
        }
    }

    /// Whether the last waypoint has been reached for good.
    #[must_use]
    pub fn is_done(&self) -> bool {
        self.next >= self.waypoints.len()
    }

    /// Travels a number of metres from a place, and reports each waypoint that it reaches.
    fn advance(&mut self, place: &mut Vec3, mut metres: f32, mut reached: impl FnMut(usize, bool)) {
        // A loop of waypoints in one place would have no end, so a frame reaches each of them at most once.
        for _ in 0..self.waypoints.len().max(1) {
            let Some(&goal) = self.waypoints.get(self.next) else {
                return;
            };
            let way = goal - *place;
            let distance = way.length();
            if distance > metres {
                *place += way * (metres / distance);
                return;
            }
            *place = goal;
            metres -= distance;
            let is_last = self.next + 1 == self.waypoints.len();
            reached(self.next, is_last);
            self.next = match is_last && self.is_loop {
                true => 0,
                false => self.next + 1,
            };
        }
    }
}

/// Posted when an entity on a [`Route`] has reached a waypoint.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Arrived {
    /// Who.
    pub entity: Entity,
    /// Where, counted from 0.
    pub waypoint: usize,
    /// Whether it is the last of the route.
    pub is_last: bool,
}

type Travelers<'w> = Rows<'w, (Entity, &'static mut Transform, &'static mut Route)>;

pub(super) fn system() -> System {
    System::named("standard: travel")
        .after("standard: spin")
        .takes::<(Travelers, Global<Clock>, Outbox<Arrived>)>()
        .runs(travel)
}

fn travel((mut travelers, clock, mut arrived): (Travelers, Global<Clock>, Outbox<Arrived>)) {
    let step = clock.step_seconds();
    travelers.each(|(entity, transform, route)| {
        let metres = route.speed * step;
        if metres > 0.0 {
            route.advance(&mut transform.translation, metres, |waypoint, is_last| {
                arrived.post(Arrived {
                    entity,
                    waypoint,
                    is_last,
                });
            });
        }
    });
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn place() -> impl Strategy<Value = Vec3> {
        [-9_i32..9, -9..9, -9..9].prop_map(|place| Vec3::from(place.map(|number| number as f32)))
    }

    proptest! {
        /// However the way is cut into frames, it is as long as the speed says, and ends at the same place.
        #[test]
        fn no_way_is_lost_at_corners(
            waypoints in proptest::collection::vec(place(), 1..6),
            cuts in proptest::collection::vec(0.01_f32..2.0, 1..40),
        ) {
            let mut whole = Route::new(waypoints.clone(), 1.0);
            let mut at_once = Vec3::ZERO;
            whole.advance(&mut at_once, cuts.iter().sum(), |_, _| ());
            let mut route = Route::new(waypoints.clone(), 1.0);
            let mut step_by_step = Vec3::ZERO;
            let mut reached = Vec::new();
            for &cut in &cuts {
                route.advance(&mut step_by_step, cut, |waypoint, _| reached.push(waypoint));
            }
            prop_assert!(at_once.abs_diff_eq(step_by_step, 1e-3));
            // Each waypoint is reached once, in order.
            prop_assert_eq!(reached, (0..route.next).collect::<Vec<_>>());
            let corners = std::iter::once(Vec3::ZERO).chain(waypoints);
            let corners: Vec<Vec3> = corners.collect();
            let length: f32 = corners.windows(2).map(|pair| pair[0].distance(pair[1])).sum();
            if cuts.iter().sum::<f32>() > length + 0.1 {
                prop_assert!(route.is_done());
                prop_assert_eq!(step_by_step, *corners.last().expect("there is a start"));
            }
        }
    }

    #[test]
    fn a_loop_of_one_place_does_not_go_round_without_end() {
        let mut route = Route::new(vec![Vec3::ONE; 3], 5.0).looped();
        let mut place = Vec3::ZERO;
        let mut arrivals = 0;
        route.advance(&mut place, 100.0, |_, _| arrivals += 1);
        assert_eq!((place, arrivals), (Vec3::ONE, 3));
        let mut empty = Route::new(Vec::new(), 5.0).looped();
        empty.advance(&mut place, 100.0, |_, _| arrivals += 1);
        assert_eq!((place, arrivals, empty.is_done()), (Vec3::ONE, 3, true));
    }
}
