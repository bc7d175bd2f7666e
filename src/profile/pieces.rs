//! What follows from where the spans of a frame lie in each other.

use super::frame::FrameProfile;
use super::span::{Category, Span};
use std::collections::HashMap;

/// A span of a frame, with what follows from its place among the others; see [`FrameProfile::pieces`].
#[derive(Clone, Copy, Debug)]
pub struct Piece<'f> {
    /// The span.
    pub span: &'f Span,
    /// Its nanoseconds without those of the spans within it on the same thread.
    pub self_nanoseconds: u64,
    /// The run of a system in which it lies on its thread, if it lies in one.
    pub system: Option<&'f Span>,
}

impl FrameProfile {
    /// All spans, in the order of [`FrameProfile::spans`], each with its self time and the system around it. O(spans).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::profile;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_system(System::named("stow").takes::<()>().runs(|()| profile::timed("lash", || ())))?;
    /// runtime.run_frames(1)?;
    /// let profiler = runtime.profiler();
    /// let frame = profiler.frames().next().expect("a frame ran");
    /// let lash = frame.pieces().find(|piece| profiler.name_of(piece.span) == "lash").expect("it ran");
    /// assert_eq!(lash.system.map(|system| profiler.name_of(system)), Some("stow"));
    /// assert_eq!(lash.self_nanoseconds, lash.span.nanoseconds());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn pieces(&self) -> impl Iterator<Item = Piece<'_>> {
        let spans = self.spans().iter().zip(own_times(self.spans()));
        spans
            .zip(systems_around(self.spans()))
            .map(|((span, self_nanoseconds), system)| Piece {
                span,
                self_nanoseconds,
                system: system.map(|place| &self.spans()[place]),
            })
    }
}

/// The nanoseconds of each span of a frame without those of the spans in it on the same thread.
///
/// Spans stand in order of their ends, so what lies in a span stands before it, one level deeper.
pub(super) fn own_times(spans: &[Span]) -> Vec<u64> {
    // By thread and depth: what has ended there and lies in a span that has not.
    let mut inside: HashMap<(u32, u32), u64> = HashMap::new();
    spans
        .iter()
        .map(|span| {
            let below = inside.remove(&(span.thread, span.depth + 1)).unwrap_or(0);
            *inside.entry((span.thread, span.depth)).or_default() += span.nanoseconds;
            span.nanoseconds.saturating_sub(below)
        })
        .collect()
}

/// For each span the place of the system in which it lies on its thread, if it lies in one.
fn systems_around(spans: &[Span]) -> Vec<Option<usize>> {
    // From the end on, what holds others comes before them: by thread and depth, the system that is open there.
    let mut open: HashMap<(u32, u32), Option<usize>> = HashMap::new();
    let mut around: Vec<Option<usize>> = spans
        .iter()
        .enumerate()
        .rev()
        .map(|(place, span)| {
            let above = span
                .depth
                .checked_sub(1)
                .and_then(|depth| open.get(&(span.thread, depth)))
                .copied()
                .flatten();
            let own = match span.category {
                Category::System => Some(place),
                Category::Frame | Category::Phase => None,
                Category::Part | Category::Block => above,
            };
            open.insert((span.thread, span.depth), own);
            above
        })
        .collect();
    around.reverse();
    around
}
