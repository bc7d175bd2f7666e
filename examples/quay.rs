//! Gerust.
fn main() {}
