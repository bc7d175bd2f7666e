// An entity is spawned with a tuple of components, also with only one.
// expects: `Fuel` is not a set of components
use gerust::prelude::*;

struct Fuel(f32);

fn main() {
    World::new().spawn(Fuel(1.0));
}
