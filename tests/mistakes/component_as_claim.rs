// A system claims rows, globals, inboxes, outboxes and edits.
// expects: a system cannot take `Fuel`
use gerust::prelude::*;

struct Fuel(f32);

fn main() {
    System::named("burn").takes::<Fuel>().runs(|_| ());
}
