//! Which build measures.

/// Returns `debug` or `release`, the kind of build of the runtime, by whether debug assertions are on. A debug build is many
/// times slower and must not be taken for a slow engine.
///
/// # Example
///
/// ```
/// assert!(["debug", "release"].contains(&gerust::profile::build()));
/// ```
#[must_use]
pub fn build() -> &'static str {
    match cfg!(debug_assertions) {
        true => "debug",
        false => "release",
    }
}
