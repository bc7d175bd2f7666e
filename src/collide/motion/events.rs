//! The future meetings of a group, in their order.

use std::cmp::Ordering;

/// A meeting to come.
#[derive(Clone, Copy, Debug)]
pub(super) struct Event {
    pub(super) time: f32,
    /// Bits that order as the height of the lower of the two does.
    pub(super) height: u32,
    /// The rougher and the more elastic of several faces that lie in one plane counts.
    pub(super) rough: u64,
    /// The lesser and the greater id.
    pub(super) ids: (u32, u32),
    pub(super) body: u32,
    pub(super) part: u32,
    pub(super) other: Other,
    pub(super) axis: usize,
    pub(super) direction: f32,
    pub(super) stamps: (u32, u32),
}

#[derive(Clone, Copy, Debug)]
pub(super) enum Other {
    Obstacle(u32),
    Body { number: u32, part: u32 },
}

impl Event {
    fn key(&self) -> (u32, u32, std::cmp::Reverse<u64>, (u32, u32), usize) {
        (
            ordered(self.time),
            self.height,
            std::cmp::Reverse(self.rough),
            self.ids,
            self.axis,
        )
    }
}

impl PartialEq for Event {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Event {}

impl PartialOrd for Event {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

/// The earliest is the greatest, so that a heap gives it out first.
impl Ord for Event {
    fn cmp(&self, other: &Self) -> Ordering {
        other.key().cmp(&self.key())
    }
}

pub(super) fn rough(friction: f32, restitution: f32) -> u64 {
    u64::from(friction.to_bits()) << 32 | u64::from(restitution.to_bits())
}

/// A number whose bits order as it does.
pub(super) fn ordered(number: f32) -> u32 {
    // Plus nothing, so that both zeros are one.
    let bits = (number + 0.0).to_bits();
    match bits >> 31 {
        0 => bits | 1 << 31,
        _ => !bits,
    }
}

#[cfg(test)]
mod tests {
    use super::ordered;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn bits_order_as_numbers_do(a in any::<f32>(), b in any::<f32>()) {
            prop_assert_eq!(ordered(a) < ordered(b), a < b);
        }
    }

    #[test]
    fn zeros_are_one() {
        assert_eq!(ordered(0.0), ordered(-0.0));
    }
}
