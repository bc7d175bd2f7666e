//! The command line of `inspect` and `explain`.

use super::{Format, Threads};
use crate::scene_file::SceneFile;
use clap::{Args, Subcommand, ValueEnum};

/// The frame to inspect and the output format.
#[derive(Args, Clone, Copy, Debug)]
pub(crate) struct Look {
    /// Inspect the state after this frame; 0 is the state as loaded [default: the last frame]
    #[arg(long, value_name = "FRAME")]
    pub(crate) at: Option<u64>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
}

#[derive(Args, Debug)]
pub(crate) struct InspectCommand {
    #[command(flatten)]
    pub(crate) scene: SceneFile,
    #[command(subcommand)]
    pub(crate) topic: InspectTopic,
}

#[derive(Subcommand, Debug)]
pub(crate) enum InspectTopic {
    /// Show the order of the systems with reasons, what each takes, and what threads could gain
    Plan(PlanTopic),
    /// List entities with the names of their components
    Entities(EntitiesTopic),
    /// Show one entity: component values, parent and children, and contacts
    Entity(EntityTopic),
    /// List the registered events of the frame
    Events(EventsTopic),
    /// List systems: phase, what they read and write, number of runs and time
    Systems(SystemsTopic),
    /// Show the hierarchy, with local and world placement
    Tree(TreeTopic),
    /// List colliders with their world boxes, kind and layer
    Boxes(BoxesTopic),
    /// List contacts: side, depth, impulse and first frame
    Contacts(ContactsTopic),
    /// Show the memory of components by table, its growth, and the allocations of each frame
    Memory(MemoryTopic),
    /// Show what a recording holds: frames, why it was written, frames that failed, and types that it lacks
    Recording(RecordingTopic),
}

#[derive(Args, Debug)]
pub(crate) struct RecordingTopic {
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
}

#[derive(Args, Debug)]
pub(crate) struct MemoryTopic {
    #[command(flatten)]
    pub(crate) look: Look,
}

#[derive(Args, Debug)]
pub(crate) struct EntitiesTopic {
    /// Only entities with this registered component; can be repeated
    #[arg(long, value_name = "COMPONENT")]
    pub(crate) having: Vec<String>,
    /// Only entities whose name contains this text
    #[arg(long, value_name = "TEXT")]
    pub(crate) name: Option<String>,
    /// Only entities with a collider in this layer
    #[arg(long, value_name = "LAYER")]
    pub(crate) layer: Option<String>,
    #[command(flatten)]
    pub(crate) look: Look,
}

#[derive(Args, Debug)]
pub(crate) struct EntityTopic {
    /// The name of the entity
    #[arg(value_name = "NAME")]
    pub(crate) entity: String,
    #[command(flatten)]
    pub(crate) look: Look,
}

#[derive(Args, Debug)]
pub(crate) struct SystemsTopic {
    /// Only systems whose name contains this text
    #[arg(long, value_name = "TEXT")]
    pub(crate) name: Option<String>,
    #[command(flatten)]
    pub(crate) look: Look,
    #[command(flatten)]
    pub(crate) threads: Threads,
}

#[derive(Args, Debug)]
pub(crate) struct EventsTopic {
    #[command(flatten)]
    pub(crate) look: Look,
}

#[derive(Args, Debug)]
pub(crate) struct BoxesTopic {
    /// Only colliders in this layer
    #[arg(long, value_name = "LAYER")]
    pub(crate) layer: Option<String>,
    /// Only colliders of entities whose name contains this text
    #[arg(long, value_name = "TEXT")]
    pub(crate) name: Option<String>,
    #[command(flatten)]
    pub(crate) look: Look,
}

#[derive(Args, Debug)]
pub(crate) struct ContactsTopic {
    /// Only contacts of this entity
    #[arg(long, value_name = "ENTITY")]
    pub(crate) of: Option<String>,
    #[command(flatten)]
    pub(crate) look: Look,
}

#[derive(Args, Debug)]
pub(crate) struct TreeTopic {
    /// Only entities whose name contains this text, and their descendants
    #[arg(long, value_name = "TEXT")]
    pub(crate) name: Option<String>,
    #[command(flatten)]
    pub(crate) look: Look,
}

#[derive(Args, Debug)]
pub(crate) struct PlanTopic {
    /// Measure times up to this frame [default: the last frame]
    #[arg(long, value_name = "FRAME")]
    pub(crate) at: Option<u64>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: PlanFormat,
    #[command(flatten)]
    pub(crate) threads: Threads,
}

#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(crate) enum PlanFormat {
    /// For people
    #[default]
    Text,
    /// For programs
    Json,
    /// A graph for Graphviz
    Dot,
    /// A graph for Mermaid
    Mermaid,
}

#[derive(Args, Debug)]
pub(crate) struct ExplainCommand {
    #[command(flatten)]
    pub(crate) scene: SceneFile,
    #[command(subcommand)]
    pub(crate) question: Question,
}

#[derive(Subcommand, Debug)]
pub(crate) enum Question {
    /// Explain why one of two systems runs before the other
    Order(OrderQuestion),
    /// Explain why a system sees an entity in its rows or does not
    Rows(RowsQuestion),
    /// Explain why two entities touch or do not
    Pair(PairQuestion),
}

#[derive(Args, Debug)]
pub(crate) struct PairQuestion {
    /// The name of an entity
    pub(crate) one: String,
    /// The name of another entity
    pub(crate) other: String,
    #[command(flatten)]
    pub(crate) look: Look,
}

#[derive(Args, Debug)]
pub(crate) struct OrderQuestion {
    /// The name of a system
    pub(crate) one: String,
    /// The name of another system
    pub(crate) other: String,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
}

#[derive(Args, Debug)]
pub(crate) struct RowsQuestion {
    /// The name of the system
    pub(crate) system: String,
    /// The name of the entity
    pub(crate) entity: String,
    #[command(flatten)]
    pub(crate) look: Look,
}
