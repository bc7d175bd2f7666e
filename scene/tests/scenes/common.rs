//! Set-ups that many of these tests share.

use gerust::prelude::*;
use gerust_scene::{Registry, Scene, SceneError};
use std::path::PathBuf;

/// A runtime with the standard kit.
pub(crate) fn runtime() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("its names are free");
    runtime
}

pub(crate) fn parse(text: &str) -> Result<Scene, SceneError> {
    Scene::parse(text, "test.toml", &Registry::standard())
}

/// The faults as `line:column message`.
pub(crate) fn faults_of(error: &SceneError) -> Vec<String> {
    let faults = error.faults().iter();
    faults
        .map(|fault| format!("{}:{} {}", fault.line(), fault.column(), fault.message()))
        .collect()
}

/// The folder of the scenes that are shipped.
pub(crate) fn shipped() -> PathBuf {
    PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../scenes"))
}
