//! Scenes as tests of a program.

use super::report::Report;
use std::fmt::Write;

impl Report {
    /// Panics unless all expectations held and nothing was missed, with all that is known of each failure: for tests.
    ///
    /// # Panics
    ///
    /// If an expectation failed, or if a cue, a rule or an edit could not be carried out.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 1\n[[expect]]\nthat = 'entities = 0'\n";
    /// Scene::parse(text, "t.toml", &Registry::standard())?.run(Runtime::new())?.assert_all_held();
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[track_caller]
    pub fn assert_all_held(&self) {
        if self.all_held() && self.missed().is_empty() {
            return;
        }
        let mut text = format!("{}, after {} frames:", self.title(), self.frames());
        for outcome in self.failures() {
            let _ = write!(text, "\n  {outcome}");
            for (frame, measured) in outcome.before() {
                let _ = write!(text, "\n    frame {frame}: {measured}");
            }
            if let Some(touching) = outcome.touching() {
                let _ = write!(text, "\n    then {touching}");
            }
        }
        for missed in self.missed() {
            let _ = write!(text, "\n  missed: {missed}");
        }
        panic!("{text}");
    }
}

/// Makes a test of each scene file: it fails unless [all expectations hold](crate::Report::assert_all_held). Paths are
/// those from the directory of the package.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::Registry;
///
/// fn runtime() -> Runtime {
///     let mut runtime = Runtime::new();
///     runtime.add_kit(StandardKit).expect("its names are free");
///     runtime
/// }
///
/// gerust_scene::scene_tests! {
///     runtime: runtime(),
///     registry: Registry::standard(),
///     quay: "scenes/quay.toml",
///     yard: "scenes/yard.toml",
/// }
/// # fn main() {}
/// ```
#[macro_export]
macro_rules! scene_tests {
    (runtime: $runtime:expr, registry: $registry:expr, $($name:ident: $path:literal),+ $(,)?) => {
        $(
            #[test]
            fn $name() {
                let path = concat!(env!("CARGO_MANIFEST_DIR"), "/", $path);
                let scene = $crate::Scene::load(path, &$registry)
                    .unwrap_or_else(|error| panic!("{error}"));
                let report = scene.run($runtime).unwrap_or_else(|error| panic!("{path}: {error}"));
                report.assert_all_held();
            }
        )+
    };
}
