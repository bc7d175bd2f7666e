//! Results of many scenes as JUnit XML: a suite for each scene, a case for each expectation.

use super::judged::{Check, Judged, Judgement};
use quick_junit::{NonSuccessKind, Report, TestCase, TestCaseStatus, TestSuite};
use std::io;
use std::time::Duration;

/// The XML text.
pub(super) fn text(judged: &[Judged]) -> io::Result<String> {
    let text = report(judged).to_string().map_err(io::Error::other)?;
    // The package writes this attribute on the root element, where the common schema does not have it.
    Ok(text.replacen(" skipped=\"0\"", "", 1))
}

fn report(judged: &[Judged]) -> Report {
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

#[cfg(test)]
mod tests {
    use super::super::judged::Ran;
    use super::*;
    use proptest::prelude::*;
    use roxmltree::Document;
    use std::path::PathBuf;

    /// The attributes of each element in the common schema.
    const ALLOWED: [(&str, &[&str]); 6] = [
        (
            "testsuites",
            &["name", "time", "tests", "failures", "disabled", "errors"],
        ),
        (
            "testsuite",
            &[
                "name",
                "tests",
                "failures",
                "errors",
                "time",
                "disabled",
                "skipped",
                "timestamp",
                "hostname",
                "id",
                "package",
            ],
        ),
        (
            "testcase",
            &["name", "assertions", "time", "classname", "status"],
        ),
        ("failure", &["type", "message"]),
        ("error", &["type", "message"]),
        ("skipped", &["type", "message"]),
    ];

    fn check(held: bool, text: &str) -> Check {
        Check {
            held,
            what: (!text.is_empty()).then(|| text.to_owned()),
            wanted: text.to_owned(),
            when: text.to_owned(),
            frame: 7,
            measured: text.to_owned(),
            before: vec![(6, text.to_owned())],
            touching: Some(text.to_owned()),
            remedy: None,
        }
    }

    fn judged(path: &str, judgement: Judgement) -> Judged {
        Judged {
            path: PathBuf::from(path),
            took: Duration::from_millis(12),
            judgement,
        }
    }

    proptest! {
        /// The file follows the common schema with any names and messages.
        #[test]
        fn every_report_keeps_to_the_schema(texts in proptest::collection::vec("(?s).{0,12}|\\PC{0,8}|skipped=\"0\"", 4)) {
            let ran = Ran {
                checks: vec![check(true, &texts[0]), check(false, &texts[1])],
                left_out: 0,
                missed: Vec::new(),
            };
            let all = [
                judged(&texts[2], Judgement::Ran(ran)),
                judged("b.toml", Judgement::Broke(texts[3].clone())),
                judged("c.toml", Judgement::Faulty { count: 1, faults: vec![texts[3].clone()] }),
            ];
            let xml = text(&all).expect("it can be written");
            let document = Document::parse(&xml);
            prop_assert!(document.is_ok(), "{document:?}\n{xml}");
            let document = document.expect("it was checked");
            for node in document.descendants().filter(roxmltree::Node::is_element) {
                let name = node.tag_name().name();
                let allowed = ALLOWED.iter().find(|(known, _)| *known == name);
                let (_, allowed) = allowed.expect("the element is in the schema");
                for attribute in node.attributes() {
                    prop_assert!(allowed.contains(&attribute.name()), "{} of {name}", attribute.name());
                }
            }
            let cases = document.descendants().filter(|node| node.has_tag_name("testcase"));
            prop_assert_eq!(cases.count(), 4);
        }
    }
}
