//! Finds components that have no effect because something that they need is missing.

use super::frame_loop::Runtime;
use super::origin::OriginFocus;
#[cfg(feature = "chance")]
use super::standard::Spawner;
use super::standard::{
    Earlier, Follow, FollowNamed, Lifetime, Machine, Rangefinder, Route, Spin, Steered, Velocity,
    Wear,
};
use crate::collide::{Body, Collider, Layer, Layers, Motion};
use crate::schedule::WithoutEffect;
use crate::space::Transform;
use crate::store::{Component, Conditions, Entity, Having, Lacking, short_name};
use std::any::type_name;

impl Runtime {
    /// Lists components that have no effect at present, because something that they need is missing:
    ///
    /// - a component of the [`StandardKit`](crate::StandardKit), such as [`Velocity`](crate::Velocity), that no system claims, or on an
    ///   entity without a [`Transform`](crate::Transform) that it would change;
    /// - an [`OriginFocus`] without the [`OriginKit`](crate::runtime::OriginKit), or on an entity without a `Transform`;
    /// - a [`Body`](crate::Body) or a [`Collider`](crate::Collider) on an entity without a `Transform`;
    /// - a sensor, or the collider of a dynamic body, in a layer that meets none of the layers in which other colliders are.
    ///
    /// O(entities).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().spawn((Name::new("gull"), Transform::default(), Velocity(Vec3::X)));
    /// let found = runtime.without_effect();
    /// assert_eq!(
    ///     found[0].to_string(),
    ///     "`Velocity` of `gull` has no effect: no system claims it; add the `StandardKit`"
    /// );
    /// runtime.add_kit(StandardKit)?;
    /// assert!(runtime.without_effect().is_empty());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn without_effect(&self) -> Vec<WithoutEffect> {
        let moved = "it has no `Transform` that it could change; attach one";
        let placed = "it has no `Transform`, so it has no place; attach one";
        let mut found = Vec::new();
        let mut note = |one: Option<WithoutEffect>| found.extend(one);
        note(self.first::<Body, Lacking<Transform>>(moved));
        note(self.first::<Collider, Lacking<Transform>>(placed));
        note(self.unclaimed::<Velocity>());
        note(self.first::<Velocity, Lacking<Transform>>(moved));
        note(self.unclaimed::<Spin>());
        note(self.first::<Spin, Lacking<Transform>>(moved));
        note(self.unclaimed::<Route>());
        note(self.first::<Route, Lacking<Transform>>(moved));
        note(self.unclaimed::<Steered>());
        note(self.unclaimed::<Follow>());
        note(self.unclaimed::<FollowNamed>());
        note(self.unclaimed::<Lifetime>());
        note(self.unclaimed::<Machine>());
        note(self.unclaimed::<Rangefinder>());
        note(self.unclaimed::<Wear>());
        note(self.unclaimed::<Earlier>());
        #[cfg(feature = "chance")]
        note(self.unclaimed::<Spawner>());
        if !self.follows_focus() {
            note(self.first::<OriginFocus, ()>("the runtime lacks the `OriginKit`; add it"));
        }
        note(self.first::<OriginFocus, Lacking<Transform>>(placed));
        found.extend(self.in_lonely_layers());
        found
    }

    /// The first entity with a component for which a condition holds, and the number of such entities.
    fn first<T: Component, C: Conditions>(&self, reason: &str) -> Option<WithoutEffect> {
        let rows = self.world.rows_where::<Entity, (Having<T>, C)>();
        let entity = rows.iter().min()?;
        Some(WithoutEffect {
            component: short_name(type_name::<T>()),
            entity,
            label: self.world.label(entity),
            count: rows.count(),
            reason: reason.to_owned(),
        })
    }

    /// A component of the standard kit that no system claims.
    fn unclaimed<T: Component>(&self) -> Option<WithoutEffect> {
        let mut systems = self.schedule.systems();
        match systems.any(|system| system.access().reaches_component::<T>()) {
            true => None,
            false => self.first::<T, ()>("no system claims it; add the `StandardKit`"),
        }
    }

    /// Sensors and dynamic bodies in layers that meet no layer of another collider, layer by layer. A single collider has nothing to
    /// meet, and other solids still answer spatial questions.
    fn in_lonely_layers(&self) -> Vec<WithoutEffect> {
        let Some(layers) = self.world.find_global::<Layers>() else {
            return Vec::new();
        };
        let rows = self.world.rows::<(Entity, &Collider, Option<&Body>)>();
        // By layer: the number of colliders, the first sensor or dynamic body among them, and the number of those.
        let mut known: Vec<(Layer, usize, Option<Entity>, usize)> = Vec::new();
        for (entity, collider, body) in rows.iter() {
            let layer = collider.layer();
            let at = known.iter().position(|&(known, ..)| known == layer);
            let at = at.unwrap_or_else(|| {
                known.push((layer, 0, None, 0));
                known.len() - 1
            });
            let (_, all, first, count) = &mut known[at];
            *all += 1;
            if collider.is_sensor() || body.is_some_and(|body| body.motion == Motion::Dynamic) {
                *first = Some(first.map_or(entity, |first| first.min(entity)));
                *count += 1;
            }
        }
        known.sort_by_key(|&(_, _, first, _)| first);
        let total: usize = known.iter().map(|&(_, all, ..)| all).sum();
        let met_by = |layer: Layer| {
            let met = known
                .iter()
                .filter(|(other, ..)| layers.do_meet(layer, *other));
            // It does not meet itself.
            let own = usize::from(layers.do_meet(layer, layer));
            met.map(|&(_, all, ..)| all).sum::<usize>() - own
        };
        let lonely = known
            .iter()
            .filter(|&&(layer, ..)| total > 1 && met_by(layer) == 0);
        lonely
            .filter_map(|&(layer, _, first, count)| {
                let (entity, name) = first.zip(layers.name(layer))?;
                let reason = format!(
                    "no other collider is in a layer that its layer `{name}` meets; let the layers meet, by `Layers::meet` or \
                     `layers` of a scene"
                );
                Some(WithoutEffect {
                    component: "Collider",
                    entity,
                    label: self.world.label(entity),
                    count,
                    reason,
                })
            })
            .collect()
    }
}
