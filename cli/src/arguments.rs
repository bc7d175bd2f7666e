//! The command line.

use clap::{Args, Parser, Subcommand, ValueEnum};
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
}

#[derive(Subcommand, Debug)]
pub(crate) enum Command {
    /// Run a scene and check its expectations
    #[command(after_help = "Example: gerust run scenes/quay.toml")]
    Run(RunCommand),
    /// Run a scene and show where the time of its frames goes
    #[command(after_help = "Example: gerust profile scenes/quay.toml")]
    Profile(ProfileCommand),
    /// Draw the boxes of a scene at some of its frames
    #[command(after_help = "Example: gerust draw scenes/quay.toml --at 0,240,600 -o quay.png")]
    Draw(DrawCommand),
    /// Print the JSON Schema of scene files
    #[command(after_help = "Example: gerust schema > scene.schema.json")]
    Schema,
}

#[derive(Args, Debug)]
pub(crate) struct RunCommand {
    /// The scene file
    pub(crate) scene: PathBuf,
    /// How to print the summary
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
}

#[derive(Args, Debug)]
pub(crate) struct ProfileCommand {
    /// The scene file
    pub(crate) scene: PathBuf,
    /// How to print the table
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
}

#[derive(Args, Debug)]
pub(crate) struct DrawCommand {
    /// The scene file
    pub(crate) scene: PathBuf,
    /// The frames to draw, one to six of them; 0 is the state as loaded
    #[arg(
        long,
        value_delimiter = ',',
        default_value = "0",
        value_name = "FRAME,.."
    )]
    pub(crate) at: Vec<u64>,
    /// The picture to write: .png or .svg
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// The size of the picture in pixels
    #[arg(long, default_value = "1280x800", value_name = "WIDTHxHEIGHT", value_parser = parse_size)]
    pub(crate) size: (u32, u32),
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
