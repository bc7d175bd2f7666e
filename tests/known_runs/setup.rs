//! A scene of a known run, and shorthands that make its entities.

use gerust::collide::Solver;
use gerust::prelude::*;
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{Rng, SeedableRng};

type Build = fn(&mut World, &mut Dice) -> Result<(), Error>;
type Act = fn(&mut World, u64) -> Result<(), Error>;

/// A world, what happens to it before each frame, and how long it runs.
pub(super) struct Setup {
    pub(super) frames: u64,
    seed: u64,
    build: Build,
    act: Act,
}

impl Setup {
    pub(super) fn new(frames: u64, build: Build) -> Self {
        Self {
            frames,
            seed: 1,
            build,
            act: |_, _| Ok(()),
        }
    }

    pub(super) fn seeded(mut self, seed: u64) -> Self {
        self.seed = seed;
        self
    }

    pub(super) fn acting(mut self, act: Act) -> Self {
        self.act = act;
        self
    }

    pub(super) fn runtime(&self) -> Result<Runtime, Error> {
        let mut runtime = Runtime::new();
        runtime.add_kit(StandardKit)?;
        let mut dice = Dice(ChaCha8Rng::seed_from_u64(self.seed));
        (self.build)(runtime.world_mut(), &mut dice)?;
        runtime.settle()?;
        Ok(runtime)
    }

    pub(super) fn before_frame(&self, runtime: &mut Runtime, frame: u64) -> Result<(), Error> {
        (self.act)(runtime.world_mut(), frame)
    }
}

/// Random numbers that are the same on every machine and with every version.
pub(super) struct Dice(ChaCha8Rng);

impl Dice {
    /// A number of 16 bits, from `least` up to `most`.
    pub(super) fn number(&mut self, least: f32, most: f32) -> f32 {
        let share = (self.0.next_u32() >> 16) as f32 / 65_536.0;
        least + (most - least) * share
    }

    pub(super) fn vector(&mut self, least: f32, most: f32) -> Vec3 {
        Vec3::from_array([(); 3].map(|()| self.number(least, most)))
    }

    pub(super) fn chance(&mut self, share: f32) -> bool {
        self.number(0.0, 1.0) < share
    }

    pub(super) fn among<T: Copy>(&mut self, choices: &[T]) -> T {
        choices[self.number(0.0, choices.len() as f32) as usize]
    }

    /// A dynamic body of any mass, bounce and friction.
    pub(super) fn body(&mut self) -> Body {
        let mass = self.among(&[0.01, 0.5, 1.0, 1.0, 3.0, 200.0, 1e5]);
        let restitution = self.among(&[0.0, 0.0, 0.3, 1.0]);
        let friction = self.among(&[0.0, 0.4, 0.9, 2.0]);
        let body = Body::dynamic().with_mass(mass);
        body.with_restitution(restitution).with_friction(friction)
    }
}

pub(super) fn at(place: Vec3) -> Transform {
    Transform::at(place.x, place.y, place.z)
}

pub(super) fn slab(center: Vec3, half: Vec3) -> (Transform, Collider) {
    let own_box = Aabb::from_center(Vec3::ZERO, half);
    (at(center), Collider::solid(own_box))
}

pub(super) fn sensor(center: Vec3, half: Vec3) -> (Transform, Collider) {
    let own_box = Aabb::from_center(Vec3::ZERO, half);
    (at(center), Collider::sensor(own_box))
}

pub(super) fn spawn_body(world: &mut World, center: Vec3, half: Vec3, body: Body) -> Entity {
    let (transform, collider) = slab(center, half);
    world.spawn((transform, collider, body))
}

/// A room of `half` extents around the origin, with walls a metre thick.
pub(super) fn room(world: &mut World, half: Vec3) {
    for axis in 0..3 {
        for side in [-1.0, 1.0] {
            let mut center = Vec3::ZERO;
            center[axis] = side * (half[axis] + 0.5);
            let mut extents = half + Vec3::ONE;
            extents[axis] = 0.5;
            world.spawn(slab(center, extents));
        }
    }
}

pub(super) fn weightless(world: &mut World) {
    world.set_global(Gravity(Vec3::ZERO));
}

pub(super) fn iterations(world: &mut World, iterations: u32) {
    world.set_global(Solver::default().with_iterations(iterations));
}
