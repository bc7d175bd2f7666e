//! An engine of one's own: trucks that burn fuel while they drive, and stop when it is used up.

use gerust::prelude::*;
use gerust_cli::Engine;
use serde::{Deserialize, Serialize};

/// The content of a tank.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub struct Fuel {
    /// Litres that are left.
    pub litres: f32,
    /// Litres for each metre.
    pub per_metre: f32,
}

/// Posted when a tank is empty.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct RanDry {
    /// Whose tank.
    pub entity: Entity,
}

/// Adds [`Fuel`] to an engine: its component and event for scene files, its system for runtimes.
pub fn fuel(engine: &mut Engine) {
    engine.registry_mut().register::<Fuel>("fuel");
    engine.registry_mut().register_event::<RanDry>("ran-dry");
    engine.add_set_up(|runtime| {
        runtime.add_system(
            System::named("burn fuel")
                .before("standard: drift")
                .takes::<Claims>()
                .runs(burn),
        )
    });
}

claims! {
    type Claims = (
        Rows<(Entity, &mut Fuel, &mut Velocity)>,
        Global<Clock>,
        Outbox<RanDry>,
    );
}

/// A plain function, so that a test can call it as well.
fn burn((mut trucks, clock, mut ran_dry): Claims<'_>) {
    trucks.each(|(entity, fuel, velocity)| {
        if fuel.litres <= 0.0 {
            return;
        }
        fuel.litres -= velocity.0.length() * clock.step_seconds() * fuel.per_metre;
        if fuel.litres <= 0.0 {
            fuel.litres = 0.0;
            velocity.0 = Vec3::ZERO;
            ran_dry.post(RanDry { entity });
        }
    });
}
