//! The command line.

mod groups;
mod looking;

pub(crate) use groups::grouped;
pub(crate) use looking::{
    BoxesTopic, ContactsTopic, EntitiesTopic, EntityTopic, EventsTopic, ExplainCommand,
    InspectCommand, InspectTopic, MemoryTopic, OrderQuestion, PairQuestion, PlanFormat, PlanTopic,
    Question, RowsQuestion, SystemsTopic, TreeTopic,
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
    after_help = "Exit codes: 0 all held, 1 an expectation failed, 2 bad input or usage."
)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Command,
    /// Say nothing on standard error but what went wrong
    #[arg(
        short,
        long,
        global = true,
        conflicts_with = "verbose",
        help_heading = "Messages"
    )]
    pub(crate) quiet: bool,
    /// Say on standard error what goes on: -v each step, -vv each frame and what your own engine says through `tracing`
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
    /// Run many scenes at once and say which of them hold
    #[command(
        after_help = "Examples:\n  gerust check scenes\n  gerust check scenes --filter yard --junit report.xml\n  gerust check scenes --shard 1/4"
    )]
    Check(CheckCommand),
    /// Run one scene and write its results into a file: `check` starts a process with this for every scene
    #[command(hide = true)]
    CheckOne(CheckOneCommand),
    /// Say where two scenes or recordings, or one scene under two settings, begin to differ
    #[command(
        after_help = "Examples:\n  gerust compare scenes/quay.toml threads=4\n  gerust compare before.toml after.toml\n  gerust compare scenes/quay.toml quay.rec\n  gerust compare scenes/quay.toml \"off=standard: spin\""
    )]
    Compare(CompareCommand),
    /// Make a scene that fails as small as it can be while it fails in the same way
    #[command(
        after_help = "Examples:\n  gerust shrink broken.toml\n  gerust shrink broken.toml --loosely -o small.toml"
    )]
    Shrink(ShrinkCommand),
    /// Run a scene and show where the time of its frames goes
    #[command(
        after_help = "Examples:\n  gerust profile scenes/quay.toml\n  gerust profile scenes/quay.toml --plot quay.png --budget \"move: bodies=0.1\"\n  gerust profile scenes/quay.toml --trace quay.json --csv quay.csv\n  gerust profile scenes/quay.toml --save before.json\n  gerust profile scenes/quay.toml --against before.json\n  gerust profile scenes/quay.toml --versus threads=1"
    )]
    Profile(ProfileCommand),
    /// Run a scene and write a page about it that can be sent to somebody: times, threads, frames to go through, entities
    #[command(
        after_help = "Examples:\n  gerust report scenes/quay.toml -o quay.html\n  gerust report scenes/quay.toml -o quay.html --against before.json --budget 8.3\n\nThe page needs nothing besides itself: no network and no other file. Times are those of a run that did nothing else."
    )]
    Report(ReportCommand),
    /// Draw the boxes of a scene or a recording at some of its frames
    #[command(
        after_help = "Examples:\n  gerust draw scenes/quay.toml --at 0,240,600 -o quay.png\n  gerust draw scenes/quay.toml --at 240 --view slanted --trail --links -o quay.svg\n  gerust draw scenes/yard.toml --from 0 --to 240 --view top -o yard.gif"
    )]
    Draw(DrawCommand),
    /// Watch a scene or a recording in the terminal: run, stop, step, go back, switch systems off, look at entities
    #[command(
        after_help = "Examples:\n  gerust watch scenes/quay.toml\n  gerust watch scenes/yard.toml --view top --record yard.rec\n  gerust watch yard.rec\n\nFrames run at the pace of the scene, and the machine rests between them: they take longer than one after the other. Measure with `profile`."
    )]
    Watch(WatchCommand),
    /// Show what is inside of a scene or a recording after one of its frames
    #[command(
        after_help = "Examples:\n  gerust inspect scenes/quay.toml plan\n  gerust inspect scenes/quay.toml tree --at 240\n  gerust inspect scenes/quay.toml contacts --at 240 --of truck-1\n  gerust inspect quay.rec entities --at 240 --having body\n  gerust inspect quay.rec entity truck-1 --at 240"
    )]
    Inspect(InspectCommand),
    /// Run a scene and answer why something is as it is
    #[command(
        after_help = "Examples:\n  gerust explain scenes/quay.toml order \"move: bodies\" \"touch: contacts\"\n  gerust explain scenes/quay.toml rows \"standard: spin\" barge\n  gerust explain scenes/quay.toml pair truck-1 barrier --at 200"
    )]
    Explain(ExplainCommand),
    /// Make a scene file of the node tree of a glTF file
    #[command(after_help = "Example: gerust import crane.glb -o crane.toml")]
    Import(ImportCommand),
    /// Run a scene and write its node tree as a glTF file
    #[command(after_help = "Example: gerust export scenes/quay.toml --at 240 -o quay.gltf")]
    Export(ExportCommand),
    /// Make a crate of your own engine: a component, a system, a scene and a test, with every command
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
    /// Also write each frame down, to look at with `inspect` and `compare`
    #[arg(long, value_name = "FILE")]
    pub(crate) record: Option<PathBuf>,
    /// How to print the summary
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
    /// The directory to make, whose name is that of the crate
    #[arg(value_name = "DIR")]
    pub(crate) directory: PathBuf,
    /// Where the sources of gerust are; unless given those that this tool was built from, or if they have gone the published ones
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
    /// Print what a shell needs to complete commands
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
    /// From where to look at first
    #[arg(long, value_enum, default_value_t)]
    pub(crate) view: ViewArgument,
    /// Write all frames that have run into a file at the end
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
    /// The scene file to write; SCENE.shrunk.toml beside the scene unless given
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Go on as well if the same expectation fails with another value or in another frame
    #[arg(long)]
    pub(crate) loosely: bool,
    /// How often a scene is run at most
    #[arg(long, value_name = "NUMBER", default_value_t = 2_000)]
    pub(crate) runs: u64,
    /// How to print the outcome
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
    /// Scene files, and directories in which scenes are looked for
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
    /// Write what was measured into the scene files, in the place of stored values that do not hold: digests, and whatever `that`
    /// compares with `=`
    #[arg(long)]
    pub(crate) bless: bool,
    /// Also write the results as JUnit XML
    #[arg(long, value_name = "FILE")]
    pub(crate) junit: Option<PathBuf>,
    /// How to print the results
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
}

#[derive(Args, Debug)]
pub(crate) struct ProfileCommand {
    #[command(flatten)]
    pub(crate) scene: SceneFile,
    /// How to print the table
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
    /// Also write the spans as JSON trace events, for a trace viewer
    #[arg(long, value_name = "FILE", help_heading = "Files")]
    pub(crate) trace: Option<PathBuf>,
    /// Also write the time of each frame and name as CSV
    #[arg(long, value_name = "FILE", help_heading = "Files")]
    pub(crate) csv: Option<PathBuf>,
    /// Also draw three pictures, .png or .svg: FILE with the time of each frame by part, and beside it FILE-systems with how
    /// the times of each system spread and FILE-threads with what ran where in one frame
    #[arg(long, value_name = "FILE", help_heading = "Files")]
    pub(crate) plot: Option<PathBuf>,
    /// The frame whose threads are drawn; the slowest after warm-up unless given
    #[arg(long, value_name = "FRAME", requires = "plot", help_heading = "Files")]
    pub(crate) frame: Option<u64>,
    /// The size of each picture in pixels
    #[arg(long, default_value = "1280x800", value_name = "WIDTHxHEIGHT", value_parser = parse_size, requires = "plot", help_heading = "Files")]
    pub(crate) size: (u32, u32),
    /// Also keep the times of all frames in a file, to compare with later
    #[arg(long, value_name = "FILE", help_heading = "Files")]
    pub(crate) save: Option<PathBuf>,
    /// Run a second time in turn and compare: another scene, or a setting: threads=NUMBER, off=SYSTEM or
    /// serial-below=MICROSECONDS
    #[arg(long, value_name = "SCENE|SETTING", help_heading = "Comparing")]
    pub(crate) versus: Option<Versus>,
    #[command(flatten)]
    pub(crate) measuring: Measuring,
}

/// How a run is measured.
#[derive(Args, Debug)]
pub(crate) struct Measuring {
    /// Milliseconds that a frame should take at most, or with SYSTEM= before it a system; can be repeated
    #[arg(long, value_name = "[SYSTEM=]MS", help_heading = "Measuring")]
    pub(crate) budget: Vec<BudgetOption>,
    /// Frames at the beginning that are kept apart; what the scene says unless given
    #[arg(long, value_name = "FRAMES", help_heading = "Measuring")]
    pub(crate) warm_up: Option<u64>,
    /// Compare with what `profile --save` has kept
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
    /// Only every so many-th frame can be looked at; as many as fit into a page that is sent by mail unless given
    #[arg(long, value_name = "FRAMES")]
    pub(crate) every: Option<NonZeroU64>,
    #[command(flatten)]
    pub(crate) measuring: Measuring,
}

/// How many threads run the systems.
#[derive(Args, Clone, Copy, Debug, Default)]
pub(crate) struct Threads {
    /// Threads that run systems; as many as there are cores unless given. The result is the same with any number
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
    /// The frame after which to write it; the last one unless given, 0 is the state as loaded
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
    /// The frames to draw, one to six of them; 0 is the state as loaded
    #[arg(
        long,
        value_delimiter = ',',
        default_value = "0",
        value_name = "FRAME,.."
    )]
    pub(crate) at: Vec<u64>,
    /// From which frame on a picture moves; `-o` names a .gif then
    #[arg(
        long,
        value_name = "FRAME",
        conflicts_with = "at",
        help_heading = "Pictures that move"
    )]
    pub(crate) from: Option<u64>,
    /// Up to which frame a picture moves
    #[arg(
        long,
        value_name = "FRAME",
        conflicts_with = "at",
        help_heading = "Pictures that move"
    )]
    pub(crate) to: Option<u64>,
    /// Only every so many-th frame of a picture that moves
    #[arg(
        long,
        value_name = "FRAMES",
        default_value_t = 4,
        value_parser = clap::value_parser!(u64).range(1..),
        help_heading = "Pictures that move"
    )]
    pub(crate) every: u64,
    /// From where to look; from the side and from above unless given, and flat scenes from the front
    #[arg(
        long,
        value_enum,
        value_delimiter = ',',
        value_name = "VIEW,..",
        help_heading = "What is drawn"
    )]
    pub(crate) view: Vec<DrawView>,
    /// Draw the ways that entities have come since frame 0
    #[arg(long, help_heading = "What is drawn")]
    pub(crate) trail: bool,
    /// Draw lines from parents to children
    #[arg(long, help_heading = "What is drawn")]
    pub(crate) links: bool,
    /// The picture to write: .png, .svg or, if it moves, .gif
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
    /// From the front, the right and above at once
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
