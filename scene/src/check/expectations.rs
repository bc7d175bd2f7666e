//! Checks expectations.

use super::{Checker, milliseconds};
use crate::document::{BudgetEntry, CountEntry, ExpectEntry};
use crate::expect::{Condition, Expectation, When};
use toml::Spanned;

/// How far from a place an entity may be unless the file says otherwise, in metres.
const DEFAULT_WITHIN: f32 = 0.001;
/// The default percentage of frames within the budget.
const DEFAULT_PERCENTILE: u32 = 95;

impl<'d> Checker<'d> {
    pub(super) fn check_expectation(
        &mut self,
        entry: &'d Spanned<ExpectEntry>,
    ) -> Option<Expectation> {
        self.enter(entry);
        let expectation = entry.get_ref();
        if let Some(that) = &expectation.that {
            return self.check_that(expectation, that);
        }
        let when = self.check_when(entry);
        let condition = self.check_keyed_condition(entry);
        Some(Expectation {
            what: expectation.what.clone(),
            when: when?,
            condition: condition?,
            stored_at: None,
        })
    }

    fn check_when(&mut self, entry: &'d Spanned<ExpectEntry>) -> Option<When> {
        let expectation = entry.get_ref();
        let mut times = Vec::new();
        if let Some(frame) = &expectation.frame {
            times.push(When::At(self.check_frame(frame, *frame.get_ref(), 0)));
        }
        if let Some(time) = &expectation.time {
            times.push(When::At(self.frame_of_time(time, 0)));
        }
        if let Some(frame) = &expectation.by_frame {
            times.push(When::By(self.check_frame(frame, *frame.get_ref(), 0)));
        }
        if let Some(time) = &expectation.by_time {
            times.push(When::By(self.frame_of_time(time, 0)));
        }
        if times.len() != 1 && !self.was_at_fault(&["frame", "time", "by-frame", "by-time"]) {
            self.fault(
                entry,
                format!("this expectation has {} times", times.len()),
                "give it exactly one of `frame`, `time`, `by-frame`, `by-time`",
            );
        }
        times.pop()
    }

    fn check_keyed_condition(&mut self, entry: &'d Spanned<ExpectEntry>) -> Option<Condition> {
        let expectation = entry.get_ref();
        let mut conditions = Vec::new();
        if let Some([a, b]) = &expectation.touching {
            let (a, b) = self.check_pair(a, b);
            conditions.push(Condition::Touching(a, b));
        }
        if let Some([a, b]) = &expectation.apart {
            let (a, b) = self.check_pair(a, b);
            conditions.push(Condition::Apart(a, b));
        }
        if let Some(position) = &expectation.position {
            self.check_name(&position.entity);
            if let Some(within) = &position.within
                && *within.get_ref() < 0.0
            {
                let message = format!("nothing is within {} m", within.get_ref());
                self.fault(within, message, "write 0 or more");
            }
            conditions.push(Condition::Position {
                entity: position.entity.get_ref().clone(),
                is: position.is.into(),
                within: position
                    .within
                    .as_ref()
                    .map_or(DEFAULT_WITHIN, |within| *within.get_ref()),
            });
        }
        if let Some(count) = &expectation.count {
            conditions.push(self.check_count(count));
        }
        if let Some(budget) = &expectation.budget {
            conditions.push(self.check_time(expectation, budget));
        }
        let keys = ["touching", "apart", "position", "count", "budget"];
        if conditions.len() != 1 && !self.was_at_fault(&keys) {
            self.fault(
                entry,
                format!("this expectation has {} conditions", conditions.len()),
                "give it exactly one of `touching`, `apart`, `position`, `count`, `budget`",
            );
        }
        conditions.pop()
    }

    fn check_time(&mut self, expectation: &ExpectEntry, entry: &Spanned<BudgetEntry>) -> Condition {
        let budget = entry.get_ref();
        if expectation.by_frame.is_some() || expectation.by_time.is_some() {
            self.fault(
                entry,
                "a budget is kept over all frames, not in some frame",
                "give it `frame` or `time`",
            );
        }
        let percentile = budget.percentile.as_ref();
        if let Some(percentile) = percentile
            && !(1..=100).contains(percentile.get_ref())
        {
            let message = format!("{} % is no share of the frames", percentile.get_ref());
            self.fault(percentile, message, "write a whole number from 1 to 100");
        }
        if let Some(at_most) = &budget.at_most_ms {
            self.check_budget(at_most);
        }
        let at_most = budget.at_most_ms.as_ref();
        Condition::Budget {
            of: budget.of.clone(),
            percentile: percentile.map_or(DEFAULT_PERCENTILE, |percent| *percent.get_ref()),
            at_most: at_most.and_then(|at_most| milliseconds(*at_most.get_ref())),
        }
    }

    fn check_pair(&mut self, a: &Spanned<String>, b: &Spanned<String>) -> (String, String) {
        self.check_name(a);
        self.check_name(b);
        if a.get_ref() == b.get_ref() {
            let message = format!("`{}` is named twice", a.get_ref());
            self.fault(b, message, "nothing touches itself: name two entities");
        }
        (a.get_ref().clone(), b.get_ref().clone())
    }

    fn check_count(&mut self, entry: &Spanned<CountEntry>) -> Condition {
        let count = entry.get_ref();
        if let Some(template) = &count.template
            && !self.templates.contains_key(template.get_ref().as_str())
        {
            let known: Vec<&str> = self.templates.keys().copied().collect();
            self.unknown(template, "template", "templates", known.into_iter());
        }
        let has_bounds = count.at_least.is_some() || count.at_most.is_some();
        if count.is.is_some() == has_bounds {
            self.fault(
                entry,
                "this count has no bound, or too many",
                "give it `is`, or `at-least` and `at-most`",
            );
        }
        let at_least = count.is.or(count.at_least).unwrap_or(0);
        let at_most = count.is.or(count.at_most).unwrap_or(u64::MAX);
        if at_least > at_most {
            self.fault(
                entry,
                format!("no count is at least {at_least} and at most {at_most}"),
                "swap the two",
            );
        }
        Condition::Count {
            template: count
                .template
                .as_ref()
                .map(|template| template.get_ref().clone()),
            at_least,
            at_most,
        }
    }
}
