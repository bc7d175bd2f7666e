//! A plan as a graph, for programs that lay graphs out.

use gerust::schedule::{Edge, Plan, Reason};
use std::collections::HashMap;
use std::fmt::Write;

/// Numbers of the systems, over all phases.
fn numbers(plan: &Plan) -> HashMap<&str, usize> {
    let names = plan.phases().iter().flat_map(|phase| phase.sequence());
    names
        .enumerate()
        .map(|(number, name)| (name, number))
        .collect()
}

/// The last system of each phase and the first of the next one.
fn neighbors(plan: &Plan) -> impl Iterator<Item = (&str, &str)> {
    let phases = plan.phases();
    phases.windows(2).filter_map(|pair| {
        let last = pair[0].sequence().last()?;
        Some((last, pair[1].sequence().next()?))
    })
}

/// The label of an edge.
fn label(edge: &Edge<'_>) -> String {
    match edge.reason() {
        Reason::Clash { uses, .. } => {
            let resources: Vec<&str> = uses.iter().map(|shared| shared.resource()).collect();
            resources.join(", ")
        }
        _ => String::from("stated"),
    }
}

/// For Graphviz: a cluster per phase, thick arrows between them; stated edges are solid, those from clashes dashed.
pub(super) fn dot(plan: &Plan) -> String {
    let number_of = numbers(plan);
    let mut text = String::from(
        "digraph plan {\n  compound=true;\n  fontname=\"sans-serif\";\n  node [shape=box, fontname=\"sans-serif\"];\n  edge [fontname=\"sans-serif\", fontsize=10];\n",
    );
    for (at, phase) in plan.phases().iter().enumerate() {
        // Writing to a string does not fail.
        let _ = writeln!(text, "  subgraph cluster_{at} {{");
        let _ = writeln!(text, "    label={};", dot_text(phase.phase().name()));
        for name in phase.sequence() {
            let _ = writeln!(text, "    s{} [label={}];", number_of[name], dot_text(name));
        }
        for edge in phase.edges() {
            let style = match edge.reason() {
                Reason::Clash { .. } => ", style=dashed",
                _ => "",
            };
            let _ = writeln!(
                text,
                "    s{} -> s{} [label={}{style}];",
                number_of[edge.first()],
                number_of[edge.second()],
                dot_text(&label(&edge))
            );
        }
        text.push_str("  }\n");
    }
    for (at, (before, after)) in neighbors(plan).enumerate() {
        let _ = writeln!(
            text,
            "  s{} -> s{} [ltail=cluster_{at}, lhead=cluster_{}, penwidth=2];",
            number_of[before],
            number_of[after],
            at + 1
        );
    }
    text.push_str("}\n");
    text
}

fn dot_text(text: &str) -> String {
    let escaped = text
        .replace('\\', "\\\\")
        .replace('"', "\\\"")
        .replace('\n', " ");
    format!("\"{escaped}\"")
}

/// For Mermaid: a subgraph per phase, thick arrows between them; stated edges are solid, those from clashes dotted.
pub(super) fn mermaid(plan: &Plan) -> String {
    let number_of = numbers(plan);
    let mut text = String::from("flowchart TB\n");
    for (at, phase) in plan.phases().iter().enumerate() {
        let _ = writeln!(
            text,
            "  subgraph p{at}[{}]",
            mermaid_text(phase.phase().name())
        );
        for name in phase.sequence() {
            let _ = writeln!(text, "    s{}[{}]", number_of[name], mermaid_text(name));
        }
        for edge in phase.edges() {
            let arrow = match edge.reason() {
                Reason::Clash { .. } => "-.->",
                _ => "-->",
            };
            let _ = writeln!(
                text,
                "    s{} {arrow}|{}| s{}",
                number_of[edge.first()],
                mermaid_text(&label(&edge)),
                number_of[edge.second()]
            );
        }
        text.push_str("  end\n");
    }
    for at in 1..plan.phases().len() {
        let _ = writeln!(text, "  p{} ==> p{at}", at - 1);
    }
    text
}

fn mermaid_text(text: &str) -> String {
    let escaped = text
        .replace('#', "#35;")
        .replace('"', "#quot;")
        .replace('\n', " ");
    format!("\"{escaped}\"")
}
