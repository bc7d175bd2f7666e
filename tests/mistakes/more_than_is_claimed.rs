// The function of a system gets what it claims.
// expects: expected a tuple with 1 element, found one with 2 elements
use gerust::prelude::*;

struct Fuel(f32);

fn main() {
    System::named("burn")
        .takes::<(Rows<&Fuel>,)>()
        .runs(|(tanks, clock)| drop((tanks, clock)));
}
