//! Every command of the tool, for this engine's own components and systems.

use std::process::ExitCode;

fn main() -> ExitCode {
    gerust_cli::main_with(&[own_engine::fuel])
}
