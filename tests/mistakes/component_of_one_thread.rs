// Components move between threads.
// expects: `Rc<f32>` cannot be sent between threads safely
use gerust::prelude::*;
use std::rc::Rc;

struct Fuel(Rc<f32>);

fn main() {
    World::new().spawn((Fuel(Rc::new(1.0)),));
}
