// A row hands out references.
// expects: `Fuel` cannot be an item of a row
// expects: a row has `&T`, `&mut T`, `Option<&T>`
use gerust::prelude::*;

struct Fuel(f32);

fn main() {
    System::named("burn")
        .takes::<Rows<(Entity, Fuel)>>()
        .runs(|_| ());
}
