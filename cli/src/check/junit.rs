//! What came of many scenes, as JUnit XML: a suite for each scene, a case for each expectation.

use super::judged::{Check, Judged, Judgement};
use quick_junit::{NonSuccessKind, Report, TestCase, TestCaseStatus, TestSuite};
use std::time::Duration;

pub(super) fn report(judged: &[Judged]) -> Report {
    let mut report = Report::new("gerust check");
    report.set_time(judged.iter().map(|scene| scene.took).sum());
    report.add_test_suites(judged.iter().map(suite));
    report
}

fn suite(scene: &Judged) -> TestSuite {
    let name = scene.path.display().to_string();
    let mut suite = TestSuite::new(name.as_str());
    suite.set_time(scene.took);
    let mut cases = match &scene.judgement {
        Judgement::Ran(run) => run.checks.iter().map(case).collect(),
        Judgement::Faulty { .. } | Judgement::Broke(_) => {
            let mut status = TestCaseStatus::non_success(NonSuccessKind::Error);
            status
                .set_type("faulty")
                .set_message(scene.faults().join("\n"));
            vec![TestCase::new("the scene can be run", status)]
        }
    };
    if cases.is_empty() {
        // A scene without expectations holds if it runs to its end.
        cases.push(TestCase::new(
            "the scene runs to its end",
            TestCaseStatus::success(),
        ));
    }
    for case in &mut cases {
        case.set_classname(name.as_str()).set_time(Duration::ZERO);
    }
    // The time of single expectations is not known: the first case has that of the scene.
    cases[0].set_time(scene.took);
    suite.add_test_cases(cases);
    suite
}

fn case(check: &Check) -> TestCase {
    let wanted = format!("{} {}", check.wanted, check.when);
    let status = match check.held {
        true => TestCaseStatus::success(),
        false => {
            let mut status = TestCaseStatus::non_success(NonSuccessKind::Failure);
            status.set_type("expectation");
            status.set_message(format!(
                "wanted {wanted}, found {} at frame {}",
                check.measured, check.frame
            ));
            let before: Vec<String> = check
                .before
                .iter()
                .map(|(frame, measured)| format!("frame {frame}: {measured}"))
                .chain(check.touching.clone())
                .collect();
            status.set_description(before.join("\n"));
            status
        }
    };
    TestCase::new(check.what.as_deref().unwrap_or(&wanted), status)
}
