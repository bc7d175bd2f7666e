//! The font of pictures: one that ships with the tool, so that a picture looks alike everywhere and needs no fonts
//! installed.

use crate::failure::Failure;
use plotters::style::{FontStyle, register_font};
use std::sync::Once;

static FONT: &[u8] = include_bytes!("../assets/DejaVuSans.ttf");

/// The family name under which it is known.
pub(crate) const FAMILY: &str = "sans-serif";

/// Makes the font known. Without it text would be left out of pictures, with no more than an error that is easy to lose.
pub(crate) fn register() -> Result<(), Failure> {
    static ONCE: Once = Once::new();
    let mut outcome = Ok(());
    ONCE.call_once(|| {
        outcome = register_font(FAMILY, FontStyle::Normal, FONT)
            .map_err(|_| Failure::other("the built-in font cannot be read; install the tool anew"));
    });
    outcome
}
