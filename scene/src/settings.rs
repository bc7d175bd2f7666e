//! The settings of a world in which a scene runs.

use super::limits::{Limit, Limits};
use gerust::Error;
use gerust::collide::{Contacts, Dimensions, Gravity, Layer, Layers, Solver};
use gerust::runtime::{Moment, Runtime};
use gerust::schedule::Clock;
use gerust::store::{MostEntities, World};
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// The settings of a scene besides its entities. Recordings store them, so that contacts can be found again.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct Settings {
    /// Seconds.
    pub(super) step: f64,
    pub(super) gravity: Option<Vec3>,
    /// Whether z takes no part.
    pub(super) is_flat: bool,
    pub(super) iterations: Option<u32>,
    #[serde(default, skip_serializing_if = "Limits::are_default")]
    pub(super) limits: Limits,
    /// Metres.
    #[serde(default)]
    pub(super) margin: Option<f32>,
    /// The seed of all random numbers; by default that of the runtime.
    pub(super) seed: Option<u64>,
    /// Pairs of names that meet; a layer without partner is paired with `default`.
    pub(super) layers: Vec<(String, String)>,
    /// Names of layers that do not meet `default`. Scene files cannot say so, but the layers of a program can.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(super) parted: Vec<String>,
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            step: 1.0 / 60.0,
            gravity: None,
            is_flat: false,
            iterations: None,
            limits: Limits::default(),
            margin: None,
            seed: None,
            layers: Vec::new(),
            parted: Vec::new(),
        }
    }
}

impl Settings {
    /// Those of a moment, with the margin of contacts, which moments do not show.
    pub(super) fn of_moment(moment: &Moment, margin: Option<f32>) -> Self {
        let own = Self {
            step: moment.clock().step(),
            gravity: moment.global::<Gravity>().map(|gravity| gravity.0),
            is_flat: moment.global::<Dimensions>() == Some(&Dimensions::Two),
            iterations: moment.global::<Solver>().map(|solver| solver.iterations),
            margin,
            ..Self::default()
        };
        match moment.global::<Layers>() {
            Some(layers) => own.with_layers(layers),
            None => own,
        }
    }

    /// Those of a world in which no scene runs.
    pub(super) fn of(world: &World) -> Self {
        let own = Self {
            step: world
                .find_global::<Clock>()
                .map_or(1.0 / 60.0, |clock| clock.step()),
            gravity: world.find_global::<Gravity>().map(|gravity| gravity.0),
            is_flat: world
                .find_global::<Dimensions>()
                .is_some_and(|dimensions| *dimensions == Dimensions::Two),
            iterations: world
                .find_global::<Solver>()
                .map(|solver| solver.iterations),
            margin: world
                .find_global::<Contacts>()
                .map(|contacts| contacts.margin()),
            ..Self::default()
        };
        own.with_layers_of(world)
    }

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
            world.set_global(Solver::default().with_iterations(iterations));
        }
        world.set_global(MostEntities(self.limits.get(Limit::Entities)));
        if let Some(contacts) = world.find_global_mut::<Contacts>() {
            let most = self.limits.get(Limit::Pairs);
            contacts.set_most_pairs(usize::try_from(most).unwrap_or(usize::MAX));
            if let Some(margin) = self.margin {
                contacts.set_margin(margin);
            }
        }
        let layers = world.ensure_global::<Layers>();
        for (a, b) in &self.layers {
            let (a, b) = (layers.add(a)?, layers.add(b)?);
            layers.meet(a, b)?;
        }
        for name in &self.parted {
            let layer = layers.add(name)?;
            layers.part(layer, Layer::default())?;
        }
        Ok(())
    }

    /// Applies what differs from other settings. What they gave and these do not is again as in a new runtime.
    pub(super) fn change_from(&self, before: &Self, runtime: &mut Runtime) -> Result<(), Error> {
        if self == before {
            return Ok(());
        }
        let parted = before.layers.iter();
        let parted = parted.filter(|&pair| !self.layers.contains(pair));
        for (a, b) in parted {
            let layers = runtime.world_mut().ensure_global::<Layers>();
            let (a, b) = (layers.add(a)?, layers.add(b)?);
            layers.part(a, b)?;
        }
        let world = runtime.world_mut();
        if before.gravity.is_some() && self.gravity.is_none() {
            world.set_global(Gravity::default());
        }
        if before.iterations.is_some() && self.iterations.is_none() {
            world.set_global(Solver::default());
        }
        let is_margin_gone = before.margin.is_some() && self.margin.is_none();
        if let Some(contacts) = world
            .find_global_mut::<Contacts>()
            .filter(|_| is_margin_gone)
        {
            contacts.set_margin(Contacts::default().margin());
        }
        let changed = Self {
            gravity: self.gravity.filter(|_| self.gravity != before.gravity),
            iterations: self
                .iterations
                .filter(|_| self.iterations != before.iterations),
            margin: self.margin.filter(|_| self.margin != before.margin),
            // A seed begins all random numbers anew.
            seed: self.seed.filter(|_| self.seed != before.seed),
            ..self.clone()
        };
        changed.apply(runtime)
    }

    /// The same settings with all layers of a world, in their order, so that the layers of recorded colliders keep their meaning.
    pub(super) fn with_layers_of(&self, world: &World) -> Self {
        match world.find_global::<Layers>() {
            Some(layers) => self.with_layers(&layers),
            None => self.clone(),
        }
    }

    fn with_layers(&self, layers: &Layers) -> Self {
        let named: Vec<(&str, Layer)> = layers
            .names()
            .filter_map(|name| Some((name, layers.find(name)?)))
            .collect();
        let default = ("default", Layer::default());
        let with_default = named.iter().map(|&layer| (layer, default));
        let pairs = named.iter().enumerate();
        let meeting = pairs.flat_map(|(at, &a)| named[at..].iter().map(move |&b| (a, b)));
        let meeting = meeting.filter(|&((_, a), (_, b))| layers.do_meet(a, b));
        let parted = named
            .iter()
            .filter(|&&(_, layer)| !layers.do_meet(layer, Layer::default()));
        Self {
            layers: with_default
                .chain(meeting)
                .map(|((a, _), (b, _))| (a.to_owned(), b.to_owned()))
                .collect(),
            parted: parted.map(|&(name, _)| name.to_owned()).collect(),
            ..self.clone()
        }
    }

    /// Puts a runtime under these settings and into these layers alone.
    pub(super) fn restore(&self, runtime: &mut Runtime) -> Result<(), Error> {
        runtime.world_mut().set_global(Layers::default());
        self.apply(runtime)
    }
}
