//! Every system has its time measured; a block of one's own is measured by a span, and a number belongs to its frame by a counter.

use gerust::prelude::*;
use gerust::profile::{self, Category};

fn plan_routes() {
    let _span = profile::span("plan routes");
    let length: u64 = profile::timed("search", || {
        (0..1_000_u64).map(|step| step * step % 7).sum()
    });
    profile::count("steps", 1_000);
    assert!(length > 0);
}

fn main() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::bare();
    runtime.add_system(
        System::named("dispatch")
            .takes::<()>()
            .runs(|()| plan_routes()),
    )?;
    runtime.run_frames(10)?;
    let profiler = runtime.profiler();
    for statistic in profiler.statistics() {
        // Times go where they do not disturb: they are never the same.
        eprintln!("{}: {:?}", statistic.name(), statistic.median());
        let is_own = statistic.category() == Category::Block;
        println!(
            "{} in {} frames{}",
            statistic.name(),
            statistic.frames(),
            if is_own { ", our own" } else { "" }
        );
    }
    let last = profiler.frames().last().expect("ten frames ran");
    println!("steps in the last frame: {:?}", last.counter("steps"));
    Ok(())
}
