//! Previews with hints, against the same previews without.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, peak_of, rounds, time_of};
use std::path::PathBuf;
use std::process::Command;

const FILES: usize = 15_000;
const SMALL_FILES: usize = 17_000;
const LOG: u64 = 200_000_000;

/// Measures each case.
pub fn run(table: &mut Table, count: usize) {
    let cases: [(&str, PathBuf, &str, &str); 5] = [
        ("a tree", corpus::tree(FILES), r"berth (\d+)", "B-$1"),
        (
            "a tree, a word",
            corpus::tree(FILES),
            "harbourmaster",
            "pilot",
        ),
        (
            "small files",
            corpus::sources(SMALL_FILES),
            r"berth (\d+)",
            "B-$1",
        ),
        (
            "small files, many matches",
            corpus::sources(SMALL_FILES),
            r"fn (\w+)",
            "def $1",
        ),
        (
            "a log, every line changes",
            corpus::log(LOG),
            r"level (\d+)\.(\d\d)",
            "level $1,$2",
        ),
    ];
    for (name, place, pattern, template) in cases {
        let preview = |option: Option<&str>| {
            let mut command: Command = bquill();
            command.args(["preview", pattern, "--with", template, "--show", "0"]);
            command.args(option).arg(&place);
            command
        };
        let without = || time_of(&mut preview(Some("--no-hints")));
        let pairs = rounds(count, without, || time_of(&mut preview(None)));
        let peak = peak_of(&mut preview(None));
        let work = format!("`preview` with hints, against `--no-hints`: {name}");
        table.add(work, &Ratio::of(&pairs), 1.1, Some(peak));
    }
}
