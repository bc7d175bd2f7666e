//! A program with a loop of its own: it reads input, advances by the time that has passed, and draws, all on its main thread.

use gerust::prelude::*;
use gerust::runtime::Controls;
use gerust::schedule::Seams;
use std::cell::RefCell;
use std::rc::Rc;
use std::time::Duration;

/// It stands for a window: it must stay on the main thread, as many windows must.
#[derive(Default)]
struct Window {
    pressed: bool,
    drawn: Vec<String>,
}

struct Hoist;

fn main() -> Result<(), Error> {
    let mut runtime = Runtime::new();
    runtime.set_step_seconds(0.02)?;
    runtime.add_kit(StandardKit)?;
    let hook = (Name::new("hook"), Transform::at(0.0, 1.0, 0.0), Hoist);
    runtime.world_mut().spawn(hook);
    runtime.add_system(
        System::named("hoist")
            .takes::<(
                Rows<&mut Transform, Having<Hoist>>,
                Global<Controls>,
                Global<Clock>,
            )>()
            .runs(|(mut hooks, controls, clock)| {
                hooks.each(|place| {
                    place.translation.y += 2.0 * controls.value("hoist") * clock.step_seconds();
                });
            }),
    )?;

    let window = Rc::new(RefCell::new(Window::default()));
    let mut seams = Seams::new();
    // Input before the first phase of each frame, drawing after the last one.
    let input = Rc::clone(&window);
    seams.before(Phase::Intake, move |world| {
        let held = f32::from(u8::from(input.borrow().pressed));
        world.ensure_global::<Controls>().set("hoist", held);
    });
    let output = Rc::clone(&window);
    seams.after(Phase::Close, move |world| {
        let rows = world.rows_where::<&WorldTransform, Having<Hoist>>();
        let heights = rows
            .iter()
            .map(|place| format!("{:.2}", place.translation().y));
        output.borrow_mut().drawn.extend(heights);
    });

    // The times between two turns of the loop; a real program measures them.
    for (turn, milliseconds) in [16, 16, 17, 50, 16].into_iter().enumerate() {
        window.borrow_mut().pressed = turn >= 1;
        let elapsed = Duration::from_millis(milliseconds);
        let advance = runtime.advance_with(elapsed, &mut seams)?;
        println!(
            "turn {turn}: {} frames, {:.2} of the next one",
            advance.frames(),
            advance.remainder()
        );
    }
    println!("heights drawn: {}", window.borrow().drawn.join(" "));
    Ok(())
}
