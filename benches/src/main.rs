//! Speed, as a ratio to a floor in the same run. Not a test: times differ from machine to
//! machine, ratios less so.
//!
//! ```text
//! cargo build --profile dist --workspace
//! cargo run --profile dist -p brisk-quill-benches -- [--rounds N] [BENCH…]
//! ```
//!
//! Each floor is a bare program on the same libraries that does nothing else. The corpora are
//! made at the first run, 2 GB in all, and kept beside the program.

mod columns;
mod containers;
mod corpus;
mod document;
mod draft;
mod hints;
mod hostile;
mod infer;
mod journal;
mod log;
mod measure;
mod pairs;
mod startup;
mod tree;

use crate::measure::Table;
use std::path::Path;

const ALL: [&str; 16] = [
    "tree",
    "small-files",
    "json",
    "hints",
    "pairs",
    "apply-tree",
    "log",
    "columns",
    "rows",
    "document",
    "containers",
    "journal",
    "hostile",
    "startup",
    "draft",
    "infer",
];

fn main() {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    match words[..] {
        ["floor", ref rest @ ..] => floor(rest),
        ["--rounds", rounds, ref benches @ ..] => {
            measure(rounds.parse().expect("a number of rounds"), benches);
        }
        _ => measure(7, &words),
    }
}

/// Measures what is named, or everything.
fn measure(rounds: usize, benches: &[&str]) {
    let mut table = Table::begin();
    let table = &mut table;
    for bench in if benches.is_empty() { &ALL } else { benches } {
        match *bench {
            "tree" => tree::look(table, rounds),
            "small-files" => tree::look_at_small(table, rounds),
            "json" => log::json(table, rounds, 200_000),
            "hints" => hints::run(table, rounds),
            "pairs" => pairs::run(table, rounds),
            "apply-tree" => tree::apply(table, rounds),
            "log" => log::apply(table, rounds, 1_000_000_000),
            "columns" => columns::measure(table, rounds, 500_000_000),
            "rows" => columns::beside(table, rounds, 200_000_000),
            "document" => document::run(table, rounds, 500_000_000),
            "containers" => containers::run(table, rounds),
            "journal" => journal::run(table, rounds),
            "hostile" => {
                hostile::run(table, rounds);
                hostile::growth(table, rounds);
                hints::hostile(table, rounds);
            }
            "hostile-hints" => hints::hostile(table, rounds),
            "growth" => hostile::growth(table, rounds),
            "startup" => startup::run(table, rounds),
            "draft" => draft::run(table, rounds),
            "infer" => infer::run(table, rounds),
            other => panic!("there is no bench `{other}`: there are {ALL:?}"),
        }
    }
}

/// Does what a bare program does.
fn floor(words: &[&str]) {
    match *words {
        ["find", pattern, flag, tree] => tree::bare_find(pattern, flag, Path::new(tree)),
        ["apply-tree", pattern, tree, out] => {
            tree::bare_apply(pattern, Path::new(tree), Path::new(out));
        }
        ["pairs", table, tree] => pairs::bare(Path::new(table), Path::new(tree)),
        ["apply-log", log, out] => log::bare_apply(Path::new(log), Path::new(out)),
        ["json", changes, log] => {
            log::bare_json(changes.parse().expect("a number"), Path::new(log));
        }
        ["columns", table, out] => columns::bare(Path::new(table), Path::new(out)),
        ["rows", job, pattern, table] => columns::bare_rows(job, pattern, Path::new(table)),
        ["document", file] => document::bare(Path::new(file)),
        ["database", file] => containers::bare_database(Path::new(file)),
        ["workbook", file] => containers::bare_workbook(Path::new(file)),
        ["update", file, pattern] => containers::bare_update(Path::new(file), pattern),
        ["lines", pattern, text] => hostile::bare(pattern, Path::new(text)),
        ["nothing"] => startup::nothing(),
        ["echo"] => draft::echo(),
        _ => panic!("there is no such floor: {words:?}"),
    }
}
