//! `gerust watch` in a real terminal: a pseudo-terminal with keys that are pressed.
#![cfg(unix)]

mod common;

use common::{gerust, json_of, root};
use portable_pty::{Child, CommandBuilder, MasterPty, PtySize, native_pty_system};
use predicates::str::contains;
use serde_json::Value;
use std::io::{Read, Write};
use std::path::Path;
use std::sync::mpsc;
use std::time::{Duration, Instant};

/// Longer than any machine takes; the test ends as soon as all has come.
const PATIENCE: Duration = Duration::from_secs(60);

/// A scene that is watched in a pseudo-terminal.
struct Watched {
    child: Box<dyn Child + Send + Sync>,
    keys: Box<dyn Write + Send>,
    receiver: mpsc::Receiver<Vec<u8>>,
    /// Held open until the end.
    _master: Box<dyn MasterPty + Send>,
    told: String,
    /// Everything that was written to the terminal.
    all: String,
}

impl Watched {
    fn start(arguments: &[&str]) -> Self {
        let size = PtySize {
            rows: 24,
            cols: 80,
            ..PtySize::default()
        };
        let pair = native_pty_system().openpty(size).expect("there is one");
        let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_gerust"));
        command.cwd(root());
        command.env("TERM", "xterm");
        command.arg("watch");
        command.args(arguments);
        let child = pair.slave.spawn_command(command).expect("it starts");
        drop(pair.slave);
        let mut reader = pair.master.try_clone_reader().expect("it can be read");
        let keys = pair.master.take_writer().expect("it can be written");
        let (sender, receiver) = mpsc::channel();
        std::thread::spawn(move || {
            let mut bytes = [0; 4096];
            while let Ok(count @ 1..) = reader.read(&mut bytes) {
                if sender.send(bytes[..count].to_vec()).is_err() {
                    break;
                }
            }
        });
        Self {
            child,
            keys,
            receiver,
            _master: pair.master,
            told: String::new(),
            all: String::new(),
        }
    }

    fn press(&mut self, keys: &[u8]) {
        self.keys.write_all(keys).expect("it listens");
    }

    fn wait_for(&mut self, wanted: &str) {
        let start = Instant::now();
        let end = loop {
            if let Some(at) = self.told.find(wanted) {
                break at + wanted.len();
            }
            let left = PATIENCE.saturating_sub(start.elapsed());
            match self.receiver.recv_timeout(left) {
                Ok(bytes) => {
                    let text = String::from_utf8_lossy(&bytes);
                    self.told.push_str(&text);
                    self.all.push_str(&text);
                }
                Err(_) => panic!("{wanted} is missing in {} bytes", self.told.len()),
            }
        };
        // What follows may have come in the same piece, and is not drawn again.
        self.told.drain(..end);
    }

    /// Waits until it has ended well, with the terminal put back.
    fn wait_for_end(mut self) {
        self.wait_for("[?1049l");
        let status = self.child.wait().expect("it has ended");
        assert!(status.success(), "{status:?}");
    }
}

impl Drop for Watched {
    fn drop(&mut self) {
        // A failed test leaves the process running; otherwise it has ended.
        let _ = self.child.kill();
    }
}

/// The last frame of a recording.
fn last_frame(recording: &Path) -> Value {
    let mut inspect = gerust();
    inspect.arg("inspect").arg(recording);
    json_of(inspect.args(["entities", "--format", "json"]))["frame"].clone()
}

#[test]
fn keys_are_heard_and_the_terminal_is_put_back() {
    let folder = tempfile::tempdir().expect("there is room");
    let recording = folder.path().join("watched.rec");
    let to = recording.to_str().expect("it is text");
    let mut watched = Watched::start(&["scenes/gates.toml", "--record", to]);
    // The alternate screen, and the first picture.
    watched.wait_for("[?1049h");
    watched.wait_for("quit");
    watched.press(b"...");
    watched.wait_for("3");
    watched.press(b"/b");
    // Only what changes is written: of a longer word some letters may stand there already.
    watched.wait_for("b_");
    watched.press(b"\r,q");
    watched.wait_for_end();
    assert_eq!(last_frame(&recording), 3);
}

#[test]
fn a_signal_ends_it_as_a_key_would() {
    let folder = tempfile::tempdir().expect("there is room");
    let recording = folder.path().join("watched.rec");
    let to = recording.to_str().expect("it is text");
    let mut watched = Watched::start(&["scenes/gates.toml", "--record", to]);
    watched.wait_for("quit");
    watched.press(b"...../b");
    // Keys are heard one after the other.
    watched.wait_for("b_");
    let process = watched.child.process_id().expect("it runs");
    let sent = std::process::Command::new("kill")
        .args(["-TERM", &process.to_string()])
        .status();
    assert!(sent.expect("it starts").success());
    watched.wait_for_end();
    assert_eq!(last_frame(&recording), 5);
}

#[test]
fn a_terminal_that_goes_away_ends_it_and_what_has_run_is_kept() {
    let folder = tempfile::tempdir().expect("there is room");
    let recording = folder.path().join("watched.rec");
    let pair = native_pty_system()
        .openpty(PtySize::default())
        .expect("there is one");
    let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_gerust"));
    command.cwd(root());
    command.env("TERM", "xterm");
    command.args(["watch", "scenes/gates.toml", "--record"]);
    command.arg(&recording);
    let mut child = pair.slave.spawn_command(command).expect("it starts");
    drop(pair.slave);
    let mut reader = pair.master.try_clone_reader().expect("it can be read");
    let mut told = String::new();
    let mut bytes = [0; 4096];
    while !told.contains("quit") {
        let count = reader.read(&mut bytes).expect("it writes");
        told.push_str(&String::from_utf8_lossy(&bytes[..count]));
    }
    drop((reader, pair.master));
    let start = Instant::now();
    while child.try_wait().expect("it can be asked").is_none() {
        if start.elapsed() > PATIENCE {
            child.kill().expect("it can be killed");
            panic!("it continued without a terminal");
        }
        std::thread::sleep(Duration::from_millis(10));
    }
    assert_eq!(last_frame(&recording), 0);
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

/// Names and titles of a scene may hold characters that a terminal obeys.
#[test]
fn control_characters_of_a_scene_reach_no_terminal() {
    let folder = tempfile::tempdir().expect("there is room");
    let scene = folder.path().join("odd.toml");
    let evil = "\\u001b]0;taken\\u0007";
    let text = format!(
        "title = \"{evil}\"\nframes = 9\n[[entities]]\nname = \"{evil}\"\ncollider.size = [1, 1, 1]\n[[expect]]\nwhat = \"{evil}\"\ncount = {{ is = 2 }}\nframe = 3\n"
    );
    std::fs::write(&scene, text).expect("there is room");
    let mut watched = Watched::start(&[scene.to_str().expect("it is text")]);
    // The title is in the first picture, and the entity is chosen next.
    watched.wait_for("taken");
    watched.wait_for("quit");
    watched.press(b"....\t.q");
    watched.wait_for("[?1049l");
    assert!(!watched.all.contains("\u{1b}]0;taken") && !watched.all.contains('\u{7}'));
}
