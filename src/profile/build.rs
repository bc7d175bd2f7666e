//! Which build measures.

/// Whether the runtime was built for `debug` or for `release`: nobody should take a debug build, many times slower, for a slow
/// engine. It is told by whether debug assertions are on.
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
