//! The command line of `inspect` and `explain`.

use super::{Format, Threads};
use crate::scene_file::SceneFile;
use clap::{Args, Subcommand, ValueEnum};

/// When something is looked at, and how it is printed.
#[derive(Args, Clone, Copy, Debug)]
pub(crate) struct Look {
    /// The frame after which to look; the last one unless given, 0 is the state as loaded
    #[arg(long, value_name = "FRAME")]
    pub(crate) at: Option<u64>,
    /// How to print what is there
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
    /// The order of the systems with its reasons, what each takes, and what threads could bring
    Plan(PlanTopic),
    /// All entities with the names of their components
    Entities(EntitiesTopic),
    /// One entity: its components with their values, what is around it in the hierarchy, and what it touches
    Entity(EntityTopic),
    /// The registered events of the frame
    Events(EventsTopic),
    /// All systems: phase, what they read and write, how often they have run and for how long
    Systems(SystemsTopic),
    /// Who is under whom, with the local and the world placement
    Tree(TreeTopic),
    /// All colliders with their boxes in the world, kind and layer
    Boxes(BoxesTopic),
    /// The pairs that touch: side, depth, impulse and since when
    Contacts(ContactsTopic),
    /// What components take up, table by table, how it has grown, and what frames allocate
    Memory(MemoryTopic),
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
    /// Only entities whose name contains this text, and what is below them
    #[arg(long, value_name = "TEXT")]
    pub(crate) name: Option<String>,
    #[command(flatten)]
    pub(crate) look: Look,
}

#[derive(Args, Debug)]
pub(crate) struct PlanTopic {
    /// The frame up to which times are measured; the last one unless given
    #[arg(long, value_name = "FRAME")]
    pub(crate) at: Option<u64>,
    /// How to print the plan
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
    /// Why one of two systems runs before the other
    Order(OrderQuestion),
    /// Whether a system sees an entity in its rows, and what is in the way
    Rows(RowsQuestion),
    /// Why two entities touch or do not
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
    /// How to print the answer
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
