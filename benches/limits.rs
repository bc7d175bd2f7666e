//! Gerust.
fn main(){}
