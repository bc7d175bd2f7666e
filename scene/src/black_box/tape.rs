//! The last frames, in memory.

use super::condition::Condition;
use crate::event_log::EventLog;
use crate::recording::{FrameTimes, SpanTimes, missing_in};
use crate::registry::Registry;
use gerust::Error;
use gerust::collide::Contacts;
use gerust::profile::{FrameProfile, Profiler};
use gerust::runtime::{Moment, Moments, Runtime};
use gerust::schedule::Clock;
use rustc_hash::FxHashMap;
use std::borrow::Cow;
use std::collections::VecDeque;
use std::sync::Arc;

/// Frames after which the list of unregistered types is made again.
const FRAMES_BETWEEN_LISTS: u64 = 256;

/// The frames that are kept.
pub(super) struct Tape {
    title: String,
    registry: Registry,
    conditions: Vec<Condition>,
    most_frames: usize,
    moments: Moments,
    /// Of the same frames.
    extras: VecDeque<Arc<Extras>>,
    /// The names of spans.
    names: FxHashMap<String, Arc<str>>,
    missing: Vec<String>,
    margin: Option<f32>,
    /// What happened in the latest frame, for conditions.
    log: EventLog,
}

/// The rest of a frame, besides its moment.
#[derive(Clone, Default)]
pub(super) struct Extras {
    frame: u64,
    pub(super) failure: Option<String>,
    pub(super) times: FrameTimes,
}

/// The frames that go into a file.
pub(super) struct Kept {
    pub(super) title: String,
    pub(super) reason: Option<String>,
    pub(super) registry: Registry,
    pub(super) missing: Vec<String>,
    pub(super) margin: Option<f32>,
    pub(super) frames: Vec<(Moment, Arc<Extras>)>,
}

impl Default for Tape {
    fn default() -> Self {
        Self::new(String::new(), Registry::new(), Vec::new(), 1, usize::MAX)
    }
}

impl Tape {
    pub(super) fn new(
        title: String,
        registry: Registry,
        conditions: Vec<Condition>,
        frames: usize,
        bytes: usize,
    ) -> Self {
        Self {
            title,
            registry,
            conditions,
            most_frames: frames,
            // The state before the first of the frames is kept as well.
            moments: Moments::ring(frames.saturating_add(1)).within(bytes),
            extras: VecDeque::new(),
            names: FxHashMap::default(),
            missing: Vec::new(),
            margin: None,
            log: EventLog::default(),
        }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.moments.is_empty()
    }

    pub(super) fn most_frames(&self) -> u64 {
        self.most_frames as u64
    }

    pub(super) fn last_frame(&self) -> Option<u64> {
        self.moments.frames().map(|frames| *frames.end())
    }

    /// Keeps the state after a frame.
    pub(super) fn note(&mut self, runtime: &mut Runtime, failure: Option<&Error>) {
        let clock = runtime.world().find_global::<Clock>();
        let frame = clock.map_or(0, |clock| clock.frame());
        // A program that went back, or loaded another state, has left these frames behind; between frames there is no gap.
        self.moments.drop_from(frame);
        if self.last_frame().is_some_and(|last| last + 1 != frame) {
            self.moments.drop_from(0);
        }
        self.moments.keep(runtime);
        let mut extras = self.drop_old_extras(frame).unwrap_or_default();
        if failure.is_some() || frame % FRAMES_BETWEEN_LISTS <= 1 {
            self.missing = missing_in(runtime);
        }
        let contacts = runtime.world().find_global::<Contacts>();
        self.margin = contacts.map(|contacts| contacts.margin());
        // A file that is being written may refer to it.
        if Arc::get_mut(&mut extras).is_none() {
            extras = Arc::default();
        }
        let place = Arc::get_mut(&mut extras).expect("nothing else refers to it");
        place.frame = frame;
        place.failure = failure.map(ToString::to_string);
        place.times.took = 0;
        place.times.spans.clear();
        let profiler = runtime.profiler();
        let latest = profiler.frames().last();
        if let Some(profile) = latest.filter(|profile| profile.number() == frame) {
            self.note_times(&mut place.times, profiler, profile);
        }
        self.extras.push_back(extras);
    }

    /// Drops the extras of frames that have no moment any more, and those of this frame and of later ones. Returns one of them.
    fn drop_old_extras(&mut self, frame: u64) -> Option<Arc<Extras>> {
        let mut dropped = None;
        while self
            .extras
            .back()
            .is_some_and(|extras| extras.frame >= frame)
        {
            dropped = self.extras.pop_back();
        }
        let first = self
            .moments
            .frames()
            .map_or(frame, |frames| *frames.start());
        while self
            .extras
            .front()
            .is_some_and(|extras| extras.frame < first)
        {
            dropped = self.extras.pop_front();
        }
        dropped
    }

    fn note_times(&mut self, times: &mut FrameTimes, profiler: &Profiler, profile: &FrameProfile) {
        times.took = u64::try_from(profile.duration().as_nanos()).unwrap_or(u64::MAX);
        let Some((_, spans)) = profile.spans().split_last() else {
            return;
        };
        for span in spans {
            let name = profiler.name_of(span);
            let name = match self.names.get(name) {
                Some(name) => Arc::clone(name),
                None => {
                    let shared: Arc<str> = Arc::from(name);
                    self.names.insert(name.to_owned(), Arc::clone(&shared));
                    shared
                }
            };
            let start = u64::try_from(profile.offset(span).as_nanos()).unwrap_or(u64::MAX);
            times.spans.push(SpanTimes(
                Cow::Borrowed(span.category().name()),
                name,
                span.depth(),
                span.thread(),
                start,
                span.nanoseconds(),
            ));
        }
    }

    /// Why the frame that was noted last should be written; `None` if all is well.
    pub(super) fn reason(&mut self, runtime: &Runtime, failure: Option<&Error>) -> Option<String> {
        let world = runtime.world();
        if !self.conditions.is_empty() {
            self.log.note_counts(&self.registry, world);
            let frames = runtime.profiler().frames();
            if let Some(frame) = frames.last() {
                self.log.note_counters(frame.counters());
            }
        }
        let mut begun = Vec::new();
        for condition in &mut self.conditions {
            if condition.begins(world, &self.registry, &self.log) {
                begun.push(format!("`{}`", condition.text));
            }
        }
        let frame = self.last_frame()?;
        match failure {
            Some(error) => Some(error.to_string()),
            None if begun.is_empty() => None,
            None => Some(format!("{} holds in frame {frame}", begun.join(" and "))),
        }
    }

    pub(super) fn unanswered(&self) -> Vec<(String, String)> {
        let unanswered = self.conditions.iter().filter_map(|condition| {
            let problem = condition.problem.clone()?;
            Some((condition.text.clone(), problem))
        });
        unanswered.collect()
    }

    /// The frames as they are now. O(frames).
    pub(super) fn kept(&mut self, reason: Option<String>) -> Kept {
        // A frame has no extras if its values could not be copied the first time.
        let mut extras = self.extras.iter().peekable();
        let with_extras = |moment: &Moment| {
            let frame = moment.frame();
            while extras.next_if(|extras| extras.frame < frame).is_some() {}
            let extras = extras.next_if(|extras| extras.frame == frame);
            (moment.clone(), extras.cloned().unwrap_or_default())
        };
        Kept {
            title: self.title.clone(),
            reason,
            registry: self.registry.clone(),
            missing: self.missing.clone(),
            margin: self.margin,
            frames: self.moments.iter().map(with_extras).collect(),
        }
    }
}
