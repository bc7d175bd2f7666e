//! Systems that clash run in the order in which they were added, unless it is stated otherwise; the others may run side by side. The
//! plan says which is which, and why; threads never change what comes out.

use gerust::prelude::*;

struct Height(f32);
struct Charge(f32);

fn lift(mut rows: Rows<&mut Height>) {
    rows.each(|height| height.0 += 1.0);
}

fn double(mut rows: Rows<&mut Height>) {
    rows.each(|height| height.0 *= 2.0);
}

fn charge(mut rows: Rows<&mut Charge>) {
    rows.each(|charge| charge.0 += 0.25);
}

fn height_with(threads: usize) -> Result<f32, gerust::Error> {
    let mut runtime = Runtime::bare();
    runtime.set_threads(threads)?;
    // However small the work is: this is about the result.
    runtime.set_serial_below(std::time::Duration::ZERO);
    let crane = runtime.world_mut().spawn((Height(1.0), Charge(0.0)));
    runtime.add_system(
        System::named("double")
            .takes::<Rows<&mut Height>>()
            .runs(double),
    )?;
    runtime.add_system(
        System::named("lift")
            .before("double")
            .takes::<Rows<&mut Height>>()
            .runs(lift),
    )?;
    runtime.add_system(
        System::named("charge")
            .takes::<Rows<&mut Charge>>()
            .runs(charge),
    )?;
    if threads == 1 {
        let plan = runtime.schedule().plan()?;
        for phase in plan.phases() {
            for edge in phase.edges() {
                println!("{edge}");
            }
        }
    }
    runtime.run_frames(3)?;
    Ok(runtime.world().get::<Height>(crane)?.0)
}

fn main() -> Result<(), gerust::Error> {
    for threads in [1, 2, 4] {
        println!("height with {threads} threads: {}", height_with(threads)?);
    }
    Ok(())
}
