//! A large log: one change in 100 lines, written to a new file; and as many changes as JSON.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, floor, peak_of, remove, rounds, time_afresh};
use regex_automata::meta::Regex;
use std::fs::File;
use std::io::{BufWriter, Read, Write};
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// A line that is a change.
const LEVEL: &str = "2026-03-01 00:00 gauge L2 level 3.14 by Corran Light\n";

const PATTERN: &str = r"level (\d+)\.(\d\d)";

/// Writing it anew.
pub fn apply(table: &mut Table, count: usize, bytes: u64) {
    let out = corpus::folder().join("out.log");
    let timed = |command: &mut Command| time_afresh(command, &out);
    let ours = |log: &Path| {
        let mut command = bquill();
        command.args(["apply", PATTERN, "--with", "level $1,$2", "--yes"]);
        command.arg(log).arg("--to").arg(&out);
        command
    };
    let (log, tenth) = (corpus::log(bytes), corpus::log(bytes / 10));
    let pairs = rounds(
        count,
        || timed(floor("apply-log").arg(&log).arg(&out)),
        || timed(&mut ours(&log)),
    );
    remove(&out);
    let peak = peak_of(&mut ours(&log));
    let work = "`apply --to` of one change in 100 lines of a log";
    table.add(work, &Ratio::of(&pairs), 1.3, Some(peak));
    let growth = rounds(
        count,
        || timed(&mut ours(&tenth)),
        || timed(&mut ours(&log)),
    );
    remove(&out);
    table.add(
        "the same, ten times the log",
        &Ratio::of(&growth),
        10.5,
        None,
    );
}

/// The floor: one pass that reads, searches and writes, and a sync.
pub fn bare_apply(log: &Path, out: &Path) {
    let regex = Regex::new(PATTERN).expect("a pattern");
    let mut input = File::open(log).expect("a log");
    let out = File::create_new(out).expect("a new file");
    let mut to = BufWriter::with_capacity(1 << 18, &out);
    let mut buffer = vec![0; 1 << 20];
    let mut filled = 0;
    loop {
        let read = input.read(&mut buffer[filled..]).expect("a readable log");
        filled += read;
        let end = match read {
            0 => filled,
            _ => memchr::memrchr(b'\n', &buffer[..filled]).map_or(0, |at| at + 1),
        };
        let text = &buffer[..end];
        let mut at = 0;
        for found in regex.find_iter(text) {
            // Digits, a dot, two digits.
            let dot = found.end() - 3;
            to.write_all(&text[at..dot]).expect("space");
            to.write_all(b",").expect("space");
            at = dot + 1;
        }
        to.write_all(&text[at..]).expect("space");
        buffer.copy_within(end..filled, 0);
        filled -= end;
        if read == 0 {
            break;
        }
    }
    to.flush().expect("space");
    drop(to);
    out.sync_all().expect("a sync");
}

/// All changes as records, through a pipe: every line of a log is one.
pub fn json(table: &mut Table, count: usize, changes: u64) {
    let log = corpus::lines("levels", LEVEL, changes * LEVEL.len() as u64);
    let ours = || {
        let mut command = bquill();
        command.args(["preview", PATTERN, "--with", "level $1,$2", "--json"]);
        command.arg(&log);
        command
    };
    let pairs = rounds(
        count,
        || piped(floor("json").arg(changes.to_string()).arg(&log)),
        || piped(&mut ours()),
    );
    let peak = peak_of(&mut ours());
    let work = format!("`preview --json` of {changes} changes to a pipe");
    table.add(work, &Ratio::of(&pairs), 2.0, Some(peak));
}

/// The floor: the same bytes from a bare loop.
pub fn bare_json(changes: u64, log: &Path) {
    let path = log.display();
    let mut out = BufWriter::with_capacity(1 << 16, std::io::stdout().lock());
    let mut print = || {
        writeln!(
            out,
            r#"{{"record":"plan","format":1,"rewrite":{{"step":[{{"match":"level (\\d+)\\.(\\d\\d)","with":"level $1,$2"}}]}}}}"#
        )?;
        let (bytes, hash) = (changes * LEVEL.len() as u64, "0".repeat(64));
        writeln!(
            out,
            r#"{{"record":"file","path":"{path}","bytes":{bytes},"hash":"{hash}","encoding":"UTF-8","newline":"lf"}}"#
        )?;
        let (was, now) = (LEVEL.trim_end(), LEVEL.trim_end().replace('.', ","));
        for n in 1..=changes {
            let from = (n - 1) * LEVEL.len() as u64 + 26;
            let to = from + 10;
            writeln!(
                out,
                r#"{{"record":"unit","path":"{path}","line":{n},"cell":null,"was":"{was}","now":"{now}"}}"#
            )?;
            writeln!(
                out,
                r#"{{"record":"change","id":"1.{n}","path":"{path}","line":{n},"cell":null,"from":{from},"to":{to},"before":"level 3.14","after":"level 3,14","steps":[1],"groups":[{{"number":1,"name":null,"text":"3"}},{{"number":2,"name":null,"text":"14"}}],"decision":"open"}}"#
            )?;
        }
        writeln!(
            out,
            r#"{{"record":"totals","files":1,"files_changed":1,"files_skipped":0,"matches":{changes},"changes":{changes},"unchanged":0,"left_out":{{"pick":0,"limit":0,"place":0}},"lines_added":0,"lines_removed":0,"problems":0,"per_step":[{{"step":1,"matches":{changes},"changed":{changes},"unchanged":0,"left_out":{{"pick":0,"limit":0,"place":0}}}}]}}"#
        )?;
        out.flush()
    };
    print().expect("a pipe");
}

/// The time a program takes whose output is read to its end.
fn piped(command: &mut Command) -> Duration {
    let start = Instant::now();
    let mut child = command.stdout(Stdio::piped()).spawn().expect("a program");
    let mut out = child.stdout.take().expect("a pipe");
    let mut buffer = vec![0; 1 << 16];
    while out.read(&mut buffer).expect("a pipe") > 0 {}
    assert!(child.wait().expect("a child").success());
    start.elapsed()
}
