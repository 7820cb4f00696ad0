//! A table of thousands of pairs over a tree of files.
//!
//! The floor walks with the same library, reads the same files on as many threads, and runs one search for
//! all old texts over each file as a whole.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, floor, peak_of, rounds, time_of};
use crate::tree::{each, files};
use aho_corasick::{AhoCorasick, MatchKind};
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

const FILES: usize = 15_000;
const ROWS: usize = 5_000;

/// Measures it.
pub fn run(table: &mut Table, count: usize) {
    let (tree, pairs) = (corpus::tree(FILES), pairs());
    for (name, option, goal) in [
        ("", None, 1.6),
        (", whole words", Some("--whole-word"), 2.5),
    ] {
        let ours = || {
            let mut command = bquill();
            command.arg("preview").arg("--pairs").arg(&pairs);
            command.args(option).args(["--show", "0"]).arg(&tree);
            command
        };
        let bare = || time_of(floor("pairs").arg(&pairs).arg(&tree));
        let ratios = rounds(count, bare, || time_of(&mut ours()));
        let peak = peak_of(&mut ours());
        let work = format!("`preview --pairs` of 5,000 rows over the tree{name}");
        table.add(work, &Ratio::of(&ratios), goal, Some(peak));
    }
}

/// A table of old and new texts, of which few are met.
fn pairs() -> PathBuf {
    let path = corpus::folder().join("pairs.csv");
    let rows = (0..ROWS).map(|n| format!("berth {n},B-{n}\n"));
    fs::write(&path, rows.collect::<String>()).expect("space");
    path
}

/// The floor: the old texts are searched for, and counted.
pub fn bare(table: &Path, root: &Path) {
    let table = fs::read_to_string(table).expect("a table");
    let olds = table.lines().filter_map(|line| line.split(',').next());
    let search = AhoCorasick::builder()
        .match_kind(MatchKind::LeftmostLongest)
        .build(olds)
        .expect("a search");
    let found = AtomicU64::new(0);
    each(&files(root), |_, text| {
        let matches = search.find_iter(text).count();
        found.fetch_add(matches as u64, Ordering::Relaxed);
    });
    println!("{}", found.into_inner());
}
