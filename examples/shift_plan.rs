//! Systems in a planned order, on threads: prints why they run in that order and what the threads brought.
//!
//! `cargo run -p gerust --features parallel --example shift_plan`

use gerust::prelude::*;
use std::time::Duration;

struct Fuel(f32);
struct Load(f32);
struct Engine;

/// Whether the night shift works.
struct Shift {
    is_night: bool,
}

fn systems() -> Vec<System> {
    vec![
        System::named("burn fuel")
            .label("driving")
            .only_if::<Global<Shift>>(|shift| shift.is_night)
            .takes::<(Rows<(&mut Fuel, &Load)>, Global<Clock>)>()
            .runs(|(mut tanks, clock)| {
                tanks.each(|(fuel, load)| fuel.0 -= load.0 * 1e-6 * clock.step_seconds());
            }),
        System::named("drive")
            .label("driving")
            .after("burn fuel")
            .takes::<(Rows<(&mut Transform, &Fuel)>, Global<Clock>)>()
            .runs(|(mut trucks, clock)| {
                trucks.each(|(transform, fuel)| {
                    transform.translation.x += fuel.0.min(1.0) * clock.step_seconds();
                });
            }),
        System::named("settle loads")
            .takes::<Rows<&mut Load>>()
            .runs(|mut loads| loads.each(|load| load.0 *= 0.999_99)),
        System::named("report")
            .every(1.0)
            .takes::<(Rows<&Fuel>, Global<Clock>)>()
            .runs(|(tanks, clock)| {
                let left: f32 = tanks.iter().map(|fuel| fuel.0).sum();
                println!("after {:.0} s: {left:.1} litres left", clock.seconds());
            }),
        System::named("start engines")
            .takes::<Rows<(&Transform, &Engine)>>()
            .runs(|_| ()),
    ]
}

fn main() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::new();
    // So that the threads are used for as little as this; leave it as it is in a program.
    runtime.set_serial_below(Duration::ZERO);
    runtime.world_mut().set_global(Shift { is_night: true });
    runtime.world_mut().spawn_many(
        (0..20_000).map(|number| (Transform::default(), Fuel(5.0), Load(number as f32))),
    );
    for system in systems() {
        runtime.add_system(system)?;
    }
    runtime.run_frames(180)?;

    let plan = runtime.schedule().plan()?;
    println!("\n{}", plan.order_of("drive", "burn fuel")?);
    println!("\nwhy:");
    for edge in plan
        .phase(Phase::Simulate)
        .into_iter()
        .flat_map(|phase| phase.edges())
    {
        println!("  {edge}");
    }
    let findings = runtime.findings()?;
    println!("\nfindings:");
    for empty in findings.empty_rows() {
        println!("  {empty}");
    }
    for cost in findings
        .phases()
        .iter()
        .filter(|cost| cost.phase() == Phase::Simulate)
    {
        println!(
            "  Simulate: {:.2?} of work, critical path {}, {}",
            cost.work(),
            cost.critical_path().join(" → "),
            cost.advice()
        );
    }
    Ok(())
}
