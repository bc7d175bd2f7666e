//! Entities that make others.

use crate::schedule::{Chance, Clock, System};
use crate::space::{MadeFrom, Template, Templates, WorldTransform};
use crate::store::{Edits, Entity, Global, MostEntities, Rows};
use crate::{Body, Velocity};
use glam::Vec3;
use rand_core::Rng;
use std::collections::BTreeMap;

/// Makes copies of a template at an even rate, somewhere in a box around its entity.
///
/// The template comes from the global [`Templates`]; scenes put those of their file there. Without such a template nothing is
/// made. Where copies appear depends on the seed of the runtime, the frame and the entity alone ([`Chance`]), so a run can be
/// repeated.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::Spawner;
///
/// let mut templates = Templates::default();
/// templates.add(Template::named("pallet").with(Transform::default()));
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// runtime.world_mut().set_global(templates);
/// let spawner = Spawner::new("pallet", 30.0).with_cap(20).with_spread(Vec3::X);
/// runtime.world_mut().spawn((Transform::at(0.0, 8.0, 0.0), spawner));
/// runtime.run_frames(30)?;
/// let pallets = || runtime.world().rows::<&MadeFrom>().count();
/// assert_eq!(pallets(), 15);
/// runtime.run_frames(30)?;
/// assert_eq!(runtime.world().rows::<&MadeFrom>().count(), 20);
/// let rows = runtime.world().rows::<(&Transform, &MadeFrom)>();
/// assert!(rows.iter().all(|(at, _)| at.translation.x.abs() <= 1.0 && at.translation.y == 8.0));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(rename_all = "kebab-case", deny_unknown_fields)
)]
#[non_exhaustive]
pub struct Spawner {
    /// The name of the template.
    pub template: String,
    /// How many copies a second; not above zero makes none.
    pub per_second: f32,
    /// The most copies of the template at the same time; missed copies are not caught up.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub cap: Option<u32>,
    /// The most copies overall.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub total: Option<u64>,
    /// How far from the entity's place in the world copies appear, in metres along each axis.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub spread: Vec3,
    /// The velocity of each copy in metres per second: of its [`Body`] if its template has one.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub velocity: Option<Vec3>,
    /// How many copies were made so far.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub made: u64,
    /// The due part of the next copy, from 0 to 1.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub due: f64,
}

impl Spawner {
    /// A spawner without a cap, of copies of a template, at the entity's own place.
    #[must_use]
    pub fn new(template: &str, per_second: f32) -> Self {
        Self {
            template: template.to_owned(),
            per_second,
            cap: None,
            total: None,
            spread: Vec3::ZERO,
            velocity: None,
            made: 0,
            due: 0.0,
        }
    }

    /// The same with at most `cap` copies of the template at the same time.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::runtime::Spawner;
    ///
    /// let spawner = Spawner::new("pallet", 2.0).with_cap(5).with_total(80);
    /// let spawner = spawner.with_spread(Vec3::X).with_velocity(Vec3::Y);
    /// assert_eq!((spawner.cap, spawner.total), (Some(5), Some(80)));
    /// assert_eq!((spawner.spread, spawner.velocity), (Vec3::X, Some(Vec3::Y)));
    /// ```
    #[must_use]
    pub fn with_cap(mut self, cap: u32) -> Self {
        self.cap = Some(cap);
        self
    }

    /// The same with at most `total` copies overall.
    #[must_use]
    pub fn with_total(mut self, total: u64) -> Self {
        self.total = Some(total);
        self
    }

    /// The same with copies that appear up to this far from the entity's place, in metres along each axis.
    #[must_use]
    pub fn with_spread(mut self, spread: Vec3) -> Self {
        self.spread = spread;
        self
    }

    /// The same with a velocity of each copy, in metres per second.
    #[must_use]
    pub fn with_velocity(mut self, velocity: Vec3) -> Self {
        self.velocity = Some(velocity);
        self
    }

    /// The number of copies to make in a frame, if `present` are there already and `room` is left for all entities.
    fn take_due(&mut self, step: f32, present: u32, room: u64) -> u32 {
        if self.per_second > 0.0 {
            self.due += f64::from(self.per_second) * f64::from(step);
        }
        // Rounding must not put off a copy whose time has come.
        let whole = (self.due + 1e-6).floor();
        self.due = (self.due - whole).max(0.0);
        let cap = self.cap.map_or(u32::MAX, |cap| cap.saturating_sub(present));
        let total = self.total.unwrap_or(u64::MAX);
        let left = total.saturating_sub(self.made).min(room);
        let count = (whole as u32)
            .min(cap)
            .min(left.try_into().unwrap_or(u32::MAX));
        self.made += u64::from(count);
        count
    }
}

type Spawners<'w> = Rows<'w, (Entity, &'static WorldTransform, &'static mut Spawner)>;
type Claims<'w> = (
    Spawners<'w>,
    Rows<'w, &'static MadeFrom>,
    Global<'w, Templates>,
    (Global<'w, Clock>, Global<'w, MostEntities>),
    Chance<'w>,
    Edits<'w>,
);

pub(super) fn system() -> System {
    System::named("standard: spawn")
        .takes::<Claims>()
        .runs(spawn)
}

fn spawn((mut spawners, copies, templates, (clock, most), chance, mut edits): Claims<'_>) {
    if spawners.is_empty() {
        return;
    }
    let mut present: BTreeMap<&str, u32> = BTreeMap::new();
    for made in copies.iter() {
        *present.entry(made.template()).or_default() += 1;
    }
    // One copy beyond the limit is enough for the frame to fail.
    let mut room = most.0.saturating_add(1);
    spawners.each(|(entity, placed, spawner)| {
        let Ok(template) = templates.get(&spawner.template) else {
            return;
        };
        // Copies that another spawner makes in this frame count as well.
        let there = present.entry(template.name()).or_default();
        let count = spawner.take_due(clock.step_seconds(), *there, room);
        *there += count;
        room -= u64::from(count);
        if count == 0 {
            return;
        }
        let mut random = chance.stream(entity);
        let mut aside = || random.next_u32() as f32 / u32::MAX as f32 * 2.0 - 1.0;
        for _ in 0..count {
            let offset = Vec3::new(aside(), aside(), aside()) * spawner.spread;
            launch(
                template,
                placed.translation() + offset,
                spawner.velocity,
                &mut edits,
            );
        }
    });
}

fn launch(template: &Template, place: Vec3, velocity: Option<Vec3>, edits: &mut Edits<'_>) {
    let copy = template.copy().at(place);
    let Some(velocity) = velocity else {
        edits.spawn_copy(copy);
        return;
    };
    edits.spawn_copy(copy.changed(move |world, entity| {
        match world.get_mut::<Body>(entity) {
            Ok(body) => body.velocity = velocity,
            Err(_) => drop(world.attach(entity, Velocity(velocity))?),
        }
        Ok(())
    }));
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Runtime, StandardKit, Transform};
    use proptest::prelude::*;

    proptest! {
        /// However the time is cut into frames, as many are made as the rate says.
        #[test]
        fn the_rate_holds_over_any_time(per_second in 0.1_f32..3000.0, frames in 1_u32..2000) {
            let mut spawner = Spawner::new("pallet", per_second);
            let step = 1.0_f32 / 60.0;
            let made: u32 = (0..frames).map(|_| spawner.take_due(step, 0, u64::MAX)).sum();
            let wanted = f64::from(per_second) * f64::from(step) * f64::from(frames);
            prop_assert!((f64::from(made) - wanted).abs() <= 1.0, "{made} against {wanted}");
            prop_assert_eq!(u64::from(made), spawner.made);
        }
    }

    #[test]
    fn a_cap_that_is_met_is_not_made_up_for() {
        let mut spawner = Spawner {
            cap: Some(3),
            total: Some(5),
            ..Spawner::new("pallet", 120.0)
        };
        let mut take = |present| spawner.take_due(1.0, present, u64::MAX);
        assert_eq!(take(0), 3);
        assert_eq!(take(3), 0);
        assert_eq!(take(2), 1);
        // Of all five one is left.
        assert_eq!(take(0), 1);
        assert_eq!(take(0), 0);
    }

    #[test]
    fn spawners_of_one_template_share_its_cap() {
        let mut runtime = Runtime::new();
        runtime.add_kit(StandardKit).expect("it fits");
        let mut templates = Templates::default();
        templates.add(Template::named("pallet").with(Transform::default()));
        runtime.world_mut().set_global(templates);
        for (cap, per_second) in [(10, 240.0), (10, 600.0), (12, 120.0)] {
            let cap = Some(cap);
            let spawner = Spawner {
                cap,
                ..Spawner::new("pallet", per_second)
            };
            runtime.world_mut().spawn((Transform::default(), spawner));
        }
        let made = |runtime: &Runtime| {
            let mut made = runtime.world().rows::<&Spawner>();
            let made: Vec<u64> = made.iter_mut().map(|spawner| spawner.made).collect();
            made
        };
        runtime.run_frames(1).expect("nothing fails");
        // The first makes 4, the second what is left of 10, the third what is left of 12.
        assert_eq!(made(&runtime), [4, 6, 2]);
        runtime.run_frames(3).expect("nothing fails");
        assert_eq!(made(&runtime), [4, 6, 2]);
    }

    #[test]
    fn a_rate_beyond_all_bounds_ends_with_an_error() {
        for (per_second, spawners) in [(f32::MAX, 1), (f32::MAX, 3), (6e4, 1)] {
            let mut runtime = Runtime::new();
            runtime.add_kit(StandardKit).expect("it fits");
            let world = runtime.world_mut();
            world.set_global(MostEntities(1_000));
            let mut templates = Templates::default();
            templates.add(Template::named("pallet").with(Transform::default()));
            world.set_global(templates);
            for _ in 0..spawners {
                world.spawn((Transform::default(), Spawner::new("pallet", per_second)));
            }
            let error = runtime.run_frames(2).expect_err("there are too many");
            let count = runtime.world().len();
            assert!((1_001..=2_005).contains(&count), "{count}");
            assert!(error.to_string().contains("the limit of 1000"), "{error}");
        }
    }
}
