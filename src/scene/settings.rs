//! The settings of a world in which a scene runs.

use crate::collide::{Contacts, Dimensions, Gravity, Layers, Solver};
use crate::error::Error;
use crate::runtime::Runtime;
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// What a scene sets besides its entities. Recordings hold it, so that contacts can be found again.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct Settings {
    /// Seconds.
    pub(super) step: f64,
    pub(super) gravity: Option<Vec3>,
    /// Whether z takes no part.
    pub(super) is_flat: bool,
    pub(super) iterations: Option<u32>,
    /// Metres.
    #[serde(default)]
    pub(super) margin: Option<f32>,
    /// Of all that is left to chance; that of the runtime unless given.
    pub(super) seed: Option<u64>,
    /// Pairs of names that meet; a layer without partner is paired with `default`.
    pub(super) layers: Vec<(String, String)>,
}

impl Settings {
    pub(super) fn apply(&self, runtime: &mut Runtime) -> Result<(), Error> {
        runtime.set_step_seconds(self.step)?;
        if let Some(seed) = self.seed {
            runtime.set_seed(seed);
        }
        let world = runtime.world_mut();
        if let Some(gravity) = self.gravity {
            world.set_global(Gravity(gravity));
        }
        world.set_global(match self.is_flat {
            true => Dimensions::Two,
            false => Dimensions::Three,
        });
        if let Some(iterations) = self.iterations {
            world.set_global(Solver { iterations });
        }
        if let Some(margin) = self.margin
            && let Some(contacts) = world.find_global_mut::<Contacts>()
        {
            contacts.set_margin(margin);
        }
        let mut layers = Layers::default();
        for (a, b) in &self.layers {
            let (a, b) = (layers.add(a)?, layers.add(b)?);
            layers.meet(a, b)?;
        }
        world.set_global(layers);
        Ok(())
    }
}
