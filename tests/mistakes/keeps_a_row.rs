// Rows are lent for one run.
// expects: borrowed data escapes outside of closure
use gerust::prelude::*;

struct Fuel(f32);

fn main() {
    let mut kept = None;
    System::named("hoard").takes::<Rows<&Fuel>>().runs(move |tanks| {
        kept = tanks.iter().next();
    });
}
