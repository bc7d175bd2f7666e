//! `gerust watch` in a real terminal: a pseudo-terminal with keys that are pressed.
#![cfg(unix)]

mod common;

use common::{gerust, json_of, root};
use portable_pty::{CommandBuilder, PtySize, native_pty_system};
use predicates::str::contains;
use std::io::{Read, Write};
use std::sync::mpsc;
use std::time::{Duration, Instant};

/// Longer than any machine takes; the test ends as soon as all has come.
const PATIENCE: Duration = Duration::from_secs(60);

#[test]
fn keys_are_heard_and_the_terminal_is_put_back() {
    let size = PtySize {
        rows: 24,
        cols: 80,
        ..PtySize::default()
    };
    let pair = native_pty_system().openpty(size).expect("there is one");
    let folder = tempfile::tempdir().expect("there is room");
    let recording = folder.path().join("watched.rec");
    let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_gerust"));
    command.cwd(root());
    command.env("TERM", "xterm");
    command.args(["watch", "scenes/gates.toml", "--record"]);
    command.arg(&recording);
    let mut child = pair.slave.spawn_command(command).expect("it starts");
    drop(pair.slave);
    let mut reader = pair.master.try_clone_reader().expect("it can be read");
    let mut keys = pair.master.take_writer().expect("it can be written");
    let (sender, receiver) = mpsc::channel();
    std::thread::spawn(move || {
        let mut bytes = [0; 4096];
        while let Ok(count @ 1..) = reader.read(&mut bytes) {
            if sender.send(bytes[..count].to_vec()).is_err() {
                break;
            }
        }
    });
    let mut told = String::new();
    let mut wait_for = |wanted: &str| {
        let start = Instant::now();
        while !told.contains(wanted) {
            let left = PATIENCE.saturating_sub(start.elapsed());
            match receiver.recv_timeout(left) {
                Ok(bytes) => told.push_str(&String::from_utf8_lossy(&bytes)),
                Err(_) => panic!("{wanted} was not told in {} bytes", told.len()),
            }
        }
        told.clear();
    };
    // The alternate screen, and the first picture.
    wait_for("[?1049h");
    wait_for("quit");
    keys.write_all(b"...").expect("it listens");
    wait_for("3");
    keys.write_all(b"/barrier").expect("it listens");
    // Only what changes is written, and the rest stands there already.
    wait_for("barrier_");
    keys.write_all(b"\r,q").expect("it listens");
    wait_for("[?1049l");
    let status = child.wait().expect("it has ended");
    assert!(status.success(), "{status:?}");
    let mut inspect = gerust();
    inspect.arg("inspect").arg(&recording);
    let entities = json_of(inspect.args(["entities", "--format", "json"]));
    assert_eq!(entities["frame"], 3);
}

#[test]
fn without_a_terminal_it_says_what_to_use_instead() {
    gerust()
        .args(["watch", "scenes/gates.toml"])
        .assert()
        .code(2)
        .stderr(contains(
            "use `run`, `draw` or `inspect` where there is none",
        ));
}
