//! Code of the caller's thread between the phases of a frame.

use super::executor::RunSeams;
use super::phase::Phase;
use crate::store::World;
use std::fmt;

/// Closures that run on the thread of the caller, before or after a phase of each frame: for windows, sound devices and other
/// data that must not leave one thread, and for data that the program borrows.
///
/// A closure can borrow and change local variables, need not be `Send`, and gets the whole world, because no system runs at that
/// time. Changes to the world take effect immediately. Closures of one seam run in the order in which they were added.
/// [`Runtime::run_frames_with`](crate::Runtime::run_frames_with) and [`Runtime::advance_with`](crate::Runtime::advance_with) run frames
/// with them.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::schedule::Seams;
/// use std::rc::Rc;
///
/// // It stands for a window: it must stay on this thread.
/// let title = Rc::new(String::from("quay"));
/// let mut heights = Vec::new();
///
/// let mut runtime = Runtime::new();
/// let gull = runtime.world_mut().spawn((Transform::default(),));
/// let mut seams = Seams::new();
/// seams.before(Phase::Intake, |world| {
///     world.get_mut::<Transform>(gull).expect("it lives").translation.y += title.len() as f32;
/// });
/// seams.after(Phase::Place, |world| {
///     heights.push(world.get::<WorldTransform>(gull).expect("it lives").translation().y);
/// });
/// runtime.run_frames_with(3, &mut seams)?;
/// drop(seams);
/// assert_eq!(heights, [4.0, 8.0, 12.0]);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Default)]
pub struct Seams<'a> {
    calls: Vec<SeamCall<'a>>,
}

/// A closure and its seam.
struct SeamCall<'a> {
    phase: Phase,
    is_after: bool,
    call: Box<dyn FnMut(&mut World) + 'a>,
}

impl<'a> Seams<'a> {
    /// No closures.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Adds a closure that runs before a phase of each frame. [`Phase::Setup`] is no phase of a frame.
    pub fn before(&mut self, phase: Phase, call: impl FnMut(&mut World) + 'a) -> &mut Self {
        self.add(phase, false, Box::new(call))
    }

    /// Adds a closure that runs after a phase of each frame, when its edits have been applied.
    pub fn after(&mut self, phase: Phase, call: impl FnMut(&mut World) + 'a) -> &mut Self {
        self.add(phase, true, Box::new(call))
    }

    fn add(
        &mut self,
        phase: Phase,
        is_after: bool,
        call: Box<dyn FnMut(&mut World) + 'a>,
    ) -> &mut Self {
        self.calls.push(SeamCall {
            phase,
            is_after,
            call,
        });
        self
    }

    /// The first phase that none of these phases is.
    pub(crate) fn unknown_phase(&self, mut known: impl FnMut(Phase) -> bool) -> Option<Phase> {
        let mut phases = self.calls.iter().map(|call| call.phase);
        phases.find(|&phase| !known(phase))
    }
}

impl RunSeams for Seams<'_> {
    fn run(&mut self, phase: Phase, is_after: bool, world: &mut World) {
        let calls = self.calls.iter_mut();
        for call in calls.filter(|call| call.phase == phase && call.is_after == is_after) {
            (call.call)(world);
        }
    }
}

impl fmt::Debug for Seams<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let calls = self.calls.iter();
        let seams = calls.map(|call| (if call.is_after { "after" } else { "before" }, call.phase));
        f.debug_list().entries(seams).finish()
    }
}
