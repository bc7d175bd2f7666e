// `rows` takes a shared world.
// expects: `&mut Fuel` writes, but the world is only shared here
// expects: use `rows_mut`
use gerust::prelude::*;

struct Fuel(f32);

fn main() {
    let world = World::new();
    let _ = world.rows::<&mut Fuel>().count();
}
