// A system lives longer than the function that adds it.
// expects: closure may outlive the current function, but it borrows `total`
// expects: use the `move` keyword
use gerust::prelude::*;

struct Fuel(f32);

fn main() {
    let mut total = 0;
    let system = System::named("count")
        .takes::<Rows<&Fuel>>()
        .runs(|tanks| total += tanks.count());
    drop(system);
}
