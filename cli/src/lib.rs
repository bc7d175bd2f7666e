//! The commands of the `gerust` tool, as a library.
//!
//! An [`Engine`] says which component types scene files may name and what a runtime consists of. The `gerust` binary runs
//! [`Engine::standard`]; a binary of your own runs the same commands for your own components and systems:
//!
//! ```
//! use gerust::prelude::*;
//! use gerust_cli::Engine;
//!
//! #[derive(Clone, serde::Serialize, serde::Deserialize)]
//! struct Load { tonnes: f32 }
//!
//! let mut engine = Engine::standard();
//! engine.registry_mut().register::<Load>("load");
//! engine.add_set_up(|runtime| {
//!     runtime.add_system(
//!         System::named("burn").takes::<Rows<&mut Load>>().runs(|mut loads| {
//!             loads.each(|load| load.tonnes *= 0.999);
//!         }),
//!     )
//! });
//! // In `main`: gerust_cli::run(&engine, std::env::args_os())
//! // Warnings, notes and, with `-v`, steps go to standard error through the crate `tracing`, and with them what systems of your own
//! // say through it: unless your program has set a subscriber for itself, which gets all of it instead.
//! let code = gerust_cli::run(&engine, ["own-engine", "--version"].map(Into::into));
//! assert_eq!(code, std::process::ExitCode::SUCCESS);
//! ```

mod allocations;
mod arguments;
mod bounds;
mod check;
mod compare;
mod components;
mod draw;
mod engine;
mod exchange;
mod explain;
mod extras;
mod failure;
mod faults;
mod font;
mod inspect;
mod messages;
mod new;
mod output;
mod picture;
mod profile;
mod report;
mod run;
mod scene_file;
mod shrink;
mod target;
mod versus;
mod watch;

pub use allocations::{COUNTING_ALLOCATOR, CountingAllocator};
pub use engine::Engine;

use arguments::{Arguments, Command};
use check::OwnProcess;
use clap::{CommandFactory, FromArgMatches};
use failure::Failure;
use std::ffi::OsString;
use std::process::ExitCode;

/// The whole `main` of a binary of your own: every command, for your own kits. Each is put into an engine that has the standard kit
/// already, in order.
///
/// # Example
///
/// ```no_run
/// use gerust::prelude::*;
/// use gerust_cli::Engine;
/// use std::process::ExitCode;
///
/// #[derive(Clone, serde::Serialize, serde::Deserialize)]
/// struct Load { tonnes: f32 }
///
/// fn loads(engine: &mut Engine) {
///     engine.registry_mut().register::<Load>("load");
///     engine.add_set_up(|runtime| {
///         runtime.add_system(System::named("burn").takes::<Rows<&mut Load>>().runs(|mut loads| {
///             loads.each(|load| load.tonnes *= 0.999);
///         }))
///     });
/// }
///
/// fn main() -> ExitCode {
///     gerust_cli::main_with(&[loads])
/// }
/// ```
pub fn main_with(kits: &[fn(&mut Engine)]) -> ExitCode {
    let mut engine = Engine::standard();
    for kit in kits {
        kit(&mut engine);
    }
    run(&engine, std::env::args_os())
}

/// Runs the command that the arguments name; the first argument is the program's own name.
///
/// Returns 0 if all went well, 1 if an expectation failed, 2 for bad input or usage.
pub fn run(engine: &Engine, arguments: impl IntoIterator<Item = OsString>) -> ExitCode {
    let arguments: Vec<OsString> = arguments.into_iter().collect();
    let own_process = OwnProcess::of(&arguments);
    let parsed = arguments::grouped(Arguments::command())
        .try_get_matches_from(arguments)
        .and_then(|matches| Arguments::from_arg_matches(&matches));
    let arguments = match parsed {
        Ok(arguments) => arguments,
        Err(error) => {
            let is_printed = match error.print() {
                Ok(()) => true,
                Err(error) => error.kind() == std::io::ErrorKind::BrokenPipe,
            };
            return ExitCode::from(match is_printed && !error.use_stderr() {
                true => 0,
                false => failure::BAD_INPUT,
            });
        }
    };
    messages::begin(arguments.quiet, arguments.verbose);
    let outcome = match arguments.command {
        Command::Run(command) => run::run(engine, &command),
        Command::Check(command) => check::run(engine, &command, &own_process),
        Command::CheckOne(command) => check::run_one(engine, &command),
        Command::Compare(command) => compare::run(engine, &command),
        Command::Shrink(command) => shrink::run(engine, &command),
        Command::Profile(command) => profile::run(engine, &command),
        Command::Report(command) => report::run(engine, &command),
        Command::Draw(command) => draw::run(engine, &command),
        Command::Watch(command) => watch::run(engine, &command),
        Command::Inspect(command) => inspect::run(engine, &command),
        Command::Explain(command) => explain::run(engine, &command),
        Command::Import(command) => exchange::import(engine, &command),
        Command::Export(command) => exchange::export(engine, &command),
        Command::New(command) => new::run(&command),
        Command::Extras(command) => extras::run(&command),
        Command::Schema => output::print(&gerust_scene::schema()).map(|()| true),
    };
    match outcome {
        Ok(true) => ExitCode::SUCCESS,
        Ok(false) => ExitCode::from(failure::EXPECTATION_FAILED),
        Err(trouble) => trouble.tell(),
    }
}

/// The result of a command: whether all expectations held, or the error that kept it from running.
type Verdict = Result<bool, Failure>;
