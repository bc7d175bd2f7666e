//! Exit codes when standard output or standard error are closed, full, or no longer read.
#![cfg(target_os = "linux")]

use std::fs;
use std::process::Command;

const GOOD: &str = "title = 'good'\nframes = 3\n[[entities]]\nname = 'mast'\n";
const FAILING: &str = "title = 'failing'\nframes = 3\n[[expect]]\nthat = 'entities = 7'\n";
const FAULTY: &str = "title = 3\nframes = 3\n";

#[test]
fn every_command_keeps_its_exit_code_whatever_its_streams_are() {
    let folder = tempfile::tempdir().expect("there is room");
    for (name, text) in [("good", GOOD), ("failing", FAILING), ("faulty", FAULTY)] {
        fs::write(folder.path().join(format!("{name}.toml")), text).expect("there is room");
    }
    let commands = [
        ("--help", 0),
        ("--version", 0),
        ("no-such-command", 2),
        ("run good.toml", 0),
        ("run failing.toml", 1),
        ("run faulty.toml", 2),
        ("check good.toml", 0),
        ("check failing.toml", 1),
        ("check .", 2),
        ("compare good.toml good.toml", 0),
        ("profile good.toml", 0),
        ("inspect good.toml entities", 0),
        ("inspect faulty.toml entities", 2),
        ("explain good.toml", 2),
        ("draw good.toml -o good.png --at 9", 2),
        ("export good.toml -o good.gltf", 0),
        ("report failing.toml -o failing.html", 1),
        ("schema", 0),
        ("extras man", 2),
    ];
    // `true` reads nothing, so the pipe has no reader.
    let streams = [
        (">&-", false),
        ("2>&-", false),
        (">&- 2>&-", false),
        ("> >(exec true; ) ", false),
        ("2> >(exec true)", false),
        (">/dev/full", true),
        ("2>/dev/full", false),
    ];
    let tool = assert_cmd::cargo::cargo_bin!("gerust");
    for (command, code) in commands {
        for (stream, is_full) in streams {
            let script = format!("\"{}\" {command} {stream}", tool.display());
            let outcome = Command::new("bash")
                .args(["-c", &script])
                .current_dir(folder.path())
                .output()
                .expect("there is a shell");
            let found = outcome.status.code();
            // Only a failure to print the outcome on standard output is an error.
            let prints = code != 2;
            let wanted = if is_full && prints { 2 } else { code };
            let said = String::from_utf8_lossy(&outcome.stderr).into_owned();
            assert_eq!(found, Some(wanted), "{command} {stream}: {said}");
            assert!(!said.contains("panicked"), "{command} {stream}: {said}");
        }
    }
}

#[test]
fn a_scene_can_come_from_standard_input() {
    for input in ["-", "/dev/stdin"] {
        for (text, code) in [(GOOD, 0), (FAILING, 1), (FAULTY, 2)] {
            assert_cmd::Command::cargo_bin("gerust")
                .expect("cargo has built it")
                .args(["run", input])
                .write_stdin(text)
                .assert()
                .code(code);
        }
    }
}
