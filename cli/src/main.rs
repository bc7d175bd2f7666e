//! The `gerust` command: every command of the library, for the built-in components and the standard kit.

use gerust_cli::{COUNTING_ALLOCATOR, CountingAllocator};
use std::process::ExitCode;

/// `inspect SCENE memory` tells what frames allocate.
#[global_allocator]
static ALLOCATOR: CountingAllocator = COUNTING_ALLOCATOR;

fn main() -> ExitCode {
    gerust_cli::run(&gerust_cli::Engine::standard(), std::env::args_os())
}
