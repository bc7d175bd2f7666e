//! Runs each scene in a process of its own, so that one that exhausts memory, stack or time does not affect the others.

use super::find::Found;
use super::judge::judge;
use super::judged::Judged;
use crate::arguments::{CheckCommand, CheckOneCommand};
use crate::bounds::Bounds;
use crate::engine::Engine;
use crate::failure::Failure;
use crate::{Verdict, messages};
use gerust_scene::SceneFiles;
use std::collections::BTreeSet;
use std::ffi::OsString;
use std::io::{self, Read, Seek, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, ExitStatus, Stdio};
use std::time::{Duration, Instant};
use wait_timeout::ChildExt;

/// The program of this process, if it can judge a single scene when it is started again.
#[derive(Debug)]
pub(crate) struct OwnProcess(Option<PathBuf>);

impl OwnProcess {
    /// If the arguments are not those of the process, they come from a caller, whose program may do something else.
    pub(crate) fn of(arguments: &[OsString]) -> Self {
        let is_own = std::env::args_os().eq(arguments.iter().cloned());
        Self(is_own.then(|| std::env::current_exe().ok()).flatten())
    }
}

/// A scene file, and the files that it names.
pub(super) struct Candidate {
    pub(super) found: Found,
    pub(super) files: SceneFiles,
}

/// Runs scenes and stops those that exceed a limit.
pub(super) struct Watchdog<'c> {
    pub(super) engine: &'c Engine,
    pub(super) command: &'c CheckCommand,
    pub(super) process: &'c OwnProcess,
}

impl Watchdog<'_> {
    /// The options for one scene: it may read files below the folder in which it was found, unless `--root` names another.
    fn bounds_of(&self, found: &Found) -> Bounds {
        self.command.bounds.or_below(found.root.as_deref())
    }

    /// Leaves out scenes that others include, unless they were named: they are checked as parts of these.
    pub(super) fn whole_scenes(&self, found: Vec<Found>) -> Vec<Candidate> {
        let all = found.into_iter().map(|found| Candidate {
            files: match found.is_regular() {
                true => SceneFiles::of(&found.path, &self.bounds_of(&found).registry(self.engine)),
                false => SceneFiles::default(),
            },
            found,
        });
        let mut all: Vec<Candidate> = all.collect();
        let included = all.iter().flat_map(|candidate| &candidate.files.included);
        let parts: BTreeSet<PathBuf> = included
            .filter_map(|path| path.canonicalize().ok())
            .collect();
        let is_part = |found: &Found| {
            let own = found.path.canonicalize();
            !found.is_named && own.is_ok_and(|own| parts.contains(&own))
        };
        all.retain(|candidate| !is_part(&candidate.found));
        all
    }

    /// Runs one scene. Without a process of its own it runs in this one, without limits of time and memory.
    pub(super) fn judge(&self, found: &Found) -> Judged {
        // A pipe can be read once, and only by the process that was given it.
        let program = self.process.0.as_ref().filter(|_| found.is_regular());
        let Some(program) = program else {
            let registry = self.bounds_of(found).registry(self.engine);
            return judge(self.engine, found.path.clone(), &registry);
        };
        let start = Instant::now();
        match self.judge_apart(program, found) {
            Ok(Ok(judged)) => Judged {
                path: found.path.clone(),
                ..judged
            },
            Ok(Err(reason)) => Judged::broke(&found.path, start.elapsed(), reason),
            Err(error) => {
                let reason = format!(
                    "cannot run the scene in a process of its own: {error}; free some memory or disk space, or use fewer `--jobs`"
                );
                Judged::broke(&found.path, start.elapsed(), reason)
            }
        }
    }

    /// Runs a scene in a process of its own. Returns its results, or why there are none.
    fn judge_apart(&self, program: &Path, found: &Found) -> io::Result<Result<Judged, String>> {
        let folder = tempfile::tempdir()?;
        let results = folder.path().join("results.json");
        let mut messages = tempfile::tempfile()?;
        let mut command = Command::new(program);
        command
            .args(messages::flags())
            .arg("check-one")
            .args(self.bounds_of(found).arguments())
            .arg("--memory-limit")
            .arg(self.command.memory_limit.to_string())
            .arg("--results")
            .arg(&results)
            .arg("--")
            .arg(&found.path)
            .stdin(Stdio::null())
            .stderr(messages.try_clone()?);
        let mut child = command.spawn()?;
        let limit = Duration::from_secs(self.command.time_limit);
        let status = child.wait_timeout(limit)?;
        if status.is_none() {
            child.kill()?;
            child.wait()?;
        }
        let mut said = Vec::new();
        messages.rewind()?;
        messages.read_to_end(&mut said)?;
        let Some(status) = status else {
            forward(&said);
            return Ok(Err(format!(
                "it took longer than {} s, the time limit, and was stopped; run fewer frames, or raise `--time-limit`",
                limit.as_secs()
            )));
        };
        let stored = std::fs::read(&results);
        let judged = stored
            .ok()
            .and_then(|text| serde_json::from_slice(&text).ok());
        match judged {
            Some(judged) => {
                forward(&said);
                Ok(Ok(judged))
            }
            None => Ok(Err(self.why(status, &said))),
        }
    }

    /// Why a process ended without results.
    fn why(&self, status: ExitStatus, said: &[u8]) -> String {
        let said = String::from_utf8_lossy(said);
        let last = said.lines().rfind(|line| !line.trim().is_empty());
        if said.contains("memory allocation of") {
            return format!(
                "it used more than {} MiB of memory, the memory limit, and was stopped; make the scene smaller, or raise `--memory-limit`",
                self.command.memory_limit
            );
        }
        format!(
            "its process ended without results ({status}): {}; run the scene alone with `run`",
            last.unwrap_or("it printed nothing").trim()
        )
    }
}

/// Passes on what a process printed on standard error.
fn forward(said: &[u8]) {
    // If standard error has no reader, the exit code still reports the result.
    let _ = io::stderr().write_all(said);
}

/// Runs one scene for the process that watches over this one.
pub(crate) fn run_one(engine: &Engine, command: &CheckOneCommand) -> Verdict {
    limit_memory(command.memory_limit);
    let registry = command.bounds.registry(engine);
    let judged = judge(engine, command.scene.clone(), &registry);
    let text = serde_json::to_vec(&judged).map_err(Failure::other)?;
    std::fs::write(&command.results, text).map_err(|error| {
        let path = command.results.display();
        Failure::other(format!(
            "cannot write {path}: {error}; free some disk space"
        ))
    })?;
    Ok(true)
}

/// Limits the memory of this process. An allocation beyond the limit ends the process.
fn limit_memory(mib: u64) {
    #[cfg(target_os = "linux")]
    {
        use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
        // Private writable memory: address space that is only reserved does not count.
        let maximum = getrlimit(Resource::Data).maximum;
        let bytes = mib << 20;
        let current = maximum.map_or(bytes, |maximum| maximum.min(bytes));
        let limit = Rlimit {
            current: Some(current),
            maximum,
        };
        // Lowering one's own limit is always allowed.
        let _ = setrlimit(Resource::Data, limit);
    }
    #[cfg(not(target_os = "linux"))]
    let _ = mib;
}
