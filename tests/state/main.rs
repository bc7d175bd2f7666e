//! The state of a runtime: saved, loaded, kept in memory and gone back to.
#![cfg(all(feature = "snapshot", feature = "chance"))]

mod moments;
mod program;
mod save;
mod walks;
