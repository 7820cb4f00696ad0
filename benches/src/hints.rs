//! Previews with hints, against the same previews without.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, peak_of, rounds, time_of};
use std::path::{Path, PathBuf};
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
        let words = [pattern, "--with", template];
        let work = format!("`preview` with hints, against `--no-hints`: {name}");
        add(table, count, work, &place, &words, 1.1);
    }
}

/// A line, or a text, of 64 MiB in every hint: no work grows with its square.
pub fn hostile(table: &mut Table, count: usize) {
    const BYTES: usize = 64 << 20;
    let line = |name, part| corpus::one_line(name, part, BYTES);
    let cases: [(&str, PathBuf, &[&str]); 7] = [
        (
            "digits",
            line("hint-digits", "mark 12 "),
            &[r"\d+", "--with", "<$0>"],
        ),
        (
            "any character",
            line("hint-digits", "mark 12 "),
            &["k.1", "--with", "k-1"],
        ),
        (
            "another letter case",
            line("hint-case", "Mark mark "),
            &["mark", "--with", "sign"],
        ),
        (
            "a greedy repeat",
            line("hint-digits", "mark 12 "),
            &["m.*2", "--with", "x"],
        ),
        (
            "near misses",
            line("hint-digits", "mark 12 "),
            &[r"mark-(\d+)", "--with", "$1"],
        ),
        (
            "words that grow",
            line("hint-digits", "mark 12 "),
            &["mark", "--with", "a mark"],
        ),
        (
            "a whole text",
            corpus::log(BYTES as u64),
            &[r"\d+", "--with", "<$0>", "--unit", "text"],
        ),
    ];
    for (name, place, words) in cases {
        let work = format!("hostile hints: 64 MiB, {name}");
        add(table, count, work, &place, words, 1.5);
    }
}

/// Adds a preview with hints, against the same with `--no-hints`, as a row.
fn add(table: &mut Table, count: usize, work: String, place: &Path, words: &[&str], goal: f64) {
    let preview = |option: Option<&str>| {
        let mut command: Command = bquill();
        command.arg("preview").args(words).args(["--show", "0"]);
        command.args(option).arg(place);
        command
    };
    let without = || time_of(&mut preview(Some("--no-hints")));
    let pairs = rounds(count, without, || time_of(&mut preview(None)));
    let peak = peak_of(&mut preview(None));
    table.add(work, &Ratio::of(&pairs), goal, Some(peak));
}
