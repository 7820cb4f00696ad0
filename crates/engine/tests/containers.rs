//! The whole loop on files of every form: of the rows that a rewrite names, those that are accepted change, in the cell that
//! was shown and nowhere else, and the run reverts to the byte.

#[path = "../../files/tests/archive.rs"]
mod archive;

use crate::port::{NOT_STOPPED, Port, cases, changes, decide, decision};
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_engine::runs::revert;
use brisk_quill_files::store::store_of::StoreOf;
use brisk_quill_files::store::unpacked::Unpacked;
use flate2::write::GzEncoder;
use proptest::prelude::*;
use rusqlite::Connection;
use serde_json::{Map, Value, json};
use std::io::{Read, Write};

/// A row: the columns `a` and `b`.
type Row = (String, String);

/// A form of files.
#[derive(Clone, Copy, Debug)]
enum Form {
    Csv,
    PackedCsv,
    Utf16Csv,
    Lines,
    PackedLines,
    Document,
    Database,
    Workbook,
}

use Form::*;

impl Form {
    fn ending(self) -> &'static str {
        match self {
            Csv | Utf16Csv => "csv",
            PackedCsv => "csv.gz",
            Lines => "jsonl",
            PackedLines => "jsonl.zst",
            Document => "json",
            Database => "db",
            Workbook => "xlsx",
        }
    }

    /// A file of this form with some rows.
    fn file(self, rows: &[Row]) -> Vec<u8> {
        let object = |(a, b): &Row| json!({"a": a, "b": b, "n": 7});
        match self {
            Csv => csv(rows),
            Utf16Csv => {
                let text = String::from_utf8(csv(rows)).unwrap();
                let units = std::iter::once(0xFEFF).chain(text.encode_utf16());
                units.flat_map(u16::to_le_bytes).collect()
            }
            PackedCsv => {
                let mut encoder = GzEncoder::new(Vec::new(), flate2::Compression::fast());
                encoder.write_all(&csv(rows)).unwrap();
                encoder.finish().unwrap()
            }
            Lines => rows
                .iter()
                .map(|row| object(row).to_string() + "\n")
                .collect::<String>()
                .into_bytes(),
            PackedLines => zstd::bulk::compress(&Lines.file(rows), 1).unwrap(),
            Document => {
                let document =
                    json!({"rows": rows.iter().map(object).collect::<Vec<_>>(), "b": "quay"});
                serde_json::to_vec_pretty(&document).unwrap()
            }
            Database => {
                let mut database = Connection::open_in_memory().unwrap();
                let tables = "CREATE TABLE t (a TEXT, b TEXT, n); CREATE TABLE other (b); INSERT INTO other VALUES ('quay')";
                database.execute_batch(tables).unwrap();
                for (a, b) in rows {
                    database
                        .execute("INSERT INTO t VALUES (?1, ?2, 7)", [a, b])
                        .unwrap();
                }
                database.serialize("main").unwrap().to_vec()
            }
            Workbook => archive::archive(&archive::members(rows), true, false),
        }
    }

    /// The rows of a file, as other programs read them.
    fn rows(self, file: &[u8]) -> Vec<Row> {
        match self {
            Csv => csv_rows(file),
            Utf16Csv => csv_rows(encoding_rs::UTF_16LE.decode(file).0.as_bytes()),
            PackedCsv => csv_rows(&unpacked(file)),
            Lines => json_rows(file),
            PackedLines => json_rows(&zstd::bulk::decompress(file, 1 << 20).unwrap()),
            Workbook => json_rows(&unpacked(file)),
            Document => {
                let document: Value = serde_json::from_slice(file).unwrap();
                assert_eq!(document["b"], "quay");
                document["rows"]
                    .as_array()
                    .unwrap()
                    .iter()
                    .map(|row| row_of(row.as_object().unwrap()))
                    .collect()
            }
            Database => {
                let mut database = Connection::open_in_memory().unwrap();
                database
                    .deserialize_read_exact("main", file, file.len(), true)
                    .unwrap();
                let other: String = database
                    .query_row("SELECT b FROM other", [], |row| row.get(0))
                    .unwrap();
                assert_eq!(other, "quay");
                let mut statement = database.prepare("SELECT a, b FROM t WHERE n = 7").unwrap();
                let rows = statement.query_map([], |row| Ok((row.get(0)?, row.get(1)?)));
                rows.unwrap().map(Result::unwrap).collect()
            }
        }
    }

    /// The column `name`, as this form calls it.
    fn column(self, name: &str) -> String {
        match self {
            Document => format!("/rows/-/{name}"),
            _ => name.to_owned(),
        }
    }
}

fn csv(rows: &[Row]) -> Vec<u8> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record(["a", "b", "n"]).unwrap();
    for (a, b) in rows {
        writer.write_record([a, b, "7"]).unwrap();
    }
    writer.into_inner().unwrap()
}

fn csv_rows(text: &[u8]) -> Vec<Row> {
    let mut reader = csv::Reader::from_reader(text);
    let rows = reader.records().map(|row| {
        let row = row.unwrap();
        assert_eq!(&row[2], "7");
        (row[0].to_owned(), row[1].to_owned())
    });
    rows.collect()
}

fn row_of(row: &Map<String, Value>) -> Row {
    let text = |name| row[name].as_str().unwrap_or_default().to_owned();
    (text("a"), text("b"))
}

fn json_rows(text: &[u8]) -> Vec<Row> {
    let rows = serde_json::Deserializer::from_slice(text).into_iter();
    rows.map(|row| row_of(&row.unwrap())).collect()
}

fn unpacked(file: &[u8]) -> Vec<u8> {
    let mut text = Vec::new();
    let store = StoreOf::head(file).packed().unwrap();
    Unpacked::new(store, file, false)
        .unwrap()
        .read_to_end(&mut text)
        .unwrap();
    text
}

/// Texts that are easily written wrongly; none is empty, for a workbook holds no empty cell.
fn text() -> impl Strategy<Value = String> {
    let bits = [
        "quay", "quay", "é", "&", "<", "\n", " ", "\"", "\\", "日", "]]>", "7", ",",
    ];
    prop::collection::vec(prop::sample::select(bits.to_vec()), 1..6).prop_map(|bits| bits.concat())
}

/// A change of the matches of `quay` in the column `b`.
#[derive(Clone, Copy, Debug)]
enum Deed {
    Replace,
    ReplaceLast,
    ReplaceWhere7,
    IntoTheOther,
}

use Deed::*;

impl Deed {
    fn step(self, form: Form) -> StepSpec {
        StepSpec {
            pattern: Some("quay".into()),
            with: Some("\"pier\", é".into()),
            columns: Some(form.column("b")),
            pick: matches!(self, ReplaceLast).then(|| "last".into()),
            where_in: match self {
                ReplaceWhere7 => vec![form.column("a"), "7".into()],
                _ => Vec::new(),
            },
            into: matches!(self, IntoTheOther).then(|| form.column("a")),
            table: matches!(form, Database).then(|| "t".into()),
            format: matches!(form, Csv | PackedCsv | Utf16Csv).then(|| "csv".into()),
            ..StepSpec::default()
        }
    }

    /// A row after it, which is made without any of our code.
    fn done(self, (a, b): &Row) -> Row {
        let new = b.replace("quay", "\"pier\", é");
        match self {
            Replace => (a.clone(), new),
            ReplaceLast => match b.rsplit_once("quay") {
                Some((before, after)) => (a.clone(), format!("{before}\"pier\", é{after}")),
                None => (a.clone(), b.clone()),
            },
            ReplaceWhere7 if a.contains('7') => (a.clone(), new),
            ReplaceWhere7 => (a.clone(), b.clone()),
            IntoTheOther if b.contains("quay") => (new, b.clone()),
            IntoTheOther => (a.clone(), b.clone()),
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(60), failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn accepted_cells_change_and_no_others(
        form in prop::sample::select(vec![Csv, PackedCsv, Utf16Csv, Lines, PackedLines, Document, Database, Workbook]),
        deed in prop::sample::select(vec![Replace, ReplaceLast, ReplaceWhere7, IntoTheOther]),
        tables in prop::collection::vec(prop::collection::vec((text(), text()), 1..6), 1..3),
        decisions in prop::collection::vec(decision(), 1..6),
    ) {
        // A condition on another member of a document goes by its whole text.
        prop_assume!(!matches!((form, deed), (Document, ReplaceWhere7 | IntoTheOther)));
        let files: Vec<_> = tables.iter().map(|rows| form.file(rows)).collect();
        for (file, rows) in files.iter().zip(&tables) {
            prop_assert_eq!(&form.rows(file), rows);
        }
        let port = Port::new(&files, form.ending(), RewriteText::from(vec![deed.step(form)]));
        let all = tables.iter().flatten();
        let changed = all.clone().filter(|row| deed.done(row) != **row).count();
        let Some(mut plan) = port.plan() else {
            prop_assert_eq!(changed, 0);
            return Ok(());
        };
        prop_assert_eq!(changes(&plan).len(), changed);
        decide(&mut plan, &decisions);
        let decided: Vec<_> = changes(&plan).iter().map(|(_, decision, _)| *decision).collect();
        let is_decided = decided.iter().any(|decision| *decision != Decision::Open);
        let mut takes = decided.iter().map(|decision| *decision == Decision::Accepted || !is_decided);
        let mut after = |row: &Row| match deed.done(row) {
            new if new == *row => new,
            new if takes.next() == Some(true) => new,
            _ => row.clone(),
        };
        let wanted: Vec<Vec<Row>> = tables.iter().map(|rows| rows.iter().map(&mut after).collect()).collect();
        if wanted == tables {
            return Ok(());
        }
        let written = plan.changes().unwrap();
        let done = plan.write(&written, &NOT_STOPPED).unwrap();
        for (number, wanted) in wanted.iter().enumerate() {
            prop_assert_eq!(&form.rows(&port.read(number)), wanted);
        }
        revert(&port.host, done.run, &NOT_STOPPED).unwrap();
        for (number, file) in files.iter().enumerate() {
            prop_assert_eq!(&port.read(number), file);
        }
    }
}
