//! Help, completions and manual pages, driven for real.

use assert_cmd::Command;
use predicates::prelude::*;
use predicates::str::contains;

fn gerust() -> Command {
    let mut command = Command::cargo_bin("gerust").expect("cargo has built it");
    // Help is as wide as the terminal, and here there is none.
    command.env("COLUMNS", "80");
    command
}

fn help_of(arguments: &[&str]) -> String {
    let output = gerust().args(arguments).arg("--help").output();
    let output = output.expect("it starts");
    assert!(output.status.success(), "{arguments:?}");
    String::from_utf8(output.stdout).expect("it is text")
}

/// All commands that help lists.
const COMMANDS: [&str; 13] = [
    "run", "check", "compare", "shrink", "profile", "draw", "watch", "inspect", "explain",
    "import", "export", "new", "schema",
];

#[test]
fn the_list_of_commands_is_as_it_was() {
    insta::assert_snapshot!("commands", help_of(&[]));
    for command in ["run", "compare", "shrink", "watch", "inspect", "new"] {
        insta::assert_snapshot!(command, help_of(&[command]));
    }
}

#[test]
fn every_command_has_an_example() {
    let all = help_of(&[]);
    for command in COMMANDS {
        assert!(
            all.contains(&format!("\n  {command} ")),
            "{command} is not listed"
        );
        let help = help_of(&[command]);
        assert!(
            help.contains(&format!(": gerust {command}"))
                || help.contains(&format!("  gerust {command}")),
            "{command}: {help}"
        );
    }
    assert!(!all.contains("extras"), "it is for packages");
}

#[test]
fn completions_and_manual_pages_are_written() {
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        gerust()
            .args(["extras", "completions", shell])
            .assert()
            .code(0)
            .stdout(contains("gerust").and(contains("shrink")));
    }
    let folder = tempfile::tempdir().expect("there is room");
    let pages = folder.path().join("man1");
    gerust()
        .args(["extras", "man"])
        .arg(&pages)
        .assert()
        .code(0);
    for command in COMMANDS {
        let page = std::fs::read_to_string(pages.join(format!("gerust-{command}.1")));
        assert!(
            page.expect("it was written").contains(".SH SYNOPSIS"),
            "{command}"
        );
    }
    gerust()
        .args(["extras", "man", "/dev/null/no"])
        .assert()
        .code(2);
}
