//! Gerust.
