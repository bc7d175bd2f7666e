//! The `gerust` command: every command of the library, for the built-in components and the standard kit.

use std::process::ExitCode;

fn main() -> ExitCode {
    gerust_cli::run(&gerust_cli::Engine::standard(), std::env::args_os())
}
