// A named tuple of claims has a lifetime: `Rows<'w, &'static Fuel>`.
// expects: expected named lifetime parameter
use gerust::prelude::*;

struct Fuel(f32);

type Claims<'w> = (Rows<'w, &Fuel>, Edits<'w>);

fn main() {
    let burn = |(tanks, _): Claims<'_>| drop(tanks);
    System::named("burn").takes::<Claims>().runs(burn);
}
