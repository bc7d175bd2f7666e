//! Moments against the frames that they are kept of.

use crate::harness::Table;
use crate::yard::yard;
use gerust::runtime::Moments;
use std::time::Instant;

pub(crate) fn rows(table: &mut Table) {
    let name = "frame of 3000 carts that is kept, and not";
    if !table.wants(name) {
        return;
    }
    let [mut plain, mut runtime] = [(); 2].map(|()| yard(3_000, 60, 1));
    let mut moments = Moments::ring(60);
    // From then on, a moment takes the memory of the oldest one, as in a game that runs for longer than it can rewind.
    for _ in 0..60 {
        runtime.run_frames(1).expect("nothing fails");
        plain.run_frames(1).expect("nothing fails");
        moments.keep(&mut runtime);
    }
    // What noting writes costs the frame counts as well.
    let with = || {
        let start = Instant::now();
        runtime.run_frames(1).expect("nothing fails");
        moments.keep(&mut runtime);
        start.elapsed()
    };
    let without = || {
        let start = Instant::now();
        plain.run_frames(1).expect("nothing fails");
        start.elapsed()
    };
    table.row_timed(name, 1.05, with, without);
    let per_moment = moments.memory() / moments.len();
    // The least that keeping one can cost: as many bytes copied in one piece to where the oldest were.
    let source = vec![1_u8; per_moment];
    let mut ring: Vec<Vec<u8>> = (0..60_u8).map(|i| vec![i; per_moment]).collect();
    let (mut kept, mut copied) = (Vec::new(), Vec::new());
    for target in &mut ring {
        runtime.run_frames(1).expect("nothing fails");
        let start = Instant::now();
        moments.keep(&mut runtime);
        kept.push(start.elapsed());
        let start = Instant::now();
        target.copy_from_slice(&source);
        copied.push(start.elapsed());
        std::hint::black_box(target);
    }
    kept.sort_unstable();
    copied.sort_unstable();
    let megabytes = per_moment * 600 / 1_000_000;
    println!(
        "keeping one takes {:.2?}, copying as many bytes {:.2?}, going back {:.2?}; each has {per_moment} bytes, 600 of them {megabytes} MB",
        kept[kept.len() / 2],
        copied[copied.len() / 2],
        {
            let moment = moments.iter().nth(5).expect("more were kept").clone();
            let start = Instant::now();
            runtime.go_back(&moment).expect("it is its own");
            start.elapsed()
        }
    );
}
