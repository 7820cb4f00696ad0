//! Tables in containers: a database of 1,000,000 rows, and a workbook of 200,000.
//!
//! The floors stream all values of the same rows with the same libraries, and run the same search on the same column;
//! the one of `apply` updates the same rows in one transaction.

use crate::corpus::{self, Seed};
use crate::measure::{Ratio, Table, bquill, floor, peak_of, rounds, time_of};
use flate2::read::DeflateDecoder;
use flate2::write::DeflateEncoder;
use flate2::{Compression, Crc};
use quick_xml::events::Event;
use regex_automata::meta::Regex;
use rusqlite::types::ValueRef;
use rusqlite::{Connection, OpenFlags};
use std::fs;
use std::io::{Read, Write};
use std::path::Path;

const PATTERN: &str = r"^berth (\d+)$";
/// The column that is searched, from 0.
const COLUMN: usize = 1;
const NAMES: [&str; 5] = ["id", "berth", "ship", "depth", "note"];

/// Measures a database and a workbook.
pub fn run(table: &mut Table, count: usize) {
    let database = corpus::kept("moorings.db", |place| make_database(place, 1_000_000));
    let workbook = corpus::kept("moorings.xlsx", |place| make_workbook(place, 200_000));
    let look = ["preview", PATTERN, "--with", "B-$1", "--columns", "berth"];
    for (work, file, kind, goal) in [
        ("`preview` of a database", &database, "database", 1.8),
        ("`preview` of a workbook", &workbook, "workbook", 2.0),
    ] {
        let mut ours = bquill();
        ours.args(look).args(["--show", "0"]).arg(file);
        let mut bare = floor(kind);
        bare.arg(file);
        let pairs = rounds(count, || time_of(&mut bare), || time_of(&mut ours));
        let peak = peak_of(&mut ours);
        table.add(work, &Ratio::of(&pairs), goal, Some(peak));
    }
    let copy = corpus::folder().join("copy.db");
    let afresh = || fs::copy(&database, &copy).expect("space");
    // One row in twenty.
    let few = r"^berth (1\d\d)$";
    let (mut bare, mut ours) = (floor("update"), bquill());
    bare.arg(&copy).arg(few);
    ours.args([
        "apply",
        few,
        "--with",
        "B-$1",
        "--columns",
        "berth",
        "--yes",
    ]);
    ours.arg(&copy);
    let timed = |command: &mut std::process::Command| {
        afresh();
        rustix::fs::sync();
        time_of(command)
    };
    let pairs: Vec<_> = (0..count)
        .map(|_| (timed(&mut bare), timed(&mut ours)))
        .collect();
    table.add(
        "`apply` to 50,000 rows of a database",
        &Ratio::of(&pairs),
        2.5,
        None,
    );
}

/// The values of a row; a note is not always there.
fn row(seed: &mut Seed, number: u64) -> (String, String, f64, Option<String>) {
    let berth = match number % 5 {
        0 => format!("berth {}", number / 5 % 400),
        _ => format!("Berth {}", number % 400),
    };
    let note = number
        .is_multiple_of(3)
        .then(|| format!("mooring no {number} checked by the pilot"));
    let depth = seed.below(1000) as f64 / 8.0;
    (berth, format!("ship {}", seed.below(9000)), depth, note)
}

fn make_database(place: &Path, rows: u64) {
    let mut database = Connection::open(place).expect("a database");
    let statement = "CREATE TABLE moorings (id INTEGER PRIMARY KEY, berth TEXT, ship TEXT, depth REAL, note TEXT)";
    database.execute_batch(statement).expect("a table");
    let all = database.transaction().expect("a transaction");
    let mut seed = Seed::new(29);
    for number in 1..=rows {
        let (berth, ship, depth, note) = row(&mut seed, number);
        let mut insert = all
            .prepare_cached("INSERT INTO moorings VALUES (?, ?, ?, ?, ?)")
            .expect("a statement");
        insert
            .execute((number as i64, berth, ship, depth, note))
            .expect("a row");
    }
    all.commit().expect("a commit");
}

/// The work of the bare program on a database.
pub fn bare_database(file: &Path) {
    let database =
        Connection::open_with_flags(file, OpenFlags::SQLITE_OPEN_READ_ONLY).expect("a database");
    let (regex, mut found, mut bytes) = (Regex::new(PATTERN).expect("a pattern"), 0u64, 0u64);
    let mut captures = regex.create_captures();
    let mut statement = database.prepare("SELECT * FROM moorings").expect("a table");
    let mut rows = statement.query([]).expect("rows");
    while let Some(row) = rows.next().expect("a row") {
        for column in 0..NAMES.len() {
            if let ValueRef::Text(text) = row.get_ref(column).expect("a value") {
                bytes += text.len() as u64;
                if column == COLUMN {
                    regex.captures(text, &mut captures);
                    found += u64::from(captures.is_match());
                }
            }
        }
    }
    println!("{found} {bytes}");
}

/// The work of the bare program that updates one.
pub fn bare_update(file: &Path, pattern: &str) {
    let mut database = Connection::open(file).expect("a database");
    let all = database.transaction().expect("a transaction");
    let regex = Regex::new(pattern).expect("a pattern");
    let mut captures = regex.create_captures();
    let mut changes = Vec::new();
    {
        let mut statement = all
            .prepare("SELECT id, berth FROM moorings")
            .expect("a table");
        let mut rows = statement.query([]).expect("rows");
        while let Some(row) = rows.next().expect("a row") {
            let berth = row.get_ref(1).expect("a value").as_str().expect("text");
            regex.captures(berth, &mut captures);
            if let Some(span) = captures.get_group(1) {
                let id: i64 = row.get(0).expect("a number");
                changes.push((format!("B-{}", &berth[span.range()]), id));
            }
        }
    }
    for (berth, id) in &changes {
        let mut update = all
            .prepare_cached("UPDATE moorings SET berth = ? WHERE id = ?")
            .expect("a statement");
        update.execute((berth, id)).expect("a row");
    }
    all.commit().expect("a commit");
    println!("{}", changes.len());
}

fn make_workbook(place: &Path, rows: u64) {
    let mut seed = Seed::new(31);
    let (mut sheet, mut texts, mut count) = (String::new(), String::new(), 0u64);
    let mut shared = |text: &str| {
        texts.push_str(&format!("<si><t>{text}</t></si>"));
        count += 1;
        count - 1
    };
    let begin = |sheet: &mut String, number: u64| sheet.push_str(&format!("<row r=\"{number}\">"));
    let put_text = |sheet: &mut String, place: String, index: u64| {
        sheet.push_str(&format!("<c r=\"{place}\" t=\"s\"><v>{index}</v></c>"));
    };
    begin(&mut sheet, 1);
    for (letter, name) in ('A'..).zip(NAMES) {
        put_text(&mut sheet, format!("{letter}1"), shared(name));
    }
    sheet.push_str("</row>");
    for number in 2..=rows + 1 {
        let (berth, ship, depth, note) = row(&mut seed, number);
        begin(&mut sheet, number);
        sheet.push_str(&format!("<c r=\"A{number}\"><v>{number}</v></c>"));
        put_text(&mut sheet, format!("B{number}"), shared(&berth));
        put_text(&mut sheet, format!("C{number}"), shared(&ship));
        sheet.push_str(&format!("<c r=\"D{number}\"><v>{depth}</v></c>"));
        if let Some(note) = note {
            put_text(&mut sheet, format!("E{number}"), shared(&note));
        }
        sheet.push_str("</row>");
    }
    let relation = |id: &str, kind: &str, target: &str| {
        format!("<Relationship Id=\"{id}\" Type=\"x/{kind}\" Target=\"{target}\"/>")
    };
    let members = [
        (
            "xl/workbook.xml",
            "<workbook><sheets><sheet name=\"Moorings\" r:id=\"r1\"/></sheets></workbook>"
                .to_owned(),
        ),
        (
            "xl/_rels/workbook.xml.rels",
            format!(
                "<Relationships>{}{}</Relationships>",
                relation("r1", "worksheet", "worksheets/sheet1.xml"),
                relation("r2", "sharedStrings", "sharedStrings.xml")
            ),
        ),
        (
            SHEET,
            format!("<worksheet><sheetData>{sheet}</sheetData></worksheet>"),
        ),
        (TEXTS, format!("<sst>{texts}</sst>")),
    ];
    fs::write(place, archive(&members)).expect("space");
}

const SHEET: &str = "xl/worksheets/sheet1.xml";
const TEXTS: &str = "xl/sharedStrings.xml";

/// A zip archive of deflated members.
fn archive(members: &[(&str, String)]) -> Vec<u8> {
    let (mut out, mut directory) = (Vec::new(), Vec::new());
    for (name, text) in members {
        let mut crc = Crc::new();
        crc.update(text.as_bytes());
        let mut encoder = DeflateEncoder::new(Vec::new(), Compression::default());
        encoder.write_all(text.as_bytes()).expect("memory");
        let data = encoder.finish().expect("memory");
        let four = |n: usize| u32::try_from(n).expect("a small archive").to_le_bytes();
        let facts = [
            &[20, 0, 0, 0, 8, 0, 0, 0, 0, 0][..],
            &crc.sum().to_le_bytes(),
            &four(data.len()),
            &four(text.len()),
            &four(name.len())[..2],
            &[0, 0],
        ]
        .concat();
        let offset = four(out.len());
        out.extend([b"PK\x03\x04", &facts[..], name.as_bytes(), &data].concat());
        directory.extend(
            [
                b"PK\x01\x02\x14\0",
                &facts[..],
                &[0; 10],
                &offset,
                name.as_bytes(),
            ]
            .concat(),
        );
    }
    let count = [members.len() as u8, 0];
    let (at, length) = (
        (out.len() as u32).to_le_bytes(),
        (directory.len() as u32).to_le_bytes(),
    );
    out.extend(directory);
    out.extend(
        [
            b"PK\x05\x06\0\0\0\0",
            &count[..],
            &count,
            &length,
            &at,
            &[0, 0],
        ]
        .concat(),
    );
    out
}

/// A member of an archive whose local headers have its sizes.
fn member(bytes: &[u8], wanted: &str) -> String {
    let at = |from: usize, length: usize| -> usize {
        let part = bytes[from..from + length].iter().rev();
        part.fold(0, |sum, byte| sum << 8 | usize::from(*byte))
    };
    let mut from = 0;
    loop {
        let (packed, name, extra) = (at(from + 18, 4), at(from + 26, 2), at(from + 28, 2));
        let data = from + 30 + name + extra;
        if &bytes[from + 30..from + 30 + name] == wanted.as_bytes() {
            let mut text = String::new();
            let data = &bytes[data..data + packed];
            DeflateDecoder::new(data)
                .read_to_string(&mut text)
                .expect("a member");
            return text;
        }
        from = data + packed;
    }
}

/// The work of the bare program on a workbook.
pub fn bare_workbook(file: &Path) {
    let bytes = fs::read(file).expect("a workbook");
    let (texts, sheet) = (member(&bytes, TEXTS), member(&bytes, SHEET));
    let mut shared: Vec<&str> = Vec::new();
    let mut reader = quick_xml::Reader::from_str(&texts);
    loop {
        match reader.read_event().expect("XML") {
            Event::Text(text) => {
                let end = reader.buffer_position() as usize;
                shared.push(&texts[end - text.len()..end]);
            }
            Event::Eof => break,
            _ => {}
        }
    }
    let regex = Regex::new(PATTERN).expect("a pattern");
    let mut captures = regex.create_captures();
    let mut reader = quick_xml::Reader::from_str(&sheet);
    let (mut is_wanted, mut is_shared, mut found, mut sum) = (false, false, 0u64, 0f64);
    loop {
        match reader.read_event().expect("XML") {
            Event::Start(tag) if tag.name().as_ref() == "c" => {
                is_shared = false;
                for attribute in tag.attributes().with_checks(false).flatten() {
                    match attribute.key.as_ref() {
                        "r" => is_wanted = attribute.value.starts_with('B'),
                        "t" => is_shared = true,
                        _ => {}
                    }
                }
            }
            Event::Text(text) if is_shared => {
                let text = shared[text.parse::<usize>().expect("a number")];
                if is_wanted {
                    regex.captures(text, &mut captures);
                    found += u64::from(captures.is_match());
                }
            }
            Event::Text(text) => sum += text.parse::<f64>().expect("a number"),
            Event::Eof => break,
            _ => {}
        }
    }
    println!("{found} {sum}");
}
