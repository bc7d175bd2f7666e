//! Budgets from the command line.

use crate::failure::Failure;
use gerust::Runtime;
use gerust::profile::{Category, Statistic};
use gerust::suggest;
use std::str::FromStr;
use std::time::Duration;

/// The longest time that a frame or a system should take.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct BudgetOption {
    /// The frame if there is none.
    system: Option<String>,
    budget: Duration,
}

impl FromStr for BudgetOption {
    type Err = String;

    /// `MS`, or `SYSTEM=MS`. Names may hold any sign, so the last `=` counts.
    fn from_str(text: &str) -> Result<Self, String> {
        let (system, number) = match text.rsplit_once('=') {
            Some((system, number)) => (Some(system.trim().to_owned()), number),
            None => (None, text),
        };
        let milliseconds = number.trim().parse::<f64>().ok();
        let budget = milliseconds
            .filter(|&milliseconds| milliseconds > 0.0)
            .and_then(|milliseconds| Duration::try_from_secs_f64(milliseconds / 1e3).ok());
        match budget {
            Some(budget) => Ok(Self { system, budget }),
            None => Err(String::from(
                "write milliseconds above 0, such as 8.3, or a system with its own, such as \"move: bodies=2\"",
            )),
        }
    }
}

/// Sets budgets. A system may be one of the schedule, or one whose times are in the profile.
pub(crate) fn set(runtime: &mut Runtime, budgets: &[BudgetOption]) -> Result<(), Failure> {
    for BudgetOption { system, budget } in budgets {
        let Some(system) = system else {
            runtime.profiler_mut().set_budget(*budget);
            continue;
        };
        let measured = runtime.profiler().statistics();
        let measured = measured
            .iter()
            .filter(|measured| measured.category() == Category::System);
        let scheduled = runtime.schedule().systems().map(|system| system.name());
        let known: Vec<&str> = scheduled.chain(measured.map(Statistic::name)).collect();
        if !known.contains(&system.as_str()) {
            let fix = suggest(system, "systems", known);
            return Err(Failure::other(format!(
                "unknown system `{system}` in a budget; {fix}"
            )));
        }
        runtime.profiler_mut().set_budget_of(system, *budget);
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn budgets_are_read() {
        let read = |text: &str| {
            text.parse::<BudgetOption>()
                .ok()
                .map(|option| (option.system, option.budget))
        };
        let millis = Duration::from_millis;
        assert_eq!(read("8"), Some((None, millis(8))));
        assert_eq!(
            read("move: bodies = 2"),
            Some((Some("move: bodies".into()), millis(2)))
        );
        assert_eq!(read("a=b=3"), Some((Some("a=b".into()), millis(3))));
        for bad in ["", "=", "x=", "-1", "0", "nan", "inf", "1e40", "eight"] {
            assert_eq!(read(bad), None, "{bad}");
        }
    }
}
