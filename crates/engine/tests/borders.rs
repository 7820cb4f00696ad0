//! The borders between crates and modules, as the sources are.

use std::path::{Path, PathBuf};

/// The source files of a crate, with their text.
fn sources(of: &str) -> Vec<(PathBuf, String)> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("..")
        .join(of)
        .join("src");
    let (mut folders, mut files) = (vec![root], Vec::new());
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            match path.is_dir() {
                true => folders.push(path),
                false => {
                    let text = std::fs::read_to_string(&path).unwrap();
                    files.push((path, text));
                }
            }
        }
    }
    assert!(!files.is_empty());
    files
}

/// Nothing below the fronts knows a front's means: arguments, terminals, printing.
#[test]
fn no_front_below() {
    for (of, words) in [
        (
            "core",
            &[
                "ratatui",
                "crossterm",
                "println!",
                "std::fs",
                "std::io::stdout",
            ][..],
        ),
        (
            "files",
            &["clap", "ratatui", "crossterm", "println!", "stdout()"],
        ),
        (
            "engine",
            &[
                "clap",
                "ratatui",
                "crossterm",
                "println!",
                "stdout()",
                "stderr()",
            ],
        ),
    ] {
        for (path, text) in sources(of) {
            for word in words {
                assert!(!text.contains(word), "{word} in {}", path.display());
            }
        }
    }
}

/// Nothing is imported through the root of a crate: the path of an import is the place where the
/// item is defined.
#[test]
fn no_import_through_a_root() {
    for of in ["core", "files", "engine", "cli"] {
        for (path, text) in sources(of) {
            for line in text.lines().map(str::trim_start) {
                let path_of = line.strip_prefix("use crate::").or_else(|| {
                    let rest = line.strip_prefix("use brisk_quill_")?;
                    rest.split_once("::").map(|(_, rest)| rest)
                });
                let first = path_of.and_then(|rest| rest.chars().next());
                let is_item = first.is_some_and(|c| c.is_uppercase() || c == '{');
                let is_modules = path_of.is_some_and(|rest| {
                    let names = rest.trim_start_matches('{').split(',');
                    names
                        .into_iter()
                        .all(|name| name.trim().starts_with(char::is_lowercase))
                });
                assert!(!is_item || is_modules, "{line} in {}", path.display());
            }
            let reexports = text
                .lines()
                .filter(|line| line.starts_with("pub use crate::"));
            assert_eq!(reexports.count(), 0, "{}", path.display());
        }
    }
}
