//! Checks expectations that are written in the language of scene files.

use super::Checker;
use crate::ask::{EVENT, OF_AN_ENTITY, OF_THE_WORLD};
use crate::document::ExpectEntry;
use crate::expect::{Condition, Expectation, When};
use crate::fault::Fault;
use crate::language::{
    Expression, ExpressionKind, Names, Path, Problem, Question, Time, Value, WhenText,
    parse_expectation, unknown_function,
};
use crate::read::{place_of, start_in};
use std::ops::Range;
use std::path::PathBuf;
use toml::Spanned;

impl<'d> Checker<'d> {
    pub(super) fn check_that(
        &mut self,
        entry: &ExpectEntry,
        that: &Spanned<String>,
    ) -> Option<Expectation> {
        let others = [
            entry.frame.as_ref().map(|frame| frame.span()),
            entry.time.as_ref().map(|time| time.span()),
            entry.by_frame.as_ref().map(|frame| frame.span()),
            entry.by_time.as_ref().map(|time| time.span()),
            entry.touching.as_ref().map(|pair| pair[0].span()),
            entry.apart.as_ref().map(|pair| pair[0].span()),
            entry
                .position
                .as_ref()
                .map(|position| position.entity.span()),
            entry.count.as_ref().map(Spanned::span),
            entry.budget.as_ref().map(Spanned::span),
        ];
        for span in others.into_iter().flatten() {
            let message = "`that` has a condition and a time; remove the other keys";
            self.faults
                .push(Fault::new(span, message, "leave this out, or `that`"));
        }
        let parsed = match parse_expectation(that.get_ref()) {
            Ok(parsed) => parsed,
            Err(problem) => {
                self.problem(problem, that);
                return None;
            }
        };
        let known_faults = self.faults.len();
        self.check_condition(&parsed.condition, that);
        let when = self.check_when_text(&parsed.when, that);
        if self.faults.len() > known_faults {
            return None;
        }
        let written = that.get_ref().get(parsed.condition.span.clone());
        let text = written.unwrap_or(that.get_ref()).to_owned();
        Some(Expectation {
            what: entry.what.clone(),
            when: when?,
            stored_at: self.stored_at(&parsed.condition, that),
            condition: Condition::That(text, parsed.condition),
        })
    }

    /// Whether all that a condition asks for is there, and whether it can be true or false.
    pub(super) fn check_condition(&mut self, condition: &Expression, that: &Spanned<String>) {
        for source in condition.sources() {
            self.check_source(source, that);
        }
        self.check_is_truth(condition, that);
    }

    /// The file and the place in it of a value that is written out in a condition.
    fn stored_at(
        &self,
        condition: &Expression,
        that: &Spanned<String>,
    ) -> Option<(PathBuf, Range<usize>)> {
        let (_, stored) = condition.stored()?;
        let start = start_in(that.get_ref(), &that.span(), &self.read.text)?;
        let span = start + stored.span.start..start + stored.span.end;
        let source = self.sources.at(span.start);
        let own = span.start - source.start..span.end - source.start;
        Some((source.path.clone(), own))
    }

    pub(super) fn problem(&mut self, problem: Problem, that: &Spanned<String>) {
        let span = place_of(&problem, that.get_ref(), 0, &that.span(), &self.read.text);
        self.faults
            .push(Fault::new(span, problem.message, problem.fix));
    }

    /// Tells what is wrong with a part of a text.
    pub(super) fn problem_of(
        &mut self,
        part: &Expression,
        text: &Spanned<String>,
        message: impl Into<String>,
        fix: impl Into<String>,
    ) {
        self.problem(Problem::new(part.span.clone(), message, fix), text);
    }

    /// Whether there is such an entity, component, template or parameter.
    pub(super) fn check_source(&mut self, source: &Expression, that: &Spanned<String>) {
        let problem = match &source.kind {
            ExpressionKind::Path(path) => self.check_path(path),
            ExpressionKind::Question(Question::Count(template)) => {
                let is_known = self.templates.contains_key(template.as_str());
                let known = self.templates.keys().copied();
                (!is_known).then(|| self.not_among(template, "template", "templates", known))
            }
            ExpressionKind::Question(Question::Happens(event) | Question::Events(event)) => {
                let mut known = self.registry.event_names();
                let is_known = known.any(|known| known == event);
                let known = self.registry.event_names();
                (!is_known).then(|| self.not_among(event, "event", "registered events", known))
            }
            ExpressionKind::Question(Question::Control(control)) => {
                let known = self.document.controls.keys();
                let known = known.map(|name| name.get_ref().as_str());
                let is_known = known.clone().any(|known| known == control);
                let kinds = "names under `controls`";
                (!is_known).then(|| self.not_among(control, "control", kinds, known))
            }
            ExpressionKind::Question(Question::Counter(_)) => {
                // Which counters there are is known when a frame has run.
                self.asks_counters = true;
                None
            }
            ExpressionKind::Question(question) => {
                let entities = question.entities();
                let mut unknown = entities
                    .into_iter()
                    .filter(|name| !self.names.contains(*name));
                unknown.next().map(|name| self.unknown_entity(name))
            }
            _ => None,
        };
        if let Some((message, fix)) = problem {
            self.problem_of(source, that, message, fix);
        }
    }

    pub(super) fn unknown_entity(&self, name: &str) -> (String, String) {
        self.not_among(
            name,
            "entity",
            "names",
            self.names.iter().map(String::as_str),
        )
    }

    /// Says that a name is none of those that are known, and how to fix it.
    fn not_among<'n>(
        &self,
        name: &str,
        kind: &str,
        kinds: &str,
        known: impl Iterator<Item = &'n str>,
    ) -> (String, String) {
        let message = format!("unknown {kind} `{name}`");
        (message, self.suggest(name, kinds, known))
    }

    pub(super) fn check_path(&self, path: &Path) -> Option<(String, String)> {
        let base = path.base.as_str();
        let Some(component) = path.fields.first() else {
            let parameters = &self.read.parameters;
            if parameters.contains(base) || OF_THE_WORLD.contains(&base) {
                return None;
            }
            if let Some(function) = base.strip_suffix("()") {
                return Some((
                    format!("unknown function `{function}`"),
                    unknown_function(function),
                ));
            }
            if self.names.contains(base) {
                let message = format!("`{base}` is an entity and no value");
                return Some((
                    message,
                    format!("name something of it, such as `{base}.position.x`"),
                ));
            }
            let known = OF_THE_WORLD.into_iter().chain(parameters.all());
            return Some((
                format!("`{base}` stands for nothing"),
                self.suggest(base, "words and parameters", known),
            ));
        };
        if self.is_about_event && base == EVENT {
            return None;
        }
        if !self.names.contains(base) {
            return Some(self.unknown_entity(base));
        }
        let known = || OF_AN_ENTITY.into_iter().chain(self.registry.names());
        let is_known = known().any(|known| known == component);
        (!is_known).then(|| self.not_among(component, "component", "components", known()))
    }

    /// A condition that can only come to a number or a text is a slip.
    fn check_is_truth(&mut self, condition: &Expression, that: &Spanned<String>) {
        let is_number = match &condition.kind {
            ExpressionKind::Number(_)
            | ExpressionKind::Text(_)
            | ExpressionKind::Vector(_)
            | ExpressionKind::Negative(_)
            | ExpressionKind::Call(..)
            | ExpressionKind::Question(
                Question::Count(_)
                | Question::Contacts(_)
                | Question::Events(_)
                | Question::Control(_)
                | Question::Counter(_),
            ) => true,
            ExpressionKind::Binary(operator, ..) => operator.makes_numbers(),
            _ => false,
        };
        if is_number {
            let fix = "compare it with another, such as `= 3`";
            self.problem_of(condition, that, "this is a value, not a condition", fix);
        }
    }

    fn check_when_text(&mut self, when: &WhenText, that: &Spanned<String>) -> Option<When> {
        let frames = self.frames();
        Some(match when {
            WhenText::AtEnd => When::At(frames),
            WhenText::At(time) => When::At(self.frame_of(time, that)?),
            WhenText::By(time) => When::By(self.frame_of(time, that)?),
            WhenText::Always => When::During(0, frames),
            WhenText::Never => When::Never(frames),
            WhenText::For(time) => When::For(self.frame_of(time, that)?.max(1), frames),
            WhenText::During(from, to) => {
                let (first, last) = (self.frame_of(from, that)?, self.frame_of(to, that)?);
                if first > last {
                    let message = format!("frame {first} comes after frame {last}");
                    self.problem_of(from.number(), that, message, "swap the two");
                    return None;
                }
                When::During(first, last)
            }
        })
    }

    /// The frame of a time, within the scene.
    fn frame_of(&mut self, time: &Time, that: &Spanned<String>) -> Option<u64> {
        let number = time.number();
        let value = match number.value(&self.read.parameters) {
            Ok(Value::Number(value)) => value,
            Ok(_) => {
                self.problem_of(
                    number,
                    that,
                    "a time is a number",
                    "write one, such as `3 s`",
                );
                return None;
            }
            Err(problem) => {
                self.problem(problem, that);
                return None;
            }
        };
        let is_frame = matches!(time, Time::Frame(_));
        let wrong = if is_frame && (value.fract() != 0.0 || value < 0.0) {
            let message = format!("{value} is not a frame number");
            Some((message, "write a whole number of 0 or more"))
        } else if value < 0.0 {
            Some((
                format!("{value} s is before the scene begins"),
                "write 0 or more",
            ))
        } else {
            None
        };
        let frame = if is_frame {
            value as u64
        } else {
            self.frame_at(value)
        };
        match wrong.or_else(|| self.beyond_end(frame)) {
            None => Some(frame),
            Some((message, fix)) => {
                self.problem_of(number, that, message, fix);
                None
            }
        }
    }
}
