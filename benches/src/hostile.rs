//! Patterns and texts made to be slow, against plain iteration over the lines.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, floor, peak_of, rounds, time_of};
use regex_automata::meta::Regex;
use std::fs;
use std::path::{Path, PathBuf};

const BYTES: u64 = 40_000_000;

const PLAIN: &str = "gauge L2 at the old pier 14, read twice by Corran Light\n";
const ACCENTS: &str = "die Fähre am pier 4 fährt, señal über 3\nno pier1 here 44\n";
const WORDS: &str = "two levels and their marks at the quay\n";
const SHORT: &str = "a\n\nb\n";

/// Measures each case.
pub fn run(table: &mut Table, count: usize) {
    let log = || corpus::log(BYTES);
    let lines = |name, text| corpus::lines(name, text, BYTES);
    let line = |name, part| corpus::one_line(name, part, BYTES as usize / 2);
    let cases: [(&str, &str, PathBuf); 12] = [
        ("what cannot follow, after a long run", r"[^x]*QX-\d", log()),
        ("a line end", r"\d+$", lines("plain", PLAIN)),
        (
            "words up to a line end",
            r"\b\w+ \d+$",
            lines("plain", PLAIN),
        ),
        (
            "a word among accents",
            r"\bpier\b \d",
            lines("accents", ACCENTS),
        ),
        (
            "candidates that never match",
            r"\blevel\b",
            lines("words", WORDS),
        ),
        ("all of a line", ".+", log()),
        ("every character", ".", log()),
        ("often nothing", "x*", lines("words", WORDS)),
        ("short lines", "^b$", lines("short", SHORT)),
        (
            "one line, no match",
            r"[^x]*QX-\d",
            line("one-line", "mark 12 "),
        ),
        (
            "one line, many matches",
            r"\d+",
            line("one-line", "mark 12 "),
        ),
        (
            "one line, a long match",
            r"m.*\d",
            line("one-line", "mark 12 "),
        ),
    ];
    for (name, pattern, text) in cases {
        let ours = || {
            let mut command = bquill();
            // As many threads as the floor has.
            command.args(["find", pattern, "--count", "--threads", "1"]);
            command.arg(&text);
            command
        };
        let bare = || time_of(floor("lines").arg(pattern).arg(&text));
        let pairs = rounds(count, bare, || time_of(&mut ours()));
        let peak = peak_of(&mut ours());
        let work = format!("hostile: {name}, `{}`", pattern.replace('|', r"\|"));
        table.add(work, &Ratio::of(&pairs), 3.0, Some(peak));
    }
}

/// Makes a text of about this many parts.
type Make = fn(usize) -> String;

/// Hostile inputs: ten times the text against ten times the time.
pub fn growth(table: &mut Table, count: usize) {
    let json = |n: usize| {
        let members: Vec<String> = (0..n)
            .map(|i| format!("\"key{i}\":\"level {i}\""))
            .collect();
        format!("{{{}}}\n", members.join(","))
    };
    let wide = |n: usize| {
        let row = |name: &str| {
            (0..n)
                .map(|i| format!("{name}{i}"))
                .collect::<Vec<_>>()
                .join(",")
        };
        format!("{}\n{}\n", row("c"), row("level "))
    };
    let quoted = |n: usize| format!("a,b\n\"{}\",2\n", "mark 1 \"\"x\"\" ".repeat(n));
    let cases: [(&str, &[&str], &str, usize, Make); 8] = [
        (
            "blocks on one line",
            &["find", ".", "--between", "a", "b", "--count"],
            "txt",
            20_000,
            |n| "a x b y ".repeat(n) + "\n",
        ),
        (
            "problems",
            &[
                "preview",
                "x",
                "--with",
                "${0 | add 1}",
                "--show",
                "0",
                "--skip-problems",
            ],
            "txt",
            40_000,
            |n| "quay x7\n".repeat(n),
        ),
        (
            "lines that are not as --ensure asks",
            &[
                "preview", "quay", "--with", "pier", "--ensure", "^east", "--show", "0",
            ],
            "txt",
            40_000,
            |n| "quay x7\n".repeat(n),
        ),
        (
            "keys of one object",
            &[
                "preview",
                "level",
                "--with",
                "mark",
                "--columns",
                "1..",
                "--show",
                "0",
            ],
            "jsonl",
            30_000,
            json,
        ),
        (
            "columns beside each other",
            &["extract", "level", "--columns", "c1", "--wide", "--beside"],
            "csv",
            20_000,
            wide,
        ),
        (
            "matches within one quoted cell",
            &["find", "mark", "--columns", "a", "--json"],
            "csv",
            20_000,
            quoted,
        ),
        (
            "changes shown on one line",
            &["preview", "\\r", "--with", "\\n", "--show", "1"],
            "txt",
            6_000,
            |n| "mark 12\r".repeat(n),
        ),
        (
            "changes of one line",
            &["preview", "\\r", "--with", "\\n", "--show", "0"],
            "txt",
            400_000,
            |n| "mark 12\r".repeat(n),
        ),
    ];
    for (name, args, ending, parts, make) in cases {
        let text = |parts: usize| {
            let file = format!("{}-{parts}.{ending}", name.replace(' ', "-"));
            let place = corpus::folder().join(file);
            fs::write(&place, make(parts)).expect("space");
            place
        };
        let (small, large) = (text(parts), text(parts * 10));
        let command = |text: &Path| {
            let mut command = bquill();
            command.args(args).arg(text);
            command
        };
        let ten_times = || time_of(&mut command(&small)) * 10;
        let pairs = rounds(count, ten_times, || time_of(&mut command(&large)));
        let peak = peak_of(&mut command(&large));
        let work = format!("hostile: ten times the {name}");
        table.add(work, &Ratio::of(&pairs), 3.0, Some(peak));
    }
}

/// The floor: every line is searched on its own.
pub fn bare(pattern: &str, text: &Path) {
    let regex = Regex::new(pattern).expect("a pattern");
    let text = fs::read(text).expect("a text");
    let mut found = 0;
    let mut at = 0;
    while at < text.len() {
        let end = memchr::memchr(b'\n', &text[at..]).map_or(text.len(), |end| at + end);
        found += regex.find_iter(&text[at..end]).count();
        at = end + 1;
    }
    println!("{found}");
}
