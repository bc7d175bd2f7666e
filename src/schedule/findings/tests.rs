use super::*;

fn micros(micros: u64) -> Duration {
    Duration::from_micros(micros)
}

/// A phase of 900 µs of work and a critical path of 300 µs, on four threads.
fn cost() -> PhaseCost {
    PhaseCost {
        phase: Phase::Simulate,
        work: micros(900),
        span: micros(300),
        chain: vec![String::from("sway"), String::from("stow")],
        rounds: 10,
        parallel_rounds: 4,
        parallel_work: micros(4_000),
        parallel_took: micros(2_000),
        threads: 4,
        serial_below: micros(100),
    }
}

#[test]
fn costs_are_given_as_they_were_measured() {
    let cost = cost();
    assert_eq!(cost.phase(), Phase::Simulate);
    assert_eq!((cost.work(), cost.span()), (micros(900), micros(300)));
    assert_eq!(cost.critical_path(), ["sway", "stow"]);
    assert_eq!(cost.rounds(), (10, 4));
    assert_eq!(cost.best_speed_up(), 3.0);
    assert_eq!(cost.measured_speed_up(), Some(2.0));
    let serial = PhaseCost {
        parallel_rounds: 0,
        ..cost
    };
    assert_eq!(serial.measured_speed_up(), None);
}

#[test]
fn advice_follows_what_was_measured() {
    let measured = |took: u64| PhaseCost {
        parallel_took: micros(took),
        ..cost()
    };
    assert!(measured(4_001).advice().contains("threads lose here"));
    // Exactly as fast is no loss.
    assert!(measured(4_000).advice().contains("next to nothing"));
    assert!(measured(3_640).advice().contains("next to nothing"));
    assert!(measured(3_600).advice().contains("threads pay here"));
    assert!(measured(2_000).advice().contains("threads pay here"));
}

#[test]
fn advice_without_parallel_runs_follows_the_plan() {
    let serial = |work: u64, span: u64, threads: usize| PhaseCost {
        work: micros(work),
        span: micros(span),
        threads,
        parallel_rounds: 0,
        ..cost()
    };
    assert!(serial(99, 30, 4).advice().contains("too little work"));
    assert!(serial(100, 99, 4).advice().contains("one chain"));
    assert!(serial(100, 90, 4).advice().contains("on one thread so far"));
    assert!(
        serial(900, 300, 4)
            .advice()
            .contains("on one thread so far")
    );
    let one = serial(900, 300, 1).advice();
    assert!(one.contains("up to 3.0 times as fast"), "{one}");
}
