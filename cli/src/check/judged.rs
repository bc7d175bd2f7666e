//! The results of one scene, in a form that one process can send to another.

use gerust_scene::{Outcome, Remedy, SceneError};
use serde::{Deserialize, Serialize};
use std::ffi::OsString;
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// The results of one scene.
#[derive(Serialize, Deserialize, Debug)]
pub(super) struct Judged {
    /// Not sent: the parent process knows it.
    #[serde(skip)]
    pub(super) path: PathBuf,
    pub(super) took: Duration,
    pub(super) judgement: Judgement,
}

#[derive(Serialize, Deserialize, Debug)]
pub(super) enum Judgement {
    Ran(Ran),
    /// The file has faults: their number and texts.
    Faulty {
        count: usize,
        faults: Vec<String>,
    },
    /// The run ended early: why.
    Broke(String),
}

#[derive(Serialize, Deserialize, Debug)]
pub(super) struct Ran {
    /// Excludes expectations about real time.
    pub(super) checks: Vec<Check>,
    /// How many expectations are about real time: other scenes that run at the same time would distort it.
    pub(super) left_out: usize,
    pub(super) missed: Vec<String>,
}

/// The result of one expectation.
#[derive(Serialize, Deserialize, Debug)]
pub(super) struct Check {
    pub(super) held: bool,
    pub(super) what: Option<String>,
    pub(super) wanted: String,
    pub(super) when: String,
    pub(super) frame: u64,
    pub(super) measured: String,
    /// By frame: the values measured before the failure.
    pub(super) before: Vec<(u64, String)>,
    pub(super) touching: Option<String>,
    pub(super) remedy: Option<StoredRemedy>,
}

/// A remedy whose path may not be UTF-8.
#[derive(Serialize, Deserialize, Debug)]
pub(super) struct StoredRemedy {
    path: OsString,
    span: Range<usize>,
    text: String,
}

impl From<&Outcome> for Check {
    fn from(outcome: &Outcome) -> Self {
        Self {
            held: outcome.held(),
            what: outcome.what().map(str::to_owned),
            wanted: outcome.wanted().to_owned(),
            when: outcome.when().to_owned(),
            frame: outcome.frame(),
            measured: outcome.measured().to_owned(),
            before: outcome.before().to_vec(),
            touching: outcome.touching().map(str::to_owned),
            remedy: outcome.remedy().map(|remedy| StoredRemedy {
                path: remedy.path.clone().into_os_string(),
                span: remedy.span.clone(),
                text: remedy.text.clone(),
            }),
        }
    }
}

impl Check {
    pub(super) fn remedy(&self) -> Option<Remedy> {
        self.remedy.as_ref().map(|remedy| Remedy {
            path: PathBuf::from(&remedy.path),
            span: remedy.span.clone(),
            text: remedy.text.clone(),
        })
    }
}

impl From<&SceneError> for Judgement {
    fn from(error: &SceneError) -> Self {
        Self::Faulty {
            count: error.faults().len() + error.more_faults(),
            faults: error.to_string().lines().map(str::to_owned).collect(),
        }
    }
}

impl Ran {
    pub(super) fn held(&self) -> usize {
        self.checks.iter().filter(|check| check.held).count()
    }
}

impl Judged {
    /// The results of a scene whose run ended early.
    pub(super) fn broke(path: &Path, took: Duration, reason: String) -> Self {
        Self {
            path: path.to_owned(),
            took,
            judgement: Judgement::Broke(reason),
        }
    }

    pub(super) fn failures(&self) -> impl Iterator<Item = &Check> {
        let checks = match &self.judgement {
            Judgement::Ran(run) => run.checks.as_slice(),
            Judgement::Faulty { .. } | Judgement::Broke(_) => &[],
        };
        checks.iter().filter(|check| !check.held)
    }

    /// The faults of the file, or why the run stopped.
    pub(super) fn faults(&self) -> &[String] {
        match &self.judgement {
            Judgement::Ran(_) => &[],
            Judgement::Faulty { faults, .. } => faults,
            Judgement::Broke(reason) => std::slice::from_ref(reason),
        }
    }

    pub(super) fn is_faulty(&self) -> bool {
        !matches!(self.judgement, Judgement::Ran(_))
    }

    pub(super) fn is_ok(&self) -> bool {
        !self.is_faulty() && self.failures().next().is_none()
    }

    pub(super) fn verdict(&self) -> &'static str {
        match (self.is_faulty(), self.is_ok()) {
            (true, _) => "faulty",
            (false, true) => "ok",
            (false, false) => "failed",
        }
    }
}
