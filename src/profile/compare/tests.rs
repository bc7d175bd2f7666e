use super::*;
use proptest::prelude::*;

fn profile(scene: &str, times: &[(&str, Vec<Option<u64>>)]) -> RecordedProfile {
    let frames = times.first().map_or(0, |(_, times)| times.len() as u64);
    let names: Vec<serde_json::Value> = times
        .iter()
        .map(|(name, times)| {
            serde_json::json!({ "kind": "system", "name": name, "nanoseconds": times })
        })
        .collect();
    let json = serde_json::json!({
        "layout": 2,
        "about": { "scene": scene },
        "frames": (1..=frames).collect::<Vec<u64>>(),
        "names": names,
    });
    serde_json::from_value(json).expect("it is a profile")
}

/// Times about a middle, with what a machine adds now and then.
fn noisy(middle: f64, frames: usize, seed: u64) -> Vec<Option<u64>> {
    let mut random = ChaCha8Rng::seed_from_u64(seed);
    let mut slow = 0;
    (0..frames)
        .map(|_| {
            if random.random_range(0..40) == 0 {
                slow = random.random_range(1..8);
            }
            slow = i32::max(slow - 1, 0);
            let disturbed = if slow > 0 { 1.5 } else { 1.0 };
            Some((middle * disturbed * random.random_range(0.95..1.05)) as u64)
        })
        .collect()
}

fn threshold(ratio: f64) -> Threshold {
    let difference = Duration::ZERO;
    Threshold { ratio, difference }
}

fn of<'c>(comparison: &'c Comparison, name: &str) -> &'c NameComparison {
    let mut names = comparison.names.iter();
    names
        .find(|ratio| ratio.name == name)
        .expect("it was compared")
}

#[test]
fn equal_runs_show_no_difference_and_others_do() {
    let before = profile(
        "quay",
        &[
            ("sway", noisy(50_000.0, 600, 1)),
            ("stow", noisy(9_000.0, 600, 2)),
            ("lash", noisy(800.0, 600, 3)),
        ],
    );
    let after = profile(
        "quay",
        &[
            ("sway", noisy(50_000.0, 600, 4)),
            ("stow", noisy(9_900.0, 600, 5)),
            ("lash", noisy(720.0, 600, 6)),
        ],
    );
    let comparison = Comparison::between(&before, &after, threshold(1.02));
    assert!(comparison.is_paired && comparison.differing_facts.is_empty());
    assert_eq!(of(&comparison, "sway").change, Change::NoDifference);
    assert_eq!(of(&comparison, "lash").change, Change::Faster);
    let stow = of(&comparison, "stow");
    assert_eq!(stow.change, Change::Slower);
    assert!(stow.low < stow.ratio && stow.ratio < stow.high && (stow.ratio - 1.1).abs() < 0.03);
}

/// Of 60 comparisons of equal things hardly one may be a false alarm: the interval is wide enough.
#[test]
fn false_alarms_are_rare() {
    let alarms = (0..60).filter(|seed| {
        let before = profile("quay", &[("sway", noisy(50_000.0, 300, 1_000 + seed))]);
        let after = profile("quay", &[("sway", noisy(50_000.0, 300, 2_000 + seed))]);
        let comparison = Comparison::between(&before, &after, threshold(1.0));
        comparison.names[0].change != Change::NoDifference
    });
    assert!(alarms.count() <= 3);
}

#[test]
fn what_differs_from_frame_to_frame_takes_no_part_where_frames_are_paired() {
    // The work grows a hundredfold over the run; after, it is 5 % more.
    let growing = |factor: f64, seed: u64| -> Vec<Option<u64>> {
        let times = noisy(1_000.0, 400, seed).into_iter().flatten().enumerate();
        times
            .map(|(frame, time)| Some((time as f64 * factor * (1.0 + frame as f64 / 4.0)) as u64))
            .collect()
    };
    let before = profile("growing", &[("stow", growing(1.0, 1))]);
    let after = profile("growing", &[("stow", growing(1.05, 2))]);
    let paired = Comparison::between(&before, &after, threshold(1.02));
    assert_eq!(of(&paired, "stow").change, Change::Slower);
    let other = profile("another", &[("stow", growing(1.05, 2))]);
    let apart = Comparison::between(&before, &other, threshold(1.02));
    assert!(!apart.is_paired);
    assert_eq!(of(&apart, "stow").change, Change::NoDifference);
    assert_eq!(
        apart.differing_facts,
        [(
            "scene".to_owned(),
            "growing".to_owned(),
            "another".to_owned()
        )]
    );
}

#[test]
fn what_cannot_be_compared_is_said() {
    let some = |count: usize| -> Vec<Option<u64>> {
        (0..100)
            .map(|frame| (frame < count).then_some(500))
            .collect()
    };
    let before = profile(
        "quay",
        &[("sway", some(100)), ("rare", some(19)), ("gone", some(100))],
    );
    let after = profile(
        "quay",
        &[("sway", some(100)), ("rare", some(100)), ("new", some(100))],
    );
    let comparison = Comparison::between(&before, &after, threshold(1.02));
    let findings: Vec<(&str, Change)> = comparison
        .names
        .iter()
        .map(|ratio| (ratio.name.as_str(), ratio.change))
        .collect();
    assert_eq!(
        findings,
        [
            ("sway", Change::NoDifference),
            ("rare", Change::TooFewFrames),
            ("new", Change::New),
            ("gone", Change::Gone),
        ]
    );
    let gone = of(&comparison, "gone");
    assert_eq!((gone.before.as_nanos(), gone.after.as_nanos()), (500, 0));
}

#[test]
fn files_that_are_none_are_refused() {
    let written = |profile: &RecordedProfile| {
        let mut file = Vec::new();
        profile.write(&mut file).expect("memory does not fail");
        String::from_utf8(file).expect("JSON is text")
    };
    let two = ("drift", vec![Some(5), Some(7)]);
    let whole = written(&profile("sway", std::slice::from_ref(&two)));
    let changed = whole.replace("[5,7]", "[5,8]");
    let uneven = written(&profile("sway", &[two, ("sway", vec![Some(5)])]));
    for (text, wanted) in [
        ("", "EOF while parsing"),
        ("[]", "line 1 column"),
        (
            r#"{"layout":9,"about":{},"frames":[],"names":[]}"#,
            "its layout is 9",
        ),
        (&uneven, "`sway` has times of 1 frames, but there are 2"),
        (&changed, "its checksum does not match"),
        (&whole[..whole.len() - 1], "EOF while parsing"),
    ] {
        let error = RecordedProfile::read(text)
            .expect_err("it is none")
            .to_string();
        assert!(error.contains(wanted), "{error}");
    }
}

proptest! {
    #[test]
    fn the_median_is_in_the_middle(mut values in proptest::collection::vec(0.0_f64..100.0, 1..50)) {
        let found = median(&mut values.clone());
        values.sort_unstable_by(f64::total_cmp);
        let count = values.len();
        let wanted = f64::midpoint(values[(count - 1) / 2], values[count / 2]);
        prop_assert_eq!(found, wanted);
    }

    #[test]
    fn drawn_frames_are_blocks_of_neighbors(count in 1_usize..200, seed in any::<u64>()) {
        let from: Vec<f64> = (0..count).map(|place| place as f64).collect();
        let mut random = ChaCha8Rng::seed_from_u64(seed);
        let drawn = drawn_blocks(&from, &mut random, |&value| value);
        prop_assert_eq!(drawn.len(), count);
        let length = (count as f64).cbrt().ceil() as usize;
        for (place, pair) in drawn.windows(2).enumerate() {
            if (place + 1) % length != 0 {
                prop_assert_eq!(pair[1], pair[0] + 1.0);
            }
        }
    }
}

#[test]
fn differences_that_no_clock_can_tell_do_not_count() {
    let before = profile(
        "quay",
        &[
            ("sway", noisy(400.0, 600, 1)),
            ("stow", noisy(9_000.0, 600, 2)),
        ],
    );
    let after = profile(
        "quay",
        &[
            ("sway", noisy(440.0, 600, 3)),
            ("stow", noisy(9_900.0, 600, 4)),
        ],
    );
    let with = |nanoseconds| {
        let difference = Duration::from_nanos(nanoseconds);
        Comparison::between(
            &before,
            &after,
            Threshold {
                ratio: 1.02,
                difference,
            },
        )
    };
    assert_eq!(of(&with(10), "sway").change, Change::Slower);
    assert_eq!(of(&with(90), "sway").change, Change::NoDifference);
    assert_eq!(of(&with(90), "stow").change, Change::Slower);
}

fn constant(nanoseconds: u64, frames: usize) -> Vec<Option<u64>> {
    vec![Some(nanoseconds); frames]
}

/// Without noise the interval is the ratio itself.
#[test]
fn constant_times_have_an_exact_ratio() {
    let before = profile(
        "quay",
        &[("sway", constant(1_000, 100)), ("stow", constant(400, 100))],
    );
    let after = profile(
        "quay",
        &[("sway", constant(1_500, 100)), ("stow", constant(300, 100))],
    );
    let comparison = Comparison::between(&before, &after, threshold(1.05));
    let sway = of(&comparison, "sway");
    assert_eq!((sway.low, sway.ratio, sway.high), (1.5, 1.5, 1.5));
    assert_eq!(
        (sway.before, sway.after),
        (Duration::from_nanos(1_000), Duration::from_nanos(1_500))
    );
    assert_eq!(sway.change, Change::Slower);
    let stow = of(&comparison, "stow");
    assert_eq!((stow.low, stow.ratio, stow.high), (0.75, 0.75, 0.75));
    assert_eq!(stow.change, Change::Faster);
}

/// A ratio counts only above the least one, and a difference only from the least one on.
#[test]
fn the_least_ratio_and_difference_are_bounds() {
    let before = profile("quay", &[("sway", constant(1_000, 100))]);
    let found = |now: u64, ratio: f64, difference: u64| {
        let after = profile("quay", &[("sway", constant(now, 100))]);
        let threshold = Threshold {
            ratio,
            difference: Duration::from_nanos(difference),
        };
        Comparison::between(&before, &after, threshold).names[0].change
    };
    assert_eq!(found(1_250, 1.25, 0), Change::NoDifference);
    assert_eq!(found(1_250, 1.24, 0), Change::Slower);
    assert_eq!(found(800, 1.25, 0), Change::NoDifference);
    assert_eq!(found(800, 1.24, 0), Change::Faster);
    assert_eq!(found(1_250, 1.0, 250), Change::Slower);
    assert_eq!(found(1_250, 1.0, 251), Change::NoDifference);
    assert_eq!(found(750, 1.0, 250), Change::Faster);
    assert_eq!(found(750, 1.0, 251), Change::NoDifference);
    // A least ratio below 1 counts as 1.
    assert_eq!(found(1_000, 0.5, 0), Change::NoDifference);
    assert_eq!(found(1_001, 0.5, 0), Change::Slower);
}

#[test]
fn too_few_frames_are_not_judged() {
    let compared = |frames: usize| {
        let before = profile("quay", &[("sway", constant(1_000, frames))]);
        let after = profile("quay", &[("sway", constant(2_000, frames))]);
        Comparison::between(&before, &after, threshold(1.05)).names[0].clone()
    };
    let few = compared(LEAST_FRAMES - 1);
    assert_eq!(few.change, Change::TooFewFrames);
    assert_eq!(
        (few.before, few.after),
        (Duration::from_nanos(1_000), Duration::from_nanos(2_000))
    );
    assert_eq!((few.low, few.ratio, few.high), (1.0, 1.0, 1.0));
    assert_eq!(compared(LEAST_FRAMES).change, Change::Slower);
}

#[test]
fn names_of_one_side_have_its_time() {
    let before = profile(
        "quay",
        &[("sway", constant(1_000, 50)), ("old", constant(70, 50))],
    );
    let after = profile(
        "quay",
        &[("sway", constant(1_000, 50)), ("new", constant(90, 50))],
    );
    let comparison = Comparison::between(&before, &after, threshold(1.05));
    let old = of(&comparison, "old");
    assert_eq!(
        (old.change, old.before, old.after),
        (Change::Gone, Duration::from_nanos(70), Duration::ZERO)
    );
    let new = of(&comparison, "new");
    assert_eq!(
        (new.change, new.before, new.after),
        (Change::New, Duration::ZERO, Duration::from_nanos(90))
    );
}

/// The draws have a fixed seed, and the interval lies close around the true ratio.
#[test]
fn intervals_are_the_same_in_each_comparison() {
    let before = profile("quay", &[("sway", noisy(50_000.0, 300, 1))]);
    let after = profile("quay", &[("sway", noisy(52_000.0, 300, 2))]);
    let one = Comparison::between(&before, &after, threshold(1.0));
    let other = Comparison::between(&before, &after, threshold(1.0));
    let bounds = |comparison: &Comparison| {
        let name = &comparison.names[0];
        (name.low, name.ratio, name.high)
    };
    assert_eq!(bounds(&one), bounds(&other));
    let (low, ratio, high) = bounds(&one);
    assert!(
        1.03 < low && low < ratio && ratio < high && high < 1.06,
        "{low} {ratio} {high}"
    );
}
