//! Components are plain data; rows are typed views of the entities that have them.

use gerust::prelude::*;

/// The mass of a container.
struct Tonnes(f32);
/// Where a container is to go.
struct Bound(&'static str);

fn main() {
    let mut world = World::new();
    world.spawn((Name::new("box-1"), Tonnes(21.5), Bound("north")));
    world.spawn((Name::new("box-2"), Tonnes(30.0), Bound("south")));
    // This one is empty and goes nowhere: it has a row only where nothing else is asked for.
    let empty = world.spawn((Name::new("box-3"), Tonnes(2.2)));

    let rows = world.rows::<(&Name, &Tonnes, &Bound)>();
    for (name, tonnes, bound) in rows.iter() {
        println!("{name}: {} t, bound {}", tonnes.0, bound.0);
    }
    drop(rows);

    // An optional item has a row with and without the component.
    let rows = world.rows::<(&Name, Option<&Bound>)>();
    let idle = rows.iter().filter(|(_, bound)| bound.is_none());
    println!("bound for nowhere: {}", idle.count());
    drop(rows);

    // Rows to write are claimed as such.
    let mut rows = world.rows_mut::<&mut Tonnes>();
    rows.each(|tonnes| tonnes.0 += 0.5);
    drop(rows);
    let weighed = world.get::<Tonnes>(empty).expect("it is there");
    println!("box-3 weighs {} t with its seal", weighed.0);
}
