//! One column of a large table, rewritten into another file.
//!
//! The floor scans the table with `csv-core`, runs the same search on the same column, writes
//! every byte out, and syncs.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, floor, peak_of, remove, rounds, time_afresh, time_of};
use csv_core::ReadRecordResult;
use regex_automata::meta::Regex;
use std::fs::File;
use std::io::{Read, Write};
use std::path::Path;
use std::process::Command;

const PATTERN: &str = r"^(?:berth |B_|b|B )(\d+)$";
const COLUMN: usize = 1;

/// Measures this many bytes, and a tenth of them.
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

/// Measures counts beside rows, and a new column, of a table of this many bytes.
pub fn beside(table: &mut Table, count: usize, bytes: u64) {
    let csv = corpus::moorings(bytes);
    let mut add = |work: &str, floor_words: &[&str], words: &[&str]| {
        let mut ours = bquill();
        ours.args(words).arg(&csv);
        let mut bare = floor("rows");
        bare.args(floor_words).arg(&csv);
        let pairs = rounds(count, || time_of(&mut bare), || time_of(&mut ours));
        let peak = peak_of(&mut ours);
        table.add(work, &Ratio::of(&pairs), 1.3, Some(peak));
    };
    let digits = r"\d";
    let counts = ["extract", digits, "--columns", "berth", "--counts"];
    add("`extract --counts` of a table", &["count", digits], &counts);
    let into = ["preview", PATTERN, "--with", "B-$1", "--columns", "berth"];
    let into = [&into[..], &["--into", "place", "--show", "0"]].concat();
    add(
        "`preview --into` a new column of a table, every row",
        &["look", PATTERN],
        &into,
    );
}

/// The bare program that searches a column: it looks at the first match of each cell, or counts
/// them all and writes a row for each.
pub fn bare_rows(job: &str, pattern: &str, table: &Path) {
    let regex = Regex::new(pattern).expect("a pattern");
    let mut captures = regex.create_captures();
    let mut out = std::io::BufWriter::with_capacity(1 << 16, std::io::stdout().lock());
    let (mut row, mut found) = (0u64, 0u64);
    let path = table.display().to_string();
    let input = File::open(table).expect("a table");
    each_cell(input, &mut |_| {}, &mut |cell| {
        row += 1;
        if job == "count" {
            let matches = regex.find_iter(cell).count();
            writeln!(out, "{path},{row},{matches}").expect("a reader");
        } else {
            regex.captures(cell, &mut captures);
            found += u64::from(captures.is_match());
        }
    });
    writeln!(out, "{found}").expect("a reader");
}

/// The work of the bare program that rewrites one.
pub fn bare(table: &Path, out: &Path) {
    let regex = Regex::new(PATTERN).expect("a pattern");
    let input = File::open(table).expect("a table");
    let mut out = File::create(out).expect("a new file");
    let mut found = 0u64;
    let write = &mut |bytes: &[u8]| out.write_all(bytes).expect("space");
    each_cell(input, write, &mut |cell| {
        found += u64::from(regex.is_match(cell));
    });
    out.sync_all().expect("a sync");
    println!("{found}");
}

/// Shows all bytes of a table as they are read, and the column's cell in each row.
fn each_cell(mut input: File, read_bytes: &mut dyn FnMut(&[u8]), of_row: &mut dyn FnMut(&[u8])) {
    let mut buffer = vec![0; 1 << 20];
    let (mut fields, mut ends) = (vec![0; 1 << 16], vec![0; 64]);
    let (mut filled, mut ended) = (0, 0);
    let mut reader = csv_core::Reader::new();
    loop {
        let read = input.read(&mut buffer).expect("a readable file");
        read_bytes(&buffer[..read]);
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
                    of_row(&fields[ends[COLUMN - 1]..ends[COLUMN]]);
                    (filled, ended) = (0, 0);
                }
                ReadRecordResult::InputEmpty if read > 0 => break,
                ReadRecordResult::InputEmpty => {}
                ReadRecordResult::End => return,
                other => panic!("{other:?}"),
            }
        }
    }
}
