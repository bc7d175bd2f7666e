//! The command line.

mod groups;
mod looking;

pub(crate) use groups::grouped;
pub(crate) use looking::{
    BoxesTopic, ContactsTopic, EntitiesTopic, EntityTopic, EventsTopic, ExplainCommand,
    InspectCommand, InspectTopic, MemoryTopic, OrderQuestion, PairQuestion, PlanFormat, PlanTopic,
    Question, RecordingTopic, RowsQuestion, SystemsTopic, TreeTopic,
};

use crate::bounds::Bounds;
use crate::check::Shard;
use crate::profile::BudgetOption;
use crate::scene_file::SceneFile;
use crate::versus::Versus;
use clap::{Args, Parser, Subcommand, ValueEnum};
use std::num::{NonZeroU64, NonZeroUsize};
use std::path::PathBuf;

/// Runs, profiles and draws scripted scenes.
#[derive(Parser, Debug)]
#[command(
    name = "gerust",
    version,
    after_help = "Exit codes: 0: all expectations held, 1: an expectation failed, 2: bad input or usage."
)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Command,
    /// Print only errors on standard error
    #[arg(
        short,
        long,
        global = true,
        conflicts_with = "verbose",
        help_heading = "Messages"
    )]
    pub(crate) quiet: bool,
    /// Log to standard error: -v each step, -vv also each frame and the `tracing` events of your own engine
    #[arg(short, long, global = true, action = clap::ArgAction::Count, help_heading = "Messages")]
    pub(crate) verbose: u8,
}

#[derive(Subcommand, Debug)]
pub(crate) enum Command {
    /// Run a scene and check its expectations
    #[command(
        after_help = "Examples:\n  gerust run scenes/quay.toml\n  gerust run scenes/launcher.toml --set per-second=2000\n  gerust run scenes/quay.toml --record quay.rec"
    )]
    Run(RunCommand),
    /// Run many scenes and report which of them hold
    #[command(
        after_help = "Examples:\n  gerust check scenes\n  gerust check scenes --filter yard --junit report.xml\n  gerust check scenes --shard 1/4"
    )]
    Check(CheckCommand),
    /// Run one scene and write its results into a file; `check` starts one such process per scene
    #[command(hide = true)]
    CheckOne(CheckOneCommand),
    /// Find the first difference between two scenes or recordings, or one scene under two settings
    #[command(
        after_help = "Examples:\n  gerust compare scenes/quay.toml threads=4\n  gerust compare before.toml after.toml\n  gerust compare scenes/quay.toml quay.rec\n  gerust compare scenes/quay.toml \"off=standard: spin\""
    )]
    Compare(CompareCommand),
    /// Reduce a failing scene to the smallest one that still fails in the same way
    #[command(
        after_help = "Examples:\n  gerust shrink broken.toml\n  gerust shrink broken.toml --loosely -o small.toml"
    )]
    Shrink(ShrinkCommand),
    /// Profile the frames of a scene
    #[command(
        after_help = "Examples:\n  gerust profile scenes/quay.toml\n  gerust profile scenes/quay.toml --plot quay.png --budget \"move: bodies=0.1\"\n  gerust profile scenes/quay.toml --trace quay.json --csv quay.csv\n  gerust profile scenes/quay.toml --save before.json\n  gerust profile scenes/quay.toml --against before.json\n  gerust profile scenes/quay.toml --versus threads=1"
    )]
    Profile(ProfileCommand),
    /// Write a self-contained page about a run or a recording: times, threads, every frame and entity
    #[command(
        after_help = "Examples:\n  gerust report scenes/quay.toml -o quay.html\n  gerust report black-box.rec -o quay.html\n  gerust report scenes/quay.toml -o quay.html --against before.json --budget 8.3\n\nThe page is one file and needs no network. A scene runs twice, so that recording does not affect the times. A recording is not run; only a black box records times."
    )]
    Report(ReportCommand),
    /// Draw the boxes of a scene or a recording at the given frames
    #[command(
        after_help = "Examples:\n  gerust draw scenes/quay.toml --at 0,240,600 -o quay.png\n  gerust draw scenes/quay.toml --at 240 --view slanted --trail --links -o quay.svg\n  gerust draw scenes/yard.toml --from 0 --to 240 --view top -o yard.gif"
    )]
    Draw(DrawCommand),
    /// Watch a scene or a recording in the terminal: run, stop, step, go back, switch systems off, inspect entities
    #[command(
        after_help = "Examples:\n  gerust watch scenes/quay.toml\n  gerust watch scenes/yard.toml --view top --record yard.rec\n  gerust watch yard.rec\n\nFrames run at the pace of the scene. The processor idles between them, so each takes longer than in a full run; use `profile` to measure."
    )]
    Watch(WatchCommand),
    /// Show the state of a scene or a recording after a frame
    #[command(
        after_help = "Examples:\n  gerust inspect scenes/quay.toml plan\n  gerust inspect scenes/quay.toml tree --at 240\n  gerust inspect scenes/quay.toml contacts --at 240 --of truck-1\n  gerust inspect quay.rec entities --at 240 --having body\n  gerust inspect quay.rec entity truck-1 --at 240"
    )]
    Inspect(InspectCommand),
    /// Explain an order of systems, a row or a contact
    #[command(
        after_help = "Examples:\n  gerust explain scenes/quay.toml order \"move: bodies\" \"touch: contacts\"\n  gerust explain scenes/quay.toml rows \"standard: spin\" barge\n  gerust explain scenes/quay.toml pair truck-1 barrier --at 200"
    )]
    Explain(ExplainCommand),
    /// Convert the node tree of a glTF file to a scene file
    #[command(after_help = "Example: gerust import crane.glb -o crane.toml")]
    Import(ImportCommand),
    /// Run a scene and write its node tree as a glTF file
    #[command(after_help = "Example: gerust export scenes/quay.toml --at 240 -o quay.gltf")]
    Export(ExportCommand),
    /// Create a crate for your own engine, with a component, a system, a scene, a test and every command
    #[command(after_help = "Example: gerust new harbor --gerust ../gerust")]
    New(NewCommand),
    /// Write shell completions and manual pages, for packages
    #[command(
        hide = true,
        after_help = "Examples:\n  gerust extras completions bash > gerust.bash\n  gerust extras man man1"
    )]
    Extras(ExtrasCommand),
    /// Print the JSON Schema of scene files
    #[command(after_help = "Example: gerust schema > scene.schema.json")]
    Schema,
}

#[derive(Args, Debug)]
pub(crate) struct RunCommand {
    #[command(flatten)]
    pub(crate) scene: SceneFile,
    /// Also record each frame, for `inspect`, `explain` and `compare`
    #[arg(long, value_name = "FILE")]
    pub(crate) record: Option<PathBuf>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
    #[command(flatten)]
    pub(crate) threads: Threads,
}

#[derive(Args, Debug)]
pub(crate) struct CompareCommand {
    #[command(flatten)]
    pub(crate) scene: SceneFile,
    /// Another scene, a recording, or a setting: threads=NUMBER, off=SYSTEM or serial-below=MICROSECONDS
    #[arg(value_name = "SCENE|RECORDING|SETTING")]
    pub(crate) versus: Versus,
    /// How to print the difference
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
    #[command(flatten)]
    pub(crate) threads: Threads,
}

#[derive(Args, Debug)]
pub(crate) struct NewCommand {
    /// The directory to create; its name becomes that of the crate
    #[arg(value_name = "DIR")]
    pub(crate) directory: PathBuf,
    /// The sources of gerust [default: those that this tool was built from, otherwise the published crate]
    #[arg(long, value_name = "DIR")]
    pub(crate) gerust: Option<PathBuf>,
}

#[derive(Args, Debug)]
pub(crate) struct ExtrasCommand {
    #[command(subcommand)]
    pub(crate) topic: ExtrasTopic,
}

#[derive(Subcommand, Debug)]
pub(crate) enum ExtrasTopic {
    /// Print the completion script of a shell
    Completions {
        /// The shell
        shell: clap_complete::Shell,
    },
    /// Write a manual page for the tool and for each command
    Man {
        /// The directory to write them into
        #[arg(value_name = "DIR")]
        directory: PathBuf,
    },
}

#[derive(Args, Debug)]
pub(crate) struct WatchCommand {
    #[command(flatten)]
    pub(crate) scene: SceneFile,
    /// The first view
    #[arg(long, value_enum, default_value_t)]
    pub(crate) view: ViewArgument,
    /// Record all frames to this file at the end
    #[arg(long, value_name = "FILE")]
    pub(crate) record: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) threads: Threads,
}

#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(crate) enum ViewArgument {
    /// From the side: x to the right, y up
    #[default]
    Side,
    /// From above: x to the right, z down
    Top,
}

#[derive(Args, Debug)]
pub(crate) struct ShrinkCommand {
    #[command(flatten)]
    pub(crate) scene: SceneFile,
    /// The scene file to write [default: SCENE.shrunk.toml beside the scene]
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Accept smaller scenes in which the expectation fails with another value or in another frame
    #[arg(long)]
    pub(crate) loosely: bool,
    /// Run scenes at most this many times
    #[arg(long, value_name = "NUMBER", default_value_t = 2_000)]
    pub(crate) runs: u64,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
}

#[derive(Args, Debug)]
pub(crate) struct CheckOneCommand {
    #[arg(value_name = "SCENE")]
    pub(crate) scene: PathBuf,
    #[command(flatten)]
    pub(crate) bounds: Bounds,
    #[arg(long, value_name = "MIB")]
    pub(crate) memory_limit: u64,
    #[arg(long, value_name = "FILE")]
    pub(crate) results: PathBuf,
}

#[derive(Args, Debug)]
pub(crate) struct CheckCommand {
    /// Scene files, and directories to search for scenes
    #[arg(required = true, value_name = "PATH")]
    pub(crate) paths: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) bounds: Bounds,
    /// Only scenes whose path contains this text
    #[arg(long, value_name = "TEXT")]
    pub(crate) filter: Option<String>,
    /// Only one part of all scenes, to share them among machines
    #[arg(long, value_name = "PART/PARTS")]
    pub(crate) shard: Option<Shard>,
    /// Scenes that run at the same time, at most 256 [default: the number of cores]
    #[arg(long, value_name = "NUMBER", value_parser = clap::value_parser!(u16).range(1..=256))]
    pub(crate) jobs: Option<u16>,
    /// Stop a scene that takes longer, and report it as faulty
    #[arg(long, value_name = "SECONDS", default_value_t = 300, value_parser = clap::value_parser!(u64).range(1..))]
    pub(crate) time_limit: u64,
    /// Stop a scene that uses more memory (on Linux), and report it as faulty
    #[arg(long, value_name = "MIB", default_value_t = 4_096, value_parser = clap::value_parser!(u64).range(64..=1 << 32))]
    pub(crate) memory_limit: u64,
    /// Replace stored values that do not hold by the measured ones, in the scene files: digests, and values that `that`
    /// compares with `=`
    #[arg(long)]
    pub(crate) bless: bool,
    /// Also write the results as JUnit XML
    #[arg(long, value_name = "FILE")]
    pub(crate) junit: Option<PathBuf>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
}

#[derive(Args, Debug)]
pub(crate) struct ProfileCommand {
    #[command(flatten)]
    pub(crate) scene: SceneFile,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
    /// Also write the spans as trace events (JSON) for a trace viewer
    #[arg(long, value_name = "FILE", help_heading = "Files")]
    pub(crate) trace: Option<PathBuf>,
    /// Also write the time of each frame and name as CSV
    #[arg(long, value_name = "FILE", help_heading = "Files")]
    pub(crate) csv: Option<PathBuf>,
    /// Also draw three pictures, .png or .svg: FILE shows the time of each frame by part, FILE-systems the spread of each
    /// system, FILE-threads the threads of one frame
    #[arg(long, value_name = "FILE", help_heading = "Files")]
    pub(crate) plot: Option<PathBuf>,
    /// The frame whose threads are drawn [default: the slowest after warm-up]
    #[arg(long, value_name = "FRAME", requires = "plot", help_heading = "Files")]
    pub(crate) frame: Option<u64>,
    /// The size of each picture in pixels
    #[arg(long, default_value = "1280x800", value_name = "WIDTHxHEIGHT", value_parser = parse_size, requires = "plot", help_heading = "Files")]
    pub(crate) size: (u32, u32),
    /// Also save the times of all frames, for a later comparison
    #[arg(long, value_name = "FILE", help_heading = "Files")]
    pub(crate) save: Option<PathBuf>,
    /// Measure another scene or setting in turn and compare; a setting is threads=NUMBER, off=SYSTEM or
    /// serial-below=MICROSECONDS
    #[arg(long, value_name = "SCENE|SETTING", help_heading = "Comparing")]
    pub(crate) versus: Option<Versus>,
    #[command(flatten)]
    pub(crate) measuring: Measuring,
}

/// How a run is measured.
#[derive(Args, Debug)]
pub(crate) struct Measuring {
    /// The budget of a frame in milliseconds, or of a system with SYSTEM= before it; can be repeated
    #[arg(long, value_name = "[SYSTEM=]MS", help_heading = "Measuring")]
    pub(crate) budget: Vec<BudgetOption>,
    /// Exclude this number of first frames from statistics [default: as in the scene]
    #[arg(long, value_name = "FRAMES", help_heading = "Measuring")]
    pub(crate) warm_up: Option<u64>,
    /// Compare with a profile saved by `profile --save`
    #[arg(long, value_name = "FILE", help_heading = "Comparing")]
    pub(crate) against: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) threads: Threads,
}

#[derive(Args, Debug)]
pub(crate) struct ReportCommand {
    #[command(flatten)]
    pub(crate) scene: SceneFile,
    /// The page to write, whose name ends in .html
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// Store every N-th frame [default: the smallest N that keeps the page below about 12 MiB]
    #[arg(long, value_name = "FRAMES")]
    pub(crate) every: Option<NonZeroU64>,
    #[command(flatten)]
    pub(crate) measuring: Measuring,
}

/// How many threads run the systems.
#[derive(Args, Clone, Copy, Debug, Default)]
pub(crate) struct Threads {
    /// Threads that run systems; the result is the same with any number [default: the number of cores]
    #[arg(long, value_name = "NUMBER")]
    threads: Option<NonZeroUsize>,
}

impl Threads {
    pub(crate) fn number(self) -> Option<usize> {
        self.threads.map(usize::from)
    }
}

#[derive(Args, Debug)]
pub(crate) struct ImportCommand {
    /// The .gltf or .glb file
    pub(crate) file: PathBuf,
    /// The scene file to write
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
}

#[derive(Args, Debug)]
pub(crate) struct ExportCommand {
    #[command(flatten)]
    pub(crate) scene: SceneFile,
    /// Export the state after this frame; 0 is the state as loaded [default: the last frame]
    #[arg(long, value_name = "FRAME")]
    pub(crate) at: Option<u64>,
    /// The .gltf file to write
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
}

#[derive(Args, Debug)]
pub(crate) struct DrawCommand {
    #[command(flatten)]
    pub(crate) scene: SceneFile,
    /// The frames to draw, one to six; 0 is the state as loaded
    #[arg(
        long,
        value_delimiter = ',',
        default_value = "0",
        value_name = "FRAME,.."
    )]
    pub(crate) at: Vec<u64>,
    /// The first frame of an animation; `-o` must name a .gif file
    #[arg(
        long,
        value_name = "FRAME",
        conflicts_with = "at",
        help_heading = "Animation"
    )]
    pub(crate) from: Option<u64>,
    /// The last frame of an animation
    #[arg(
        long,
        value_name = "FRAME",
        conflicts_with = "at",
        help_heading = "Animation"
    )]
    pub(crate) to: Option<u64>,
    /// Draw every N-th frame of an animation
    #[arg(
        long,
        value_name = "FRAMES",
        default_value_t = 4,
        value_parser = clap::value_parser!(u64).range(1..),
        help_heading = "Animation"
    )]
    pub(crate) every: u64,
    /// The views to draw [default: side,top; flat scenes: side]
    #[arg(
        long,
        value_enum,
        value_delimiter = ',',
        value_name = "VIEW,..",
        help_heading = "Contents"
    )]
    pub(crate) view: Vec<DrawView>,
    /// Draw the path of each entity since frame 0
    #[arg(long, help_heading = "Contents")]
    pub(crate) trail: bool,
    /// Draw lines from parents to children
    #[arg(long, help_heading = "Contents")]
    pub(crate) links: bool,
    /// The picture to write: .png or .svg; an animation is a .gif file
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// The size of the picture in pixels
    #[arg(long, default_value = "1280x800", value_name = "WIDTHxHEIGHT", value_parser = parse_size)]
    pub(crate) size: (u32, u32),
}

#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum DrawView {
    /// x to the right, y up
    Side,
    /// From above: x to the right, z down
    Top,
    /// From the front, the right and above
    Slanted,
}

#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(crate) enum Format {
    /// For people
    #[default]
    Text,
    /// For programs
    Json,
}

fn parse_size(text: &str) -> Result<(u32, u32), String> {
    let sides = text
        .split_once('x')
        .and_then(|(width, height)| Some((width.parse().ok()?, height.parse().ok()?)));
    match sides {
        Some((width, height))
            if (320..=8192).contains(&width) && (240..=8192).contains(&height) =>
        {
            Ok((width, height))
        }
        Some(_) => Err(String::from("write a size from 320x240 to 8192x8192")),
        None => Err(String::from("write a width and a height, such as 1280x800")),
    }
}
