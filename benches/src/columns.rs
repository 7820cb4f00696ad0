//! One column of a large table, rewritten into another file.
//!
//! The floor scans the table with `csv-core`, runs the same search on the same column, writes
//! every byte out, and syncs.

use crate::corpus;
use crate::measure::{Cost, Ratio, bquill, floor, run};
use csv_core::ReadRecordResult;
use regex_automata::meta::Regex;
use std::fs::{self, File};
use std::io::{Read, Write};
use std::path::Path;

const PATTERN: &str = r"^(?:berth |B_|b|B )(\d+)$";
const COLUMN: usize = 1;

/// Prints the ratio for `megabytes`, the memory, and the growth from a tenth of them.
pub fn measure(megabytes: u64, rounds: usize) {
    let folder = tempfile::tempdir_in(".").expect("a writable folder");
    println!("one column of a table of {megabytes} MB rewritten to a file, {rounds} rounds");
    let large = pairs(folder.path(), megabytes * 1_000_000, rounds);
    let small = pairs(folder.path(), megabytes * 100_000, rounds);
    let ratio = |pairs: &[(Cost, Cost)]| {
        Ratio::of(
            &pairs
                .iter()
                .map(|(a, b)| (a.time, b.time))
                .collect::<Vec<_>>(),
        )
    };
    let growth = large
        .iter()
        .zip(&small)
        .map(|((_, l), (_, s))| (s.time, l.time));
    println!("  {}", ratio(&large));
    println!("  a tenth of it: {}", ratio(&small));
    println!(
        "  ten times the rows: {}",
        Ratio::of(&growth.collect::<Vec<_>>())
    );
    let peak = large.iter().map(|(_, ours)| ours.peak).max();
    println!("  at most {} MiB of memory", peak.unwrap_or(0) >> 10);
}

fn pairs(folder: &Path, bytes: u64, rounds: usize) -> Vec<(Cost, Cost)> {
    let (table, out) = (folder.join("moorings.csv"), folder.join("out.csv"));
    corpus::moorings(&table, bytes);
    let mut pairs = Vec::new();
    for round in 0..=rounds {
        let bare = run(floor("columns").arg(&table).arg(&out));
        let _ = fs::remove_file(&out);
        let ours = run(bquill()
            .args([
                "apply",
                PATTERN,
                "--with",
                "B-$1",
                "--columns",
                "berth",
                "--yes",
            ])
            .arg(&table)
            .arg("--to")
            .arg(&out));
        let _ = fs::remove_file(&out);
        // The first round warms up.
        if round > 0 {
            pairs.push((bare, ours));
        }
    }
    pairs
}

/// What the bare program does.
pub fn bare(table: &Path, out: &Path) {
    let regex = Regex::new(PATTERN).expect("a pattern");
    let mut input = File::open(table).expect("a table");
    let mut out = File::create(out).expect("a new file");
    let mut buffer = vec![0; 1 << 20];
    let (mut fields, mut ends) = (vec![0; 1 << 16], vec![0; 64]);
    let (mut filled, mut ended, mut found) = (0, 0, 0u64);
    let mut reader = csv_core::Reader::new();
    loop {
        let read = input.read(&mut buffer).expect("a readable file");
        out.write_all(&buffer[..read]).expect("space");
        let mut rest = &buffer[..read];
        // No bytes would mean the end to it.
        while !rest.is_empty() || read == 0 {
            let (result, took, wrote, done) =
                reader.read_record(rest, &mut fields[filled..], &mut ends[ended..]);
            rest = &rest[took..];
            filled += wrote;
            ended += done;
            match result {
                ReadRecordResult::Record => {
                    let cell = &fields[ends[COLUMN - 1]..ends[COLUMN]];
                    found += u64::from(regex.is_match(cell));
                    (filled, ended) = (0, 0);
                }
                ReadRecordResult::InputEmpty if read > 0 => break,
                ReadRecordResult::InputEmpty => {}
                ReadRecordResult::End => {
                    out.sync_all().expect("a sync");
                    println!("{found}");
                    return;
                }
                other => panic!("{other:?}"),
            }
        }
    }
}
