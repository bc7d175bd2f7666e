//! `gerust extras`: what packages of the tool bring along.

use crate::Verdict;
use crate::arguments::{Arguments, ExtrasCommand, ExtrasTopic};
use crate::failure::Failure;
use crate::output;
use clap::CommandFactory;
use std::fs;
use std::path::Path;

pub(crate) fn run(command: &ExtrasCommand) -> Verdict {
    match &command.topic {
        ExtrasTopic::Completions { shell } => {
            let mut text = Vec::new();
            clap_complete::generate(*shell, &mut Arguments::command(), "gerust", &mut text);
            output::print(&String::from_utf8_lossy(&text))?;
        }
        ExtrasTopic::Man { directory } => man(directory)?,
    }
    Ok(true)
}

/// A page for the tool and one for each command.
fn man(directory: &Path) -> Result<(), Failure> {
    let cannot = |error: std::io::Error| {
        Failure::other(format!(
            "{} cannot be written: {error}; name a directory that can be",
            directory.display()
        ))
    };
    fs::create_dir_all(directory).map_err(cannot)?;
    clap_mangen::generate_to(Arguments::command(), directory).map_err(cannot)?;
    output::print(&format!("{}: the manual pages", directory.display()))
}
