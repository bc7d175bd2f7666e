//! `gerust new`: a crate of one's own engine.

use crate::Verdict;
use crate::arguments::NewCommand;
use crate::failure::Failure;
use crate::output;
use std::fs;
use std::path::{Path, PathBuf};

/// The files of the crate, which is the example `own_engine` under another name. They are kept a second time among the assets, because
/// a package of this crate holds nothing from outside of its folder; a test sees to it that both are the same.
const FILES: [(&str, &str); 5] = [
    ("Cargo.toml", include_str!("../assets/new/manifest.toml")),
    ("src/lib.rs", include_str!("../assets/new/lib.rs")),
    ("src/main.rs", include_str!("../assets/new/main.rs")),
    ("scenes/dry.toml", include_str!("../assets/new/dry.toml")),
    ("tests/scenes.rs", include_str!("../assets/new/scenes.rs")),
];
/// The end of the manifest.
const OWN_WORKSPACE: &str = r#"
[workspace]

# Dependencies are optimized in debug builds too, because most of a frame is spent in them.
[profile.dev.package."*"]
opt-level = 2
"#;
/// The name of the example.
const EXAMPLE: &str = "own_engine";

pub(crate) fn run(command: &NewCommand) -> Verdict {
    let directory = &command.directory;
    let name = crate_name(directory)?;
    refuse_taken(directory)?;
    let sources = sources(command)?;
    for (path, text) in FILES {
        let path = directory.join(path);
        let cannot = |error: std::io::Error| {
            Failure::other(format!("{} cannot be written: {error}", path.display()))
        };
        if let Some(folder) = path.parent() {
            fs::create_dir_all(folder).map_err(cannot)?;
        }
        fs::write(&path, adapted(text, &name, &sources)).map_err(cannot)?;
    }
    let shown = directory.display();
    output::print(&format!(
        "{shown}: a crate of your own engine\n\n  cd {shown}\n  cargo test\n  cargo run -- run scenes/dry.toml\n"
    ))?;
    Ok(true)
}

/// The text of a file under the name of the new crate.
fn adapted(text: &str, name: &str, sources: &Sources) -> String {
    let [library, scenes, tool] = match sources {
        Sources::At(path) => {
            let path = path.display().to_string().replace('\\', "/");
            ["", "/scene", "/cli"].map(|folder| format!("path = \"{path}{folder}\""))
        }
        Sources::Published => {
            [(); 3].map(|()| format!("version = \"{}\"", env!("CARGO_PKG_VERSION")))
        }
    };
    let paths = text
        .replace("path = \"../..\"", &library)
        .replace("path = \"../../scene\"", &scenes)
        .replace("path = \"../../cli\"", &tool);
    let own_workspace = match paths.starts_with("[package]") {
        // Wherever the directory is, the crate is one by itself.
        true => OWN_WORKSPACE,
        false => "",
    };
    let package = format!("name = \"{EXAMPLE}\"");
    let renamed = paths.replace(&package, &format!("name = \"{name}\""));
    renamed.replace(EXAMPLE, &name.replace('-', "_")) + own_workspace
}

/// Keywords of the language, which cannot name a crate.
const KEYWORDS: &[&str] = &[
    "abstract", "as", "async", "await", "become", "box", "break", "const", "continue", "crate",
    "do", "dyn", "else", "enum", "extern", "false", "final", "fn", "for", "gen", "if", "impl",
    "in", "let", "loop", "macro", "match", "mod", "move", "mut", "override", "priv", "pub", "ref",
    "return", "self", "static", "struct", "super", "trait", "true", "try", "type", "typeof",
    "unsafe", "unsized", "use", "virtual", "where", "while", "yield",
];
/// Names of standard crates and of folders of the build.
const TAKEN: &[&str] = &[
    "alloc",
    "build",
    "core",
    "deps",
    "examples",
    "incremental",
    "proc_macro",
    "std",
    "test",
];
/// Whether some systems have a device of this name, which no file can have there.
fn is_device(name: &str) -> bool {
    let port = name
        .strip_prefix("com")
        .or_else(|| name.strip_prefix("lpt"));
    let is_port =
        port.is_some_and(|number| number.len() == 1 && number.as_bytes()[0].is_ascii_digit());
    is_port || ["aux", "con", "nul", "prn"].contains(&name)
}

/// Whether the new crate depends on a crate of this name, or is one of those of this project.
fn is_dependency(name: &str) -> bool {
    let manifest = FILES[0].1.lines();
    let mut lines = manifest.skip_while(|line| *line != "[dependencies]");
    name.starts_with("gerust") || lines.any(|line| line.split([' ', '.', '=']).next() == Some(name))
}

/// The name of the directory, if it can be that of a crate.
fn crate_name(directory: &Path) -> Result<String, Failure> {
    let name = directory.file_name().and_then(|name| name.to_str());
    let name = name.unwrap_or_default();
    let is_inside = |letter: char| {
        letter.is_ascii_lowercase() || letter.is_ascii_digit() || "_-".contains(letter)
    };
    let is_spelled =
        name.starts_with(|letter: char| letter.is_ascii_lowercase()) && name.chars().all(is_inside);
    // The name of the library of the crate.
    let library = name.replace('-', "_");
    let library = library.as_str();
    let reason = if !is_spelled {
        "use small letters, digits, `_` and `-`, a letter first"
    } else if KEYWORDS.contains(&library) {
        "it is a keyword of the language; choose another one"
    } else if TAKEN.contains(&library) || is_dependency(name) || is_dependency(library) {
        "another crate or a folder of the build has this name; choose another one"
    } else if is_device(library) {
        "some systems have a device of this name; choose another one"
    } else {
        return Ok(name.to_owned());
    };
    Err(Failure::other(format!(
        "`{name}` cannot be the name of a crate: {reason}"
    )))
}

/// Nothing that is there is written over.
fn refuse_taken(directory: &Path) -> Result<(), Failure> {
    let is_taken = match fs::read_dir(directory) {
        Ok(mut entries) => entries.next().is_some(),
        Err(_) => directory.exists(),
    };
    match is_taken {
        false => Ok(()),
        true => Err(Failure::other(format!(
            "{} is there already and not empty; name a new directory",
            directory.display()
        ))),
    }
}

/// Where the new crate finds the library and the tool.
enum Sources {
    At(PathBuf),
    /// In the registry, under the version of this tool.
    Published,
}

/// Those that are named, else those that this tool was built from if they are still there.
fn sources(command: &NewCommand) -> Result<Sources, Failure> {
    let built_from = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let wanted = command.gerust.as_ref().unwrap_or(&built_from);
    let is_there = wanted.join("cli/Cargo.toml").is_file();
    match (wanted.canonicalize(), &command.gerust) {
        (Ok(path), _) if is_there => Ok(Sources::At(path)),
        (_, None) => Ok(Sources::Published),
        (_, Some(given)) => Err(Failure::other(format!(
            "the sources of gerust are not in {}; say where they are by `--gerust DIR`",
            given.display()
        ))),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn valid_names_of_crates_are_distinguished() {
        let name = |path: &str| crate_name(Path::new(path)).ok();
        assert_eq!(name("some/where/my-engine").as_deref(), Some("my-engine"));
        assert_eq!(name("asyncs").as_deref(), Some("asyncs"));
        assert_eq!(name("harbor_2/").as_deref(), Some("harbor_2"));
        for bad in [
            "",
            "..",
            "Harbor",
            "harBor",
            "2harbor",
            "har bor",
            "gerust",
            "größe",
            "fn",
            "async",
            "gen",
            "proc-macro",
            "build",
            "deps",
            "serde",
            "gerust-cli",
            "gerust-scene",
            "gerust_cli",
            "aux",
            "com1",
            "-x",
            "_x",
        ] {
            assert_eq!(name(bad), None, "{bad}");
        }
    }

    #[test]
    fn files_get_the_new_name_and_paths() {
        let sources = Sources::At(PathBuf::from("/src/gerust"));
        let manifest = adapted(FILES[0].1, "my-engine", &sources);
        assert!(manifest.contains("name = \"my-engine\"") && manifest.ends_with(OWN_WORKSPACE));
        assert!(manifest.contains("path = \"/src/gerust\""), "{manifest}");
        for folder in ["scene", "cli"] {
            let path = format!("path = \"/src/gerust/{folder}\"");
            assert!(manifest.contains(&path), "{manifest}");
        }
        let main = adapted(FILES[2].1, "my-engine", &sources);
        assert!(
            main.contains("&[my_engine::fuel]") && !main.contains(EXAMPLE),
            "{main}"
        );
        let published = adapted(FILES[0].1, "my-engine", &Sources::Published);
        assert!(!published.contains("path ="), "{published}");
        assert_eq!(published.matches("version = \"0.1.0\"").count(), 4);
    }

    #[test]
    fn the_example_is_what_is_made() {
        let example = Path::new(env!("CARGO_MANIFEST_DIR")).join("../examples/own_engine");
        for (path, text) in FILES {
            let there = fs::read_to_string(example.join(path)).expect("it is part of the sources");
            assert!(
                there == text,
                "examples/own_engine/{path} and its copy in cli/assets/new differ"
            );
        }
    }
}
