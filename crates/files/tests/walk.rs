//! Files are found in the order of their paths, each once, however many threads walk.

use brisk_quill_files::discover::{Search, discover};
use brisk_quill_files::source::Source;
use proptest::prelude::*;
use std::collections::HashSet;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// Names whose order depends on what a `/` counts.
const NAMES: [&str; 9] = [
    "a", "a.txt", "a-b", "a b", "B", "é", "a!", "quay", "a.txt.d",
];

/// All files below `folder`, with their inodes, in any order.
fn all_below(folder: &Path) -> Vec<(PathBuf, u64)> {
    let entries = std::fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap());
    let below = |entry: std::fs::DirEntry| match entry.file_type().unwrap() {
        kind if kind.is_dir() => all_below(&entry.path()),
        kind if kind.is_file() => vec![(entry.path(), entry.metadata().unwrap().ino())],
        _ => Vec::new(),
    };
    entries.flat_map(below).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn every_file_once_in_order(
        files in prop::collection::vec((prop::collection::vec(0..NAMES.len(), 1..4), 0..8u8), 1..25),
        named in prop::collection::vec(0..25usize, 0..3),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let mut made: Vec<PathBuf> = Vec::new();
        for (names, kind) in files {
            let path: PathBuf = names.iter().map(|name| NAMES[*name]).collect();
            let path = folder.path().join(path);
            // What is a file cannot be a folder too.
            if std::fs::create_dir_all(path.parent().unwrap()).is_err() || path.exists() {
                continue;
            }
            match (kind, made.last()) {
                (0, Some(other)) => std::fs::hard_link(other, &path).unwrap(),
                (1, Some(other)) => std::os::unix::fs::symlink(other, &path).unwrap(),
                _ => {
                    std::fs::write(&path, "quay\n").unwrap();
                    made.push(path);
                }
            }
        }
        // Some are also named, before the folder and in any order.
        let mut paths: Vec<PathBuf> = named.iter().filter_map(|i| made.get(*i).cloned()).collect();
        paths.push(folder.path().to_owned());
        let listing = discover(&paths, None, &Search::default());
        prop_assert!(listing.problems.is_empty());

        let mut all = all_below(folder.path());
        all.sort();
        let mut seen = HashSet::new();
        all.retain(|(_, inode)| seen.insert(*inode));
        let wanted: Vec<Source> = all.into_iter().map(|(path, _)| Source::file(path)).collect();
        prop_assert_eq!(listing.sources, wanted);
    }
}
