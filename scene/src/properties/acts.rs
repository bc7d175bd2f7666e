//! Random scripts.

use super::places;
use crate::draft::{Act, EntityDraft, SceneDraft};
use glam::Vec3;
use proptest::collection::vec;
use proptest::prelude::*;
use proptest::sample::select;

/// Something that is done to one or two of these entities, or without any. What cannot be done, as a link that would make a cycle,
/// is missed when the scene runs, which is no failure.
///
/// # Example
///
/// ```
/// use gerust_scene::SceneDraft;
/// use gerust_scene::properties::acts;
/// use proptest::prelude::*;
///
/// proptest!(|(act in acts(vec![String::from("crate")]))| {
///     let draft = SceneDraft::new("t", 1).cue_at(1, [act]);
///     prop_assert!(draft.text().contains("do = ["));
/// });
/// ```
pub fn acts(names: Vec<String>) -> BoxedStrategy<Act> {
    let spawn = (places([10, 3, 10]), any::<bool>()).prop_map(|(place, is_solid)| {
        let entity = EntityDraft::new().at(place + Vec3::Y * 9.0);
        Act::spawn(match is_solid {
            true => entity.solid(Vec3::ONE).body(&gerust::Body::dynamic()),
            false => entity,
        })
    });
    let away = places([10, 3, 10]).prop_map(|place| Act::push_away(place, 6.0, 12.0));
    if names.is_empty() {
        return prop_oneof![spawn, away].boxed();
    }
    let name = || select(names.clone());
    let moved = (name(), places([12, 6, 12]))
        .prop_map(|(name, place)| Act::set(&name, EntityDraft::new().at(place + Vec3::Y * 7.0)));
    let pushed = (name(), places([20, 20, 20])).prop_map(|(name, way)| Act::push(&name, way));
    let changed = (name(), -3_i32..=3).prop_map(|(name, way)| {
        let field = format!("{name}.body.velocity.x");
        Act::change(&field, &way.to_string())
    });
    let linked = (name(), name()).prop_map(|(name, under)| match name == under {
        true => Act::unlink(&name),
        false => Act::link(&name, &under),
    });
    prop_oneof![
        2 => spawn,
        1 => away,
        3 => moved,
        3 => pushed,
        2 => changed,
        3 => linked,
        1 => name().prop_map(|name| Act::despawn(&name)),
    ]
    .boxed()
}

/// A scene of your own with up to a number of cues about some of its entities, at frames up to the last.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::properties::{ForEvery, scripts};
/// use gerust_scene::{EntityDraft, Registry, SceneDraft};
/// use proptest::prelude::*;
///
/// // However it is pushed about, a crate keeps its mass.
/// let crate_ = EntityDraft::named("crate").solid(Vec3::ONE).body(&Body::dynamic());
/// let start = SceneDraft::new("a crate", 30).entity(crate_);
/// let all = scripts(start, 30, vec![String::from("crate")], 5)
///     .prop_map(|scene| scene.expect("never crate.body.mass != 1"));
/// let registry = Registry::standard();
/// ForEvery::new(&registry, || Ok(Runtime::new())).cases(8).check(&all)?;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn scripts(
    start: SceneDraft,
    frames: u64,
    names: Vec<String>,
    most: usize,
) -> impl Strategy<Value = SceneDraft> {
    let cue = (1..=frames.max(1), vec(acts(names), 1..=2));
    vec(cue, 0..=most).prop_map(move |mut cues| {
        cues.sort_by_key(|(frame, _)| *frame);
        cues.into_iter()
            .fold(start.clone(), |draft, (frame, acts)| {
                draft.cue_at(frame, acts)
            })
    })
}
