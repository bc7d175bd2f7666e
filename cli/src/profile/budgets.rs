//! Budgets from the command line.

use crate::failure::Failure;
use gerust::suggest;
use gerust_scene::SceneRun;
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

pub(super) fn set(run: &mut SceneRun, budgets: &[BudgetOption]) -> Result<(), Failure> {
    for BudgetOption { system, budget } in budgets {
        let Some(system) = system else {
            run.runtime_mut().profiler_mut().set_budget(*budget);
            continue;
        };
        let schedule = run.runtime().schedule();
        if schedule.system(system).is_none() {
            let fix = suggest(
                system,
                "systems",
                schedule.systems().map(|system| system.name()),
            );
            return Err(Failure::other(format!(
                "unknown system `{system}` in a budget; {fix}"
            )));
        }
        run.runtime_mut()
            .profiler_mut()
            .set_budget_of(system, *budget);
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
