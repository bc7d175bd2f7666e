//! The compiler's messages for the mistakes that newcomers make most often: each program below `mistakes/` fails to compile, and
//! the message holds every text that the program expects.

use serde_json::Value;
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

/// A package of its own that depends on this crate and has all programs as examples.
fn package(programs: &[PathBuf]) -> tempfile::TempDir {
    let own = Path::new(env!("CARGO_MANIFEST_DIR"));
    let folder = tempfile::tempdir().expect("there is room");
    let manifest = format!(
        "[package]\nname = \"mistakes\"\nversion = \"0.0.0\"\nedition = \"2024\"\n\n\
         [dependencies]\ngerust = {{ path = {:?}, default-features = false }}\n\n[workspace]\n",
        own
    );
    let write = |name: &str, text: &str| {
        fs::write(folder.path().join(name), text).expect("there is room");
    };
    fs::create_dir_all(folder.path().join("examples")).expect("there is room");
    fs::create_dir_all(folder.path().join("src")).expect("there is room");
    write("Cargo.toml", &manifest);
    write("src/lib.rs", "");
    let lock = fs::read_to_string(own.join("Cargo.lock")).expect("it is checked in");
    write("Cargo.lock", &lock);
    for program in programs {
        let name = program.file_name().expect("it is a file");
        fs::copy(program, folder.path().join("examples").join(name)).expect("there is room");
    }
    folder
}

/// The messages of the compiler by program.
fn messages(folder: &Path) -> BTreeMap<String, String> {
    let output = Command::new(env!("CARGO"))
        .args(["check", "--offline", "--keep-going", "--examples"])
        .args(["--message-format", "json"])
        .current_dir(folder)
        // The flags of this run may be those of a run that measures or checks memory.
        .env_remove("RUSTFLAGS")
        .env_remove("CARGO_TARGET_DIR")
        .output()
        .expect("cargo starts");
    let mut messages = BTreeMap::new();
    for line in String::from_utf8_lossy(&output.stdout).lines() {
        let Ok(message) = serde_json::from_str::<Value>(line) else {
            continue;
        };
        let name = message["target"]["name"].as_str();
        let text = message["message"]["rendered"].as_str();
        if let (Some(name), Some(text)) = (name, text) {
            let known: &mut String = messages.entry(name.to_owned()).or_default();
            known.push_str(text);
        }
    }
    assert!(
        !messages.is_empty(),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    messages
}

#[test]
fn usual_mistakes_get_messages_that_say_what_to_do() {
    let own = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/mistakes");
    let entries = fs::read_dir(own).expect("it is there");
    let programs: Vec<PathBuf> = entries
        .map(|entry| entry.expect("it can be read").path())
        .collect();
    assert!(programs.len() >= 10, "{programs:?}");
    let folder = package(&programs);
    let messages = messages(folder.path());
    let mut wrong = Vec::new();
    for program in &programs {
        let name = program.file_stem().expect("it is a file").to_string_lossy();
        let text = fs::read_to_string(program).expect("it can be read");
        let expected: Vec<&str> = text
            .lines()
            .filter_map(|line| line.strip_prefix("// expects: "))
            .collect();
        assert!(!expected.is_empty(), "{name} expects nothing");
        let told = messages.get(&*name).map_or("", String::as_str);
        for expected in expected {
            if !told.contains(expected) {
                wrong.push(format!("{name} lacks `{expected}`:\n{told}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
}
