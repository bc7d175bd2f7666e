// Items are the first parameter of `Rows`.
// expects: `&Ship` is not a condition on rows
use gerust::prelude::*;

struct Fuel(f32);
struct Ship;

fn main() {
    System::named("burn").takes::<Rows<&Fuel, &Ship>>().runs(|_| ());
}
