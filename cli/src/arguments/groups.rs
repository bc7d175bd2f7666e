//! The list of commands in the order of the work, instead of one long list.

use clap::Command;
use std::fmt::Write;

/// The commands by what they are for.
const GROUPS: [(&str, &[&str]); 4] = [
    ("Run and check", &["run", "check", "compare", "shrink"]),
    ("Look and ask", &["watch", "inspect", "draw", "explain"]),
    ("Measure", &["profile", "report"]),
    (
        "Make and exchange",
        &["new", "import", "export", "schema", "help"],
    ),
];

/// Columns for the names of commands, and in all.
const NAME: usize = 9;
const WIDTH: usize = 80;

/// The same command, whose help lists its commands in groups.
pub(crate) fn grouped(command: Command) -> Command {
    let mut built = command.clone();
    // Only then it has the command `help`.
    built.build();
    let header = command.get_styles().get_header();
    let literal = command.get_styles().get_literal();
    let mut list = String::new();
    for (title, names) in GROUPS {
        // Writing to a string does not fail.
        let _ = writeln!(list, "\n{header}{title}:{header:#}");
        for name in names {
            let about = built
                .find_subcommand(name)
                .and_then(Command::get_about)
                .map_or_else(String::new, ToString::to_string);
            let indent = " ".repeat(NAME + 2);
            let options = textwrap::Options::new(WIDTH)
                .initial_indent(&indent)
                .subsequent_indent(&indent)
                .word_splitter(textwrap::WordSplitter::NoHyphenation);
            let about = textwrap::fill(&about, options);
            let _ = writeln!(
                list,
                "  {literal}{name}{literal:#}{:gap$}{}",
                "",
                about.trim_start(),
                gap = NAME - name.len()
            );
        }
    }
    let template = format!(
        "{{about-with-newline}}\n{{usage-heading}} {{usage}}\n{list}\n{header}Options:{header:#}\n{{options}}{{after-help}}"
    );
    command.help_template(template)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::arguments::Arguments;
    use clap::CommandFactory;

    #[test]
    fn every_command_that_is_shown_is_in_one_group() {
        let mut command = Arguments::command();
        command.build();
        let mut shown: Vec<&str> = command
            .get_subcommands()
            .filter(|known| !known.is_hide_set())
            .map(Command::get_name)
            .collect();
        let mut listed: Vec<&str> = GROUPS
            .iter()
            .flat_map(|(_, names)| *names)
            .copied()
            .collect();
        shown.sort_unstable();
        listed.sort_unstable();
        assert_eq!(shown, listed);
        assert!(listed.iter().all(|name| name.len() < NAME), "{listed:?}");
    }
}
