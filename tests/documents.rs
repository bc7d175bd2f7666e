//! Documents name only files that exist.

use std::fs;
use std::path::{Path, PathBuf};

/// All files below a folder, but for those that builds make.
fn files(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).expect("it is a folder") {
        let path = entry.expect("it can be read").path();
        let name = path.file_name().and_then(|name| name.to_str());
        if name.is_some_and(|name| name == "target" || name == ".git") {
            continue;
        }
        if path.is_dir() {
            files(&path, found);
        }
        found.push(path);
    }
}

/// The texts in backticks, outside of code blocks, that look like the name of a file or a folder of this repository.
fn named_files(text: &str) -> Vec<(usize, String)> {
    let mut is_code = false;
    let mut named = Vec::new();
    for (number, line) in text.lines().enumerate() {
        is_code ^= line.trim_start().starts_with("```");
        if is_code {
            continue;
        }
        for word in line.split('`').skip(1).step_by(2) {
            let is_name = word
                .chars()
                .all(|letter| letter.is_ascii_alphanumeric() || "_-./".contains(letter));
            let is_file = [".rs", ".md"]
                .iter()
                .any(|end| word.ends_with(end) && word.len() > 3);
            let is_folder = word.ends_with('/') && word.len() > 1;
            if is_name && (is_file || is_folder) {
                named.push((number + 1, word.trim_end_matches('/').to_owned()));
            }
        }
    }
    named
}

#[test]
fn documents_name_only_files_that_exist() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let mut all = Vec::new();
    files(root, &mut all);
    let mut checked = 0;
    for document in [
        "ARCHITECTURE.md",
        "scene/ARCHITECTURE.md",
        "cli/ARCHITECTURE.md",
        "CONTRIBUTING.md",
        "README.md",
    ] {
        let text = fs::read_to_string(root.join(document)).expect("it is there");
        for (line, name) in named_files(&text) {
            checked += 1;
            // The fuzzer makes its folders.
            let is_made = ["fuzz/corpus", "fuzz/artifacts"].contains(&name.as_str());
            assert!(
                is_made || all.iter().any(|path| path.ends_with(&name)),
                "{document}:{line} names `{name}`, which does not exist"
            );
        }
    }
    assert!(checked > 50, "only {checked} names were found");
}

#[test]
fn names_of_files_are_found_in_text() {
    let text = "See `collide/tree.rs`, `docs/`, `Body::mass` and `1 / 2`.\n```sh\nls `target/`\n```\n`a.md`";
    let names = named_files(text)
        .into_iter()
        .map(|(line, name)| format!("{line} {name}"));
    assert_eq!(
        names.collect::<Vec<_>>(),
        ["1 collide/tree.rs", "1 docs", "5 a.md"]
    );
}
