//! Compares the `# Panics` sections of a package with calls that panic.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;

/// The name of a function, a part of the message, and a call that panics with it.
pub(crate) type Call = (&'static str, &'static str, fn());

/// Makes each call and checks its message.
pub(crate) fn assert_panics(calls: &[Call]) {
    for (name, expected, work) in calls {
        let caught = catch_unwind(AssertUnwindSafe(*work));
        let payload = caught.expect_err(name);
        let text = payload.downcast_ref::<String>().cloned();
        let text = text.or_else(|| {
            payload
                .downcast_ref::<&str>()
                .map(|text| (*text).to_owned())
        });
        let text = text.unwrap_or_default();
        assert!(text.contains(expected), "`{name}` says {text:?}");
    }
}

/// The names of the public functions below a folder that have a section `# Panics`.
fn documented(folder: &Path, names: &mut Vec<String>) {
    for entry in std::fs::read_dir(folder).expect("it is a folder") {
        let path = entry.expect("it can be read").path();
        if path.is_dir() {
            documented(&path, names);
            continue;
        }
        let text = std::fs::read_to_string(&path).expect("it is text");
        for (at, _) in text.match_indices("/// # Panics") {
            let code = text[at..].lines().map(str::trim);
            let mut code =
                code.skip_while(|line| line.starts_with("///") || line.starts_with("#["));
            let declaration = code.next().unwrap_or_default();
            if let Some(rest) = declaration.strip_prefix("pub fn ") {
                let end = rest.find(|char: char| !char.is_alphanumeric() && char != '_');
                names.push(rest[..end.unwrap_or(rest.len())].to_owned());
            }
        }
    }
}

/// Checks that each `# Panics` section below a folder has a call, and that at least some number of sections are found.
pub(crate) fn assert_complete(folder: &Path, least: usize, calls: &[Call], excepted: &[&str]) {
    let mut names = Vec::new();
    documented(folder, &mut names);
    assert!(names.len() >= least, "{}: {names:?}", folder.display());
    for name in names {
        let is_tested = calls.iter().any(|(tested, ..)| *tested == name);
        assert!(
            is_tested || excepted.contains(&&*name),
            "`{name}` has a section `# Panics` and no call"
        );
    }
}
