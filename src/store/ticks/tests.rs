use super::*;
use proptest::prelude::*;

#[derive(Clone, Debug)]
enum Step {
    Push(u64),
    SwapRemove(usize),
    Mark(usize),
    MarkAll,
}

fn step() -> impl Strategy<Value = Step> {
    prop_oneof![
        6 => (0_u64..50).prop_map(Step::Push),
        2 => any::<usize>().prop_map(Step::SwapRemove),
        2 => any::<usize>().prop_map(Step::Mark),
        1 => Just(Step::MarkAll),
    ]
}

proptest! {
    /// Chunks are only a short way of writing: every row has the tick that a plain list would give it.
    #[test]
    fn ticks_equal_a_plain_list(steps in proptest::collection::vec(step(), 0..400)) {
        let mut ticks = ColumnTicks::default();
        let mut plain: Vec<(u64, u64)> = Vec::new();
        for (now, step) in (50_u64..).zip(steps) {
            match step {
                // Rows come from other tables with ticks of any age.
                Step::Push(tick) => {
                    ticks.push(RowTicks { written: tick, attached: tick / 2 });
                    plain.push((tick, tick / 2));
                }
                Step::SwapRemove(row) if !plain.is_empty() => {
                    let row = row % plain.len();
                    let removed = ticks.swap_remove(row as u32);
                    prop_assert_eq!((removed.written, removed.attached), plain.swap_remove(row));
                }
                Step::Mark(row) if !plain.is_empty() => {
                    let row = row % plain.len();
                    ticks.mark(row as u32, now);
                    plain[row].0 = now;
                }
                Step::MarkAll => {
                    ticks.mark_all(now);
                    plain.iter_mut().for_each(|row| row.0 = now);
                }
                Step::SwapRemove(_) | Step::Mark(_) => {}
            }
            for (row, &(written, attached)) in plain.iter().enumerate() {
                prop_assert_eq!((ticks.written(row), ticks.attached(row)), (written, attached));
            }
        }
    }
}
