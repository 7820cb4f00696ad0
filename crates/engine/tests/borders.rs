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

const CRATES: [&str; 6] = ["core", "files", "engine", "infer", "serve", "cli"];

/// Nothing below the fronts knows a front's means: arguments, terminals, printing; nor does it infer.
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
                "brisk_quill_infer",
            ][..],
        ),
        (
            "files",
            &[
                "clap",
                "ratatui",
                "crossterm",
                "println!",
                "brisk_quill_infer",
            ],
        ),
        (
            "infer",
            &["clap", "ratatui", "crossterm", "println!", "std::fs"],
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
                "brisk_quill_infer",
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

/// The environment, the clock and the current folder are known to one room of the front, which hands them over. Who
/// the user is only the file system asks, since the kernel judges by the process, and not by what a host says.
#[test]
fn one_room_knows_the_process() {
    let words = [
        "std::env::",
        "current_dir()",
        "set_current_dir",
        "SystemTime::now",
        "UNIX_EPOCH",
    ];
    let of_user = ["getuid(", "geteuid(", "getgroups("];
    for of in CRATES {
        for (path, text) in sources(of) {
            let is_room = of == "cli" && path.ends_with("src/host.rs");
            for word in words {
                let holds = text.contains(word);
                assert!(!holds || is_room, "{word} in {}", path.display());
            }
            let is_fs = of == "files" && path.ends_with("fs/real.rs");
            let asks = of_user.iter().find(|word| text.contains(**word));
            assert!(asks.is_none() || is_fs, "{asks:?} in {}", path.display());
        }
    }
}

/// Nothing is imported through the root of a crate: the path of an import is the place where the
/// item is defined.
#[test]
fn no_import_through_a_root() {
    for of in CRATES {
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

/// The paths that a `use` tree names, without its last segments that are items.
fn imports(tree: &str) -> Vec<String> {
    let Some((head, rest)) = tree.split_once('{') else {
        return vec![tree.trim().to_owned()];
    };
    let inner = rest.rsplit_once('}').map_or(rest, |(inner, _)| inner);
    let (mut depth, mut parts, mut part) = (0, Vec::new(), String::new());
    for c in inner.chars() {
        depth += match c {
            '{' => 1,
            '}' => -1,
            _ => 0,
        };
        match c {
            ',' if depth == 0 => parts.push(std::mem::take(&mut part)),
            c => part.push(c),
        }
    }
    parts.push(part);
    let named = parts.iter().filter(|part| !part.trim().is_empty());
    named
        .flat_map(|part| imports(&format!("{}{}", head.trim(), part.trim())))
        .collect()
}

/// True if `path` is in a line with nothing in front of it that would make it another path.
fn starts_a_path(line: &str, path: &str) -> bool {
    line.match_indices(path)
        .any(|(at, _)| !line[..at].ends_with(|c: char| c.is_alphanumeric() || c == '_' || c == ':'))
}

/// No file imports from a file that imports from it, by whatever way round.
#[test]
fn no_circle_of_imports() {
    for of in CRATES {
        let files = sources(of);
        let root = files
            .iter()
            .map(|(path, _)| path)
            .find(|path| path.ends_with("lib.rs"));
        let root = root.unwrap().parent().unwrap().to_owned();
        let module = |path: &Path| {
            let below = path.strip_prefix(&root).unwrap().with_extension("");
            below.to_string_lossy().replace('/', "::")
        };
        let names: Vec<String> = files.iter().map(|(path, _)| module(path)).collect();
        let arrows = |own: &str, text: &str| {
            let code = text
                .split("\n#[cfg(test)]\nmod tests")
                .next()
                .unwrap()
                .to_owned();
            let uses = code.split("\nuse crate::").skip(1);
            let trees = uses
                .filter_map(|rest| rest.split_once(';'))
                .map(|(tree, _)| tree.to_owned());
            let mut paths: Vec<String> = trees.flat_map(|tree| imports(&tree)).collect();
            // A file also leads to those below it that it names, as in `letters::FILTERS`.
            let lines = code
                .lines()
                .filter(|line| !line.trim_start().starts_with("//"));
            let lines: Vec<&str> = lines.collect();
            let is_named = |below: &&str| {
                let path = format!("{below}::");
                lines.iter().any(|line| starts_a_path(line, &path))
            };
            let below = names
                .iter()
                .filter_map(|name| name.strip_prefix(&format!("{own}::")));
            let below = below.filter(|below| !below.contains("::")).filter(is_named);
            paths.extend(below.map(|below| format!("{own}::{below}")));
            // The longest name of a file that is a prefix of the path.
            let file = |path: &String| {
                let is_prefix =
                    |name: &&String| *path == **name || path.starts_with(&format!("{name}::"));
                let longest = names.iter().filter(is_prefix).max_by_key(|name| name.len());
                longest.and_then(|name| names.iter().position(|other| other == name))
            };
            paths.iter().filter_map(file).collect::<Vec<_>>()
        };
        let graph: Vec<Vec<usize>> = files
            .iter()
            .map(|(path, text)| arrows(&module(path), text))
            .collect();
        assert!(graph.iter().map(Vec::len).sum::<usize>() > 20, "{of}");
        // A file whose imports have all been taken away is on no circle.
        let mut left: Vec<usize> = (0..graph.len()).collect();
        loop {
            let before = left.len();
            let still = left.clone();
            left.retain(|file| {
                graph[*file]
                    .iter()
                    .any(|to| to != file && still.contains(to))
            });
            if left.len() == before {
                break;
            }
        }
        let circle: Vec<&String> = left.iter().map(|file| &names[*file]).collect();
        assert!(circle.is_empty(), "{of}: on or before a circle: {circle:?}");
    }
}
