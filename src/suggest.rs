//! Suggestions of the nearest known name.

use crate::work;

/// How to fix an unknown name: the nearest known name first, and then the known names, at most twelve of them. O(known names).
///
/// # Example
///
/// ```
/// use gerust::suggest;
///
/// let ships = ["lighter", "barge", "tug"];
/// let fix = suggest("brage", "ships", ships);
/// assert_eq!(fix, "did you mean `barge`? the ships are `barge`, `lighter`, `tug`");
/// assert_eq!(suggest("raft", "ships", ships), "the ships are `barge`, `lighter`, `tug`");
/// assert_eq!(suggest("raft", "ships", []), "there are no ships");
/// ```
pub fn suggest<'n>(wrong: &str, what: &str, known: impl IntoIterator<Item = &'n str>) -> String {
    let mut known: Vec<&str> = known.into_iter().collect();
    known.sort_unstable();
    known.dedup();
    if known.is_empty() {
        return format!("there are no {what}");
    }
    let nearest = known
        .iter()
        .inspect(|_| work::step())
        .map(|name| (strsim::damerau_levenshtein(wrong, name), name))
        .filter(|&(distance, name)| distance <= (name.chars().count() / 3).max(2))
        .min()
        .or_else(|| holding(wrong, &known));
    let list = list_of(&known);
    match nearest {
        Some((_, name)) if known.len() > 1 => {
            format!("did you mean `{name}`? the {what} are {list}")
        }
        Some((_, name)) => format!("did you mean `{name}`?"),
        None => format!("the {what} are {list}"),
    }
}

/// The shortest known name that holds an unknown one, such as `standard: spin` for `spin`.
fn holding<'l, 'n>(wrong: &str, known: &'l [&'n str]) -> Option<(usize, &'l &'n str)> {
    let holds = |name: &&&str| wrong.chars().count() > 2 && name.contains(wrong);
    known
        .iter()
        .filter(holds)
        .map(|name| (name.len(), name))
        .min()
}

/// Names that a message lists at most.
const NAMES_LISTED: usize = 12;

fn list_of(names: &[&str]) -> String {
    let shown: Vec<String> = names
        .iter()
        .take(NAMES_LISTED)
        .map(|name| format!("`{name}`"))
        .collect();
    match names.len().checked_sub(NAMES_LISTED + 1) {
        Some(more) => format!("{} and {} more", shown.join(", "), more + 1),
        None => shown.join(", "),
    }
}

#[cfg(test)]
mod tests;
