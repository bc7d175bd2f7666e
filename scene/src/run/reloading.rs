//! A scene that is read again while it runs.

use super::{Check, RuleState, SceneRun};
use crate::reload::{Readings, Reloaded, replace_templates};
use crate::scene_file::Scene;
use gerust::Error;
use rustc_hash::FxHashMap;
use std::collections::VecDeque;

impl SceneRun {
    /// Continues with another reading of the scene, from the frame that ran last: for a program that reads a scene file again when it was
    /// saved. Call [`Scene::load`] first; a file with faults changes nothing.
    ///
    /// - An entity is the same in both readings if it has the same name under the same parent. Entities without a name are the
    ///   same if template and transform agree, and then, in their order, if the template does.
    /// - An entity that is the same keeps its id, its links and what has become of it. Written are only the fields, boxes and
    ///   components that differ between the two readings; a translation that differs moves the entity there.
    /// - An entity that was despawned while the scene ran stays away. Entities that the scene no longer has are despawned, and new ones spawned.
    ///   Entities that actions, spawners and the program spawned stay, and so do those of files that the action `load` loaded.
    /// - Settings, budgets, controls, cues, rules and templates are those of the new reading. A setting that did not change keeps what the
    ///   program made of it. A rule with the same text keeps whether it has acted.
    /// - An expectation that did not change keeps its verdict. Another one is left out of the report if its time has begun already. The
    ///   scene continues if an action had stopped it.
    ///
    /// O(entities of both).
    ///
    /// # Errors
    ///
    /// If the scene names a system that the runtime lacks, or if the world has no room: nothing has changed then. If the world refuses a value, which a
    /// scene that was read without fault does not provoke, entities before it have changed.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 9\n[[entities]]\nname = 'gull'\ncomponents.velocity = [6, 0, 0]\n";
    /// let scene = Scene::parse(text, "t.toml", &Registry::standard())?;
    /// let mut runtime = Runtime::new();
    /// runtime.add_kit(StandardKit)?;
    /// let mut run = scene.start(runtime)?;
    /// run.run_frame()?;
    /// let gull = run.runtime().world().find("gull");
    ///
    /// let text = text.replace("[6, 0, 0]", "[0, 3, 0]") + "[[entities]]\nname = 'mast'\n";
    /// let reloaded = run.reload(&Scene::parse(&text, "t.toml", &Registry::standard())?)?;
    /// assert_eq!((reloaded.changed, reloaded.spawned), (1, 1));
    /// run.run_frame()?;
    /// assert_eq!(run.runtime().world().find("gull"), gull);
    /// let place = run.runtime().world().get::<Transform>(gull.expect("it is there"))?.translation;
    /// assert!((place - Vec3::new(0.1, 0.05, 0.0)).length() < 1e-6);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn reload(&mut self, scene: &Scene) -> Result<Reloaded, Error> {
        for name in scene.budgeted() {
            self.runtime.schedule().require(name)?;
        }
        let frame = self.frame();
        let both = [&self.scene, scene];
        let settings = both.map(|scene| &scene.parts.settings);
        let readings = Readings::of(&self.scene, scene);
        let world = self.runtime.world_mut();
        world.check_room(readings.added())?;
        scene.parts.registry.enroll(world)?;
        // Colliders name layers.
        settings[1].change_from(settings[0], &mut self.runtime)?;
        let world = self.runtime.world_mut();
        let (made, reloaded) = readings.carry_out(world, &self.made)?;
        replace_templates(world, both);
        self.made = made;
        self.change_budgets(scene);
        let before = std::mem::replace(&mut self.scene, scene.clone());
        let rules = std::mem::take(&mut self.rules);
        let mut known = by_text(before.parts.rules.iter().map(|rule| &*rule.text), rules);
        let rules = self.scene.parts.rules.iter();
        self.rules = rules
            .map(|rule| next_of(&mut known, &rule.text).unwrap_or_else(RuleState::default))
            .collect();
        let checks = std::mem::take(&mut self.checks);
        let expectations = before.parts.expectations.iter();
        let texts: Vec<String> = expectations.map(|expected| expected.wording()).collect();
        let mut known = by_text(texts.iter().map(String::as_str), checks);
        let expectations = self.scene.parts.expectations.iter();
        self.checks = expectations
            .map(|expected| {
                next_of(&mut known, &expected.wording()).unwrap_or_else(|| Check {
                    is_left_out: expected.when.first_frame() <= frame,
                    ..Check::default()
                })
            })
            .collect();
        self.stopped = None;
        self.runtime.settle()?;
        Ok(reloaded)
    }

    fn change_budgets(&mut self, scene: &Scene) {
        let profiler = self.runtime.profiler_mut();
        let before = &self.scene.parts;
        if let Some(budget) = scene
            .parts
            .budget
            .filter(|_| scene.parts.budget != before.budget)
        {
            profiler.set_budget(budget);
        }
        for (system, _) in &before.budgets {
            profiler.remove_budget_of(system);
        }
        for (system, budget) in &scene.parts.budgets {
            profiler.set_budget_of(system, *budget);
        }
    }
}

/// Of equal texts the first stands first.
fn by_text<'t, T>(
    texts: impl Iterator<Item = &'t str>,
    values: Vec<T>,
) -> FxHashMap<&'t str, VecDeque<T>> {
    let mut known: FxHashMap<&str, VecDeque<T>> = FxHashMap::default();
    for (text, value) in texts.zip(values) {
        known.entry(text).or_default().push_back(value);
    }
    known
}

fn next_of<T>(known: &mut FxHashMap<&str, VecDeque<T>>, text: &str) -> Option<T> {
    known.get_mut(text)?.pop_front()
}
