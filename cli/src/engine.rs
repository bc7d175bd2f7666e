//! What scenes are run in.

use gerust::runtime::OriginKit;
use gerust::{Error, Runtime, StandardKit};
use gerust_scene::Registry;
use std::fmt;

type SetUp = Box<dyn Fn(&mut Runtime) -> Result<(), Error> + Send + Sync>;

/// Which component types scene files may name, and what a runtime consists of.
///
/// See the [crate documentation](crate) for an example.
pub struct Engine {
    registry: Registry,
    set_ups: Vec<SetUp>,
}

impl Engine {
    /// The built-in components and systems, the standard kit and the [`OriginKit`].
    ///
    /// # Example
    ///
    /// ```
    /// let engine = gerust_cli::Engine::standard();
    /// assert!(engine.registry().names().any(|name| name == "velocity"));
    /// ```
    #[must_use]
    pub fn standard() -> Self {
        let mut engine = Self {
            registry: Registry::standard(),
            set_ups: Vec::new(),
        };
        engine.add_set_up(|runtime| {
            runtime.add_kit(StandardKit)?;
            runtime.add_kit(OriginKit)
        });
        engine
    }

    /// The component types that scene files may name.
    #[must_use]
    pub fn registry(&self) -> &Registry {
        &self.registry
    }

    /// The component types that scene files may name, to add some.
    pub fn registry_mut(&mut self) -> &mut Registry {
        &mut self.registry
    }

    /// Adds something that is done to every new runtime, most often adding systems or a kit.
    pub fn add_set_up(
        &mut self,
        set_up: impl Fn(&mut Runtime) -> Result<(), Error> + Send + Sync + 'static,
    ) {
        self.set_ups.push(Box::new(set_up));
    }

    /// A new runtime with all that was added.
    ///
    /// # Errors
    ///
    /// As what was added, as systems of one name.
    ///
    /// # Example
    ///
    /// ```
    /// let engine = gerust_cli::Engine::standard();
    /// assert!(engine.runtime()?.schedule().system("standard: drift").is_some());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn runtime(&self) -> Result<Runtime, Error> {
        let mut runtime = Runtime::new();
        for set_up in &self.set_ups {
            set_up(&mut runtime)?;
        }
        Ok(runtime)
    }
}

impl fmt::Debug for Engine {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Engine")
            .field("registry", &self.registry)
            .field("set_ups", &self.set_ups.len())
            .finish()
    }
}
