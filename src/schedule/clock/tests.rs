use super::*;

/// 0.1 is a little more than a tenth; the second number keeps what the first one cannot.
#[test]
fn steps_are_summed_in_twice_the_precision() {
    let sum = |count: u32, step: f64| {
        (0..count).fold(Seconds::default(), |seconds, _| seconds.plus(1.0, step))
    };
    let tenths = sum(10, 0.1);
    // Exactly: 10 · 0.1000000000000000055511151231257827.
    assert_eq!((tenths.high, tenths.low), (1.0, 5.551_115_123_125_783e-17));
    assert_eq!(tenths.rounded(), 1.0);
    // All at once or one by one gives the same time; plain sums end at 100000.0000013.
    let at_once = Seconds::default().plus(1e6, 0.1);
    let one_by_one = sum(1_000_000, 0.1);
    assert_eq!(at_once.rounded(), one_by_one.rounded());
    assert!((at_once.low - one_by_one.low).abs() < 1e-20);
    assert_eq!(at_once.rounded(), 100_000.0);
    let later = tenths.plus(4.0, 0.25);
    assert_eq!((later.high, later.low), (2.0, 5.551_115_123_125_783e-17));
}

#[test]
fn passed_intervals_are_counted_with_their_fraction() {
    let at = |high: f64, low: f64| Seconds { high, low };
    assert_eq!(at(6.0, 0.0).intervals(0.5), 12.0);
    assert_eq!(at(7.0, 0.0).intervals(2.0), 3.5);
    assert_eq!(at(1.0, 0.25).intervals(0.5), 2.5);
    assert_eq!(at(1.0, -0.25).intervals(0.5), 1.5);
    // 3 · 0.1 is more than 0.3: the third interval of 0.1 s is over, that of 0.3 s as well.
    let tenths = Seconds::default().plus(3.0, 0.1);
    assert_eq!(tenths.intervals(0.1), 3.0);
    assert!(tenths.intervals(0.3) >= 1.0);
}

#[test]
fn exact_sums_lose_nothing() {
    assert_eq!(exact_sum(1.0, 2.0), (3.0, 0.0));
    assert_eq!(exact_sum(1e16, 1.0), (1e16, 1.0));
    assert_eq!(exact_sum(1.0, 1e16), (1e16, 1.0));
    assert_eq!(exact_sum(-1e16, 3.0), (-1e16 + 4.0, -1.0));
    assert_eq!(
        exact_sum(0.1, 0.2),
        (0.1 + 0.2, -2.775_557_561_562_891_4e-17)
    );
}

/// Where the step changes, the time up to then is kept and later frames count from there.
#[test]
fn a_step_that_changes_moves_no_earlier_time() {
    let mut runtime = crate::Runtime::bare();
    runtime.run_frames(3).expect("nothing fails");
    let before = *runtime.world().global::<Clock>().expect("it is there");
    assert_eq!(before.seconds(), 3.0 / 60.0);
    runtime.set_step_seconds(0.25).expect("it is a step");
    let now = *runtime.world().global::<Clock>().expect("it is there");
    assert_eq!(now.seconds(), before.seconds());
    runtime.run_frames(2).expect("nothing fails");
    let after = *runtime.world().global::<Clock>().expect("it is there");
    assert_eq!((after.frame(), after.seconds()), (5, 0.05 + 0.5));
    assert_eq!(after.step(), 0.25);
}
