//! What is shown of a plan, as text and as JSON alike.

use crate::output::milliseconds;
use gerust::scene::Scene;
use gerust::schedule::{Edge, Findings, PhaseCost, PhasePlan, Plan, Reason};
use gerust::{Phase, Runtime};
use serde::Serialize;
use std::collections::HashMap;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct PlanView<'v> {
    pub(super) scene: String,
    pub(super) title: &'v str,
    pub(super) build: &'static str,
    pub(super) frames: u64,
    pub(super) threads: usize,
    pub(super) phases: Vec<PhaseView<'v>>,
    pub(super) never_ran: Vec<Sentence<'v>>,
    pub(super) rows_without_match: Vec<Sentence<'v>>,
    pub(super) best_speed_up: f64,
    pub(super) measured_speed_up: f64,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct PhaseView<'v> {
    pub(super) phase: String,
    pub(super) systems: Vec<SystemView<'v>>,
    pub(super) edges: Vec<EdgeView<'v>>,
    pub(super) unstated_clashes: Vec<EdgeView<'v>>,
    /// `None` if the phase never ran.
    pub(super) cost: Option<CostView<'v>>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct SystemView<'v> {
    pub(super) name: &'v str,
    /// Counted from 1.
    pub(super) wave: usize,
    pub(super) labels: Vec<&'v str>,
    pub(super) on: bool,
    pub(super) every_seconds: Option<f64>,
    pub(super) runs: u64,
    pub(super) mean_ms: f64,
    pub(super) reads: Vec<String>,
    pub(super) writes: Vec<String>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct EdgeView<'v> {
    pub(super) first: &'v str,
    pub(super) second: &'v str,
    pub(super) reason: String,
    /// The reason as a remark beside the second.
    #[serde(skip)]
    pub(super) remark: String,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct CostView<'v> {
    pub(super) work_ms: f64,
    pub(super) span_ms: f64,
    pub(super) critical_path: &'v [String],
    pub(super) best_speed_up: f64,
    pub(super) runs: u64,
    pub(super) runs_on_several_threads: u64,
    pub(super) measured_speed_up: Option<f64>,
    pub(super) advice: String,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct Sentence<'v> {
    pub(super) system: &'v str,
    pub(super) what: String,
}

impl<'v> PlanView<'v> {
    pub(super) fn new(
        scene: &'v Scene,
        runtime: &'v Runtime,
        plan: &'v Plan,
        findings: &'v Findings,
    ) -> Self {
        let costs: HashMap<Phase, &PhaseCost> = findings
            .phases()
            .iter()
            .map(|cost| (cost.phase(), cost))
            .collect();
        let idle = findings.idle().iter();
        let empty = findings.empty_rows().iter();
        Self {
            scene: scene.path().display().to_string(),
            title: scene.title(),
            build: gerust::profile::build(),
            frames: scene.frames(),
            threads: runtime.threads(),
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
            best_speed_up: findings.best_speed_up(),
            measured_speed_up: findings.measured_speed_up(),
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
    pub(super) fn new(edge: Edge<'v>) -> Self {
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
