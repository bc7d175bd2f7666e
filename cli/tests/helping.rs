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
const COMMANDS: [&str; 14] = [
    "run", "check", "compare", "shrink", "profile", "report", "draw", "watch", "inspect",
    "explain", "import", "export", "new", "schema",
];

#[test]
fn the_list_of_commands_is_as_it_was() {
    insta::assert_snapshot!("commands", help_of(&[]));
    for command in [
        "run", "compare", "shrink", "profile", "report", "draw", "watch", "inspect", "new",
    ] {
        insta::assert_snapshot!(command, help_of(&[command]));
    }
}

/// Help is as wide as the terminal and no wider, and the short form fits on a screen of 50 lines.
#[test]
fn help_fits_terminals_of_80_and_120_columns() {
    let render = |arguments: &[&str], option: &str, columns: usize| {
        let mut command = gerust();
        let command = command.env("COLUMNS", columns.to_string());
        let output = command.args(arguments).arg(option).output();
        let output = output.expect("it starts");
        assert!(output.status.success(), "{arguments:?}");
        let help = String::from_utf8(output.stdout).expect("it is text");
        let widest = help.lines().map(|line| line.chars().count()).max();
        assert!(
            widest <= Some(columns),
            "{arguments:?} at {columns}: {help}"
        );
        help
    };
    let topics = [
        ["inspect", "entity"],
        ["inspect", "contacts"],
        ["explain", "pair"],
        ["explain", "order"],
    ];
    let commands = COMMANDS.iter().map(std::slice::from_ref);
    for arguments in commands.chain(topics.iter().map(|topic| &topic[..])) {
        let narrow = render(arguments, "--help", 80);
        let wide = render(arguments, "--help", 120);
        assert!(
            wide.lines().count() <= narrow.lines().count(),
            "{arguments:?}"
        );
        let short = render(arguments, "-h", 120);
        assert!(short.lines().count() <= 50, "{arguments:?}: {short}");
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
fn help_is_grouped_and_colored_on_terminals_only() {
    let help = help_of(&[]);
    for group in [
        "Run and check",
        "Look and ask",
        "Measure",
        "Make and exchange",
        "Options",
    ] {
        assert!(help.contains(&format!("\n{group}:\n")), "{group}: {help}");
    }
    assert!(!help.contains('\u{1b}'));
    assert!(
        help.lines().all(|line| line.chars().count() <= 80),
        "{help}"
    );
}

#[test]
fn as_much_is_said_as_is_wanted() {
    let told = |arguments: &[&str]| {
        let mut command = gerust();
        command.current_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/.."));
        let output = command.args(arguments).output().expect("it starts");
        assert!(output.status.success(), "{arguments:?}");
        String::from_utf8(output.stderr).expect("it is text")
    };
    let scene = ["run", "scenes/hands.toml"];
    let usual = told(&scene);
    assert!(!usual.contains("read "), "{usual}");
    assert_eq!(told(&[&scene[..], &["-q"]].concat()), "");
    let more = told(&[&["-v"], &scene[..]].concat());
    assert!(
        more.contains("read scenes/hands.toml: one file, 360 frames, in "),
        "{more}"
    );
    assert!(
        more.contains("A crane under manual control: 360 frames in "),
        "{more}"
    );
    let most = told(&[&scene[..], &["-vv"]].concat());
    assert_eq!(most.matches(" of 360\n").count(), 360);
    gerust()
        .args(["run", "none.toml", "--quiet"])
        .assert()
        .code(2)
        .stderr(contains("error: none.toml cannot be read"));
    gerust()
        .args(["schema", "-q", "-v"])
        .assert()
        .code(2)
        .stderr(contains("cannot be used with"));
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
