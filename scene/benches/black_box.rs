//! The cost of a black box, and of writing what it holds. `cargo bench -p gerust-scene --features parallel --bench black_box`

#[path = "../../benches/limits/harness.rs"]
#[allow(dead_code, reason = "the other benches use the rest of it")]
mod harness;
#[path = "../../benches/limits/yard.rs"]
mod yard;

use gerust::Runtime;
use gerust_scene::{BlackBox, Recording};
use harness::Table;
use std::time::{Duration, Instant};
use yard::yard;

/// Frames of a round: single frames differ by more than a black box costs.
const FRAMES: u64 = 10;

fn frames(runtime: &mut Runtime) -> Duration {
    let start = Instant::now();
    runtime.run_frames(FRAMES).expect("nothing fails");
    start.elapsed()
}

fn main() {
    let filter = std::env::args()
        .nth(1)
        .filter(|argument| argument != "--bench");
    let mut table = Table::new(filter);
    for threads in [1, 2] {
        let name = format!("10 frames of 10k carts with a box, {threads} thread");
        if !table.wants(&name) {
            continue;
        }
        let (mut plain, mut runtime) = (yard(10_000, 100, threads), yard(10_000, 100, threads));
        let black_box = BlackBox::keeping(Duration::from_secs(1));
        runtime
            .add_kit(black_box.clone())
            .expect("it is added once");
        // From then on each frame takes the place of the oldest.
        for _ in 0..7 {
            frames(&mut runtime);
            frames(&mut plain);
        }
        table.row_timed(&name, 1.03, || frames(&mut runtime), || frames(&mut plain));
        if threads == 1 {
            let start = Instant::now();
            let mut file = Vec::new();
            let written = black_box.write_to(&mut file).expect("it can be written");
            let took = start.elapsed();
            let (bytes, count) = (file.len(), written.frames().count());
            let start = Instant::now();
            let recording = Recording::from_bytes(file, "yard.rec").expect("it is a recording");
            println!(
                "writing {count} frames takes {took:.2?}, {:.2?} each; {} kB each; listing them {:.2?}",
                took / count as u32,
                bytes / count / 1000,
                start.elapsed()
            );
            assert_eq!(recording.last_frame() + 1, count as u64);
        }
    }
    table.finish();
}
