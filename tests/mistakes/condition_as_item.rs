// Conditions are the second parameter of `Rows`.
// expects: cannot be an item of a row
// expects: conditions such as `Having<T>` are the second parameter of `Rows`
use gerust::prelude::*;

struct Fuel(f32);
struct Ship;

fn main() {
    System::named("burn")
        .takes::<Rows<(&Fuel, Having<Ship>)>>()
        .runs(|_| ());
}
