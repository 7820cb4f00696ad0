//! One column of a large table, rewritten into another file.
//!
//! The floor scans the table with `csv-core`, runs the same search on the same column, writes
//! every byte out, and syncs.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, floor, peak_of, remove, rounds, time_afresh};
use csv_core::ReadRecordResult;
use regex_automata::meta::Regex;
use std::fs::File;
use std::io::{Read, Write};
use std::path::Path;
use std::process::Command;

const PATTERN: &str = r"^(?:berth |B_|b|B )(\d+)$";
const COLUMN: usize = 1;

/// Measures so many bytes, and a tenth of them.
pub fn measure(table: &mut Table, count: usize, bytes: u64) {
    let out = corpus::folder().join("out.csv");
    let timed = |command: &mut Command| time_afresh(command, &out);
    let ours = |csv: &Path| {
        let mut command = bquill();
        command.args(["apply", PATTERN, "--with", "B-$1", "--columns", "berth"]);
        command.arg("--yes").arg(csv).arg("--to").arg(&out);
        command
    };
    let (csv, tenth) = (corpus::moorings(bytes), corpus::moorings(bytes / 10));
    let pairs = rounds(
        count,
        || timed(floor("columns").arg(&csv).arg(&out)),
        || timed(&mut ours(&csv)),
    );
    remove(&out);
    let peak = peak_of(&mut ours(&csv));
    let work = "`apply --to` of one column of a table";
    table.add(work, &Ratio::of(&pairs), 1.5, Some(peak));
    let growth = rounds(
        count,
        || timed(&mut ours(&tenth)),
        || timed(&mut ours(&csv)),
    );
    remove(&out);
    table.add(
        "the same, ten times the rows",
        &Ratio::of(&growth),
        10.5,
        None,
    );
}

/// The work of the bare program.
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
