// `&T` reads and `&mut T` writes.
// expects: cannot assign to `fuel.0`, which is behind a `&` reference
use gerust::prelude::*;

struct Fuel(f32);

fn main() {
    System::named("burn").takes::<Rows<&Fuel>>().runs(|mut tanks| {
        for fuel in &mut tanks {
            fuel.0 -= 1.0;
        }
    });
}
