//! The contents of a plan, shared by text and JSON.

use crate::output::milliseconds;
use gerust::schedule::{Edge, Findings, PhaseCost, PhasePlan, Plan, Reason};
use gerust::{Phase, Runtime};
use gerust_scene::Scene;
use serde::Serialize;
use std::collections::HashMap;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct PlanView<'v> {
    pub(crate) scene: String,
    pub(crate) title: &'v str,
    pub(crate) build: &'static str,
    pub(crate) frames: u64,
    pub(crate) threads: usize,
    /// Whether anything ran, so that there are times: not when a recording was read.
    pub(crate) measured: bool,
    pub(crate) phases: Vec<PhaseView<'v>>,
    pub(crate) never_ran: Vec<Sentence<'v>>,
    pub(crate) rows_without_match: Vec<Sentence<'v>>,
    pub(crate) best_speed_up: Option<f64>,
    pub(crate) measured_speed_up: Option<f64>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct PhaseView<'v> {
    pub(crate) phase: String,
    pub(crate) systems: Vec<SystemView<'v>>,
    pub(crate) edges: Vec<EdgeView<'v>>,
    pub(crate) unstated_clashes: Vec<EdgeView<'v>>,
    /// `None` if the phase never ran.
    pub(crate) cost: Option<CostView<'v>>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct SystemView<'v> {
    pub(crate) name: &'v str,
    /// Counted from 1.
    pub(crate) wave: usize,
    pub(crate) labels: Vec<&'v str>,
    pub(crate) on: bool,
    pub(crate) every_seconds: Option<f64>,
    pub(crate) runs: u64,
    pub(crate) mean_ms: f64,
    pub(crate) reads: Vec<String>,
    pub(crate) writes: Vec<String>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct EdgeView<'v> {
    pub(crate) first: &'v str,
    pub(crate) second: &'v str,
    pub(crate) reason: String,
    /// The reason as a remark beside the second.
    #[serde(skip)]
    pub(crate) remark: String,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct CostView<'v> {
    pub(crate) work_ms: f64,
    pub(crate) span_ms: f64,
    pub(crate) critical_path: &'v [String],
    pub(crate) best_speed_up: f64,
    pub(crate) runs: u64,
    pub(crate) runs_on_several_threads: u64,
    pub(crate) measured_speed_up: Option<f64>,
    pub(crate) advice: String,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct Sentence<'v> {
    pub(crate) system: &'v str,
    pub(crate) what: String,
}

/// Whose plan it is.
pub(crate) struct PlanOf<'v> {
    /// The file as it was given.
    pub(crate) file: String,
    pub(crate) title: &'v str,
    pub(crate) frames: u64,
}

impl<'v> PlanOf<'v> {
    pub(crate) fn scene(scene: &'v Scene, frames: u64) -> Self {
        Self {
            file: scene.path().display().to_string(),
            title: scene.title(),
            frames,
        }
    }
}

impl<'v> PlanView<'v> {
    pub(crate) fn new(
        of: PlanOf<'v>,
        runtime: &'v Runtime,
        plan: &'v Plan,
        findings: Option<&'v Findings>,
    ) -> Self {
        let costs = findings.into_iter().flat_map(Findings::phases);
        let costs: HashMap<Phase, &PhaseCost> = costs.map(|cost| (cost.phase(), cost)).collect();
        let idle = findings.into_iter().flat_map(Findings::idle);
        let empty = findings.into_iter().flat_map(Findings::empty_rows);
        Self {
            scene: of.file,
            title: of.title,
            build: gerust::profile::build(),
            frames: of.frames,
            threads: runtime.threads(),
            measured: findings.is_some(),
            phases: plan
                .phases()
                .iter()
                .map(|phase| PhaseView::new(runtime, phase, costs.get(&phase.phase()).copied()))
                .collect(),
            never_ran: idle
                .map(|idle| Sentence {
                    system: idle.system(),
                    what: idle.to_string(),
                })
                .collect(),
            rows_without_match: empty
                .map(|empty| Sentence {
                    system: empty.system(),
                    what: empty.to_string(),
                })
                .collect(),
            best_speed_up: findings.map(Findings::best_speed_up),
            measured_speed_up: findings.map(Findings::measured_speed_up),
        }
    }
}

impl<'v> PhaseView<'v> {
    fn new(runtime: &'v Runtime, phase: &'v PhasePlan, cost: Option<&'v PhaseCost>) -> Self {
        let mut wave_of = HashMap::new();
        for (number, wave) in phase.waves().into_iter().enumerate() {
            wave_of.extend(wave.into_iter().map(|name| (name, number + 1)));
        }
        let systems = phase.sequence().filter_map(|name| {
            let system = runtime.schedule().system(name)?;
            let (writes, reads): (Vec<_>, Vec<_>) =
                system.access().reaches().partition(|&(_, writes)| writes);
            let names =
                |reaches: Vec<(String, bool)>| reaches.into_iter().map(|(name, _)| name).collect();
            Some(SystemView {
                name,
                wave: wave_of[name],
                labels: system.labels().collect(),
                on: system.is_enabled(),
                every_seconds: system.every(),
                runs: system.runs(),
                mean_ms: milliseconds(system.mean_time()),
                reads: names(reads),
                writes: names(writes),
            })
        });
        Self {
            phase: phase.phase().to_string(),
            systems: systems.collect(),
            edges: phase.edges().map(EdgeView::new).collect(),
            unstated_clashes: phase.unstated_clashes().map(EdgeView::new).collect(),
            cost: cost.map(CostView::new),
        }
    }
}

impl<'v> EdgeView<'v> {
    pub(crate) fn new(edge: Edge<'v>) -> Self {
        Self {
            first: edge.first(),
            second: edge.second(),
            reason: edge.to_string(),
            remark: remark(&edge),
        }
    }
}

fn remark(edge: &Edge<'_>) -> String {
    let Reason::Clash { uses, .. } = edge.reason() else {
        return String::from("stated");
    };
    let of = |writes: [bool; 2]| {
        let resources = uses.iter().filter(|shared| shared.writes() == writes);
        let resources: Vec<&str> = resources.map(|shared| shared.resource()).collect();
        (!resources.is_empty()).then(|| resources.join(", "))
    };
    let parts = [
        of([true, true]).map(|resources| format!("both write {resources}")),
        of([true, false]).map(|resources| format!("it writes {resources}, read here")),
        of([false, true]).map(|resources| format!("it reads {resources}, written here")),
    ];
    parts.into_iter().flatten().collect::<Vec<_>>().join("; ")
}

impl<'v> CostView<'v> {
    fn new(cost: &'v PhaseCost) -> Self {
        let (runs, runs_on_several_threads) = cost.rounds();
        Self {
            work_ms: milliseconds(cost.work()),
            span_ms: milliseconds(cost.span()),
            critical_path: cost.critical_path(),
            best_speed_up: cost.best_speed_up(),
            runs,
            runs_on_several_threads,
            measured_speed_up: cost.measured_speed_up(),
            advice: cost.advice(),
        }
    }
}
