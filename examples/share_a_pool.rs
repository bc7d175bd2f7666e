//! Systems run on a pool of the program, which uses the same threads for work of its own between frames.

use gerust::prelude::*;
use gerust::rayon::ThreadPoolBuilder;
use gerust::rayon::prelude::*;
use std::error::Error;
use std::sync::Arc;
use std::time::Duration;

struct Height(f32);

fn main() -> Result<(), Box<dyn Error>> {
    let pool = ThreadPoolBuilder::new()
        .num_threads(3)
        .thread_name(|number| format!("worker {number}"))
        .build()?;
    let pool = Arc::new(pool);
    let mut runtime = Runtime::new();
    runtime.set_pool(Arc::clone(&pool));
    // Threads are used from the first microsecond on, so that this small example uses them at all.
    runtime.set_serial_below(Duration::ZERO);
    println!("threads: {}", runtime.threads());

    runtime
        .world_mut()
        .spawn_many((0..9_000_u16).map(|i| (Height(f32::from(i)),)));
    runtime.add_system(
        System::named("sink")
            .takes::<Rows<&mut Height>>()
            .runs(|mut rows| rows.par_each(|height| height.0 -= 1.0)),
    )?;
    for _ in 0..3 {
        runtime.run_frames(1)?;
        // Work of the program, on the same threads.
        let squares: u64 = pool.install(|| (0..1_000_u64).into_par_iter().map(|n| n * n).sum());
        assert_eq!(squares, 332_833_500);
    }
    let rows = runtime.world().rows::<&Height>();
    let above: usize = rows.iter().filter(|height| height.0 > 0.0).count();
    println!("{above} are above zero after 3 frames");
    Ok(())
}
