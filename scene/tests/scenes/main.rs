//! Scene files: what they may say, what a run does with it, and what is said of faults.

mod budgets;
mod common;
mod damage;
mod described;
mod documented_panics;
mod events;
mod expectations;
mod faults;
mod files;
mod includes;
mod kit;
mod layers;
mod limits;
#[cfg(feature = "gltf")]
mod nodes;
mod origin;
mod parameters;
mod quay;
mod recorder;
mod reload;
mod resume;
mod rules;
mod shipped;
mod templates;
mod values;
