//! How the tests run the tool.

use assert_cmd::Command;
use serde_json::Value;
use std::path::{Path, PathBuf};

pub(crate) fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

/// The tool, run in the root of the repository, so that paths in messages are short.
pub(crate) fn gerust() -> Command {
    let mut command = Command::cargo_bin("gerust").expect("cargo has built it");
    command.current_dir(root());
    command
}

pub(crate) fn json_of(command: &mut Command) -> Value {
    let output = command.output().expect("it starts");
    serde_json::from_slice(&output.stdout).expect("it prints JSON")
}
