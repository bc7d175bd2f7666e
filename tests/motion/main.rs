//! Bodies through the whole frame.

mod carrying;
mod energy;
mod fast;
mod meeting;
mod properties;
mod refused;
mod riding;
mod tight;
mod walls;

use gerust::prelude::*;

fn cube(half: f32) -> Aabb {
    Aabb::from_center(Vec3::ZERO, Vec3::splat(half))
}

fn weightless() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Gravity(Vec3::ZERO));
    runtime
}

fn spawn_box(runtime: &mut Runtime, aabb: Aabb) -> Entity {
    let center = aabb.center();
    let own = Aabb::from_center(Vec3::ZERO, aabb.half_extents());
    runtime.world_mut().spawn((
        Transform::at(center.x, center.y, center.z),
        Collider::solid(own),
    ))
}

fn spawn_body(runtime: &mut Runtime, aabb: Aabb, body: Body) -> Entity {
    let entity = spawn_box(runtime, aabb);
    runtime
        .world_mut()
        .attach(entity, body)
        .expect("it is alive");
    entity
}

fn place_of(runtime: &Runtime, entity: Entity) -> Vec3 {
    runtime
        .world()
        .get::<Transform>(entity)
        .expect("it is alive")
        .translation
}

fn velocity_of(runtime: &Runtime, entity: Entity) -> Vec3 {
    runtime
        .world()
        .get::<Body>(entity)
        .expect("it is alive")
        .velocity
}

fn box_of(runtime: &Runtime, entity: Entity) -> Aabb {
    runtime
        .world()
        .get::<WorldBox>(entity)
        .expect("it is alive")
        .aabb()
}

fn leftovers(runtime: &Runtime) -> usize {
    leftover_pairs(runtime).len()
}

fn leftover_pairs(runtime: &Runtime) -> Vec<(Entity, Entity)> {
    let contacts = runtime.world().global::<Contacts>().expect("always there");
    let left = contacts.leftovers();
    left.map(|contact| (contact.first, contact.second))
        .collect()
}

fn end_of(runtime: &Runtime, bodies: &[Entity]) -> Vec<(Vec3, Vec3)> {
    bodies
        .iter()
        .map(|&body| (place_of(runtime, body), velocity_of(runtime, body)))
        .collect()
}
