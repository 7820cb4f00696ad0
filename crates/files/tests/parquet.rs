//! Parquet files: read as rows, written again with nothing else changed, and what cannot be written.

use crate::container::{cut_off, damaged, hostile, rewritten, unpack};
use bytes::Bytes;
use parquet::basic::Compression;
use parquet::column::writer::ColumnWriter;
use parquet::data_type::{ByteArray, ByteArrayType};
use parquet::file::properties::{EnabledStatistics, WriterProperties};
use parquet::file::reader::FileReader;
use parquet::file::serialized_reader::SerializedFileReader;
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::parser::parse_message_type;
use proptest::prelude::*;
use std::sync::Arc;

const SCHEMA: &str = "message moorings {
    required int64 id;
    optional binary berth (STRING);
    optional group notes (LIST) { repeated group list { optional binary element (STRING); } }
    optional group pilot { required double depth; optional int32 day (DATE); required binary photo; }
    repeated int32 small (INTEGER(8, true));
}";

/// A row: a berth, its notes, a depth, and whether there is a pilot.
type Row = (Option<String>, Option<Vec<Option<String>>>, Option<f64>);

fn row() -> impl Strategy<Value = Row> {
    let note = prop::option::of(hostile());
    let depth = (-400i32..400).prop_map(|n| f64::from(n) / 8.0);
    (
        prop::option::of(hostile()),
        prop::option::of(prop::collection::vec(note, 0..4)),
        prop::option::of(depth),
    )
}

/// A file with these rows, `at_once` of them in each row group.
fn made(rows: &[Row], at_once: usize, compression: Compression, has_dictionary: bool) -> Vec<u8> {
    let properties = WriterProperties::builder()
        .set_compression(compression)
        .set_dictionary_enabled(has_dictionary)
        .set_statistics_enabled(EnabledStatistics::Page)
        .set_created_by("harbour office".to_owned());
    let schema = Arc::new(parse_message_type(SCHEMA).unwrap());
    let mut file =
        SerializedFileWriter::new(Vec::new(), schema, Arc::new(properties.build())).unwrap();
    let bytes = |text: &String| ByteArray::from(text.clone().into_bytes());
    for (number, rows) in rows.chunks(at_once).enumerate() {
        let mut group = file.next_row_group().unwrap();
        let mut path = ["id", "berth", "element", "depth", "day", "photo", "small"].into_iter();
        while let Some(mut column) = group.next_column().unwrap() {
            let name = path.next().unwrap();
            let (mut defs, mut reps) = (Vec::new(), Vec::new());
            let mut texts = Vec::new();
            for (_, notes, _) in rows {
                match notes {
                    None => (defs.push(0), reps.push(0)),
                    Some(notes) if notes.is_empty() => (defs.push(1), reps.push(0)),
                    Some(notes) => {
                        for (at, note) in notes.iter().enumerate() {
                            defs.push(if note.is_some() { 3 } else { 2 });
                            reps.push(i16::from(at > 0));
                            texts.extend(note.iter().map(bytes));
                        }
                        continue;
                    }
                };
            }
            let there: Vec<i16> = rows.iter().map(|row| i16::from(row.2.is_some())).collect();
            match (column.untyped(), name) {
                (ColumnWriter::Int64ColumnWriter(ids), _) => {
                    let all: Vec<i64> = (0..rows.len())
                        .map(|n| (number * at_once + n) as i64)
                        .collect();
                    ids.write_batch(&all, None, None).unwrap();
                }
                (ColumnWriter::ByteArrayColumnWriter(berths), "berth") => {
                    let all: Vec<_> = rows
                        .iter()
                        .filter_map(|row| row.0.as_ref().map(bytes))
                        .collect();
                    let defs: Vec<_> = rows.iter().map(|row| i16::from(row.0.is_some())).collect();
                    berths.write_batch(&all, Some(&defs), None).unwrap();
                }
                (ColumnWriter::ByteArrayColumnWriter(notes), "element") => {
                    notes.write_batch(&texts, Some(&defs), Some(&reps)).unwrap();
                }
                (ColumnWriter::ByteArrayColumnWriter(photos), _) => {
                    let all = vec![
                        ByteArray::from(vec![0xff, 0]);
                        there.iter().filter(|def| **def == 1).count()
                    ];
                    photos.write_batch(&all, Some(&there), None).unwrap();
                }
                (ColumnWriter::DoubleColumnWriter(depths), _) => {
                    let all: Vec<f64> = rows.iter().filter_map(|row| row.2).collect();
                    depths.write_batch(&all, Some(&there), None).unwrap();
                }
                (ColumnWriter::Int32ColumnWriter(days), "day") => {
                    let defs: Vec<i16> = there.iter().map(|def| def * 2).collect();
                    let all = vec![22_399; there.iter().filter(|def| **def == 1).count()];
                    days.write_batch(&all, Some(&defs), None).unwrap();
                }
                (ColumnWriter::Int32ColumnWriter(small), _) => {
                    let all: Vec<i32> = (0..rows.len() as i32).map(|n| n % 100).collect();
                    small
                        .write_batch(&all, Some(&vec![1; rows.len()]), Some(&vec![0; rows.len()]))
                        .unwrap();
                }
                _ => unreachable!("no such column"),
            }
            column.close().unwrap();
        }
        group.close().unwrap();
    }
    file.into_inner().unwrap()
}

/// The bytes of each chunk, by row group and column.
fn chunks(bytes: &[u8]) -> Vec<Vec<Vec<u8>>> {
    let file = SerializedFileReader::new(Bytes::copy_from_slice(bytes)).unwrap();
    let groups = file.metadata().row_groups().iter();
    let chunk = |range: (u64, u64)| bytes[range.0 as usize..(range.0 + range.1) as usize].to_vec();
    groups
        .map(|group| {
            group
                .columns()
                .iter()
                .map(|column| chunk(column.byte_range()))
                .collect()
        })
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, failure_persistence: None, ..ProptestConfig::default() })]

    /// A rewritten file reads as the rewritten text, and every chunk without a changed value is the same to the byte.
    #[test]
    fn rewritten_files_read_back(
        rows in prop::collection::vec(row(), 1..12), at_once in 1usize..5, has_dictionary in any::<bool>(),
        form in 0usize..4,
    ) {
        let compression = [
            Compression::UNCOMPRESSED, Compression::SNAPPY, Compression::LZ4_RAW, Compression::ZSTD(Default::default()),
        ][form];
        let old = made(&rows, at_once, compression, has_dictionary);
        let text = unpack(&old).unwrap();
        prop_assert_eq!(text.lines().count(), rows.len());
        let new = rewritten(&old, "quay", "pier é").unwrap();
        prop_assert_eq!(unpack(&new).unwrap(), text.replace("quay", "pier é"));
        let groups = chunks(&old).into_iter().zip(chunks(&new)).zip(rows.chunks(at_once));
        for ((old, new), rows) in groups {
            let has_quay = |text: &Option<String>| text.as_ref().is_some_and(|text| text.contains("quay"));
            let changes = [
                rows.iter().any(|row| has_quay(&row.0)),
                rows.iter().any(|row| row.1.iter().flatten().any(has_quay)),
            ];
            for (column, (old, new)) in old.into_iter().zip(new).enumerate() {
                if !(1..=2).contains(&column) || !changes[column - 1] {
                    prop_assert_eq!(old, new, "column {}", column);
                }
            }
        }
        let facts = |bytes: &[u8]| {
            let file = SerializedFileReader::new(Bytes::copy_from_slice(bytes)).unwrap();
            let facts = file.metadata().file_metadata();
            (facts.version(), facts.created_by().map(str::to_owned), facts.column_orders().cloned())
        };
        prop_assert_eq!(facts(&old), facts(&new));
    }
}

fn sample() -> Vec<u8> {
    let text = |text: &str| Some(text.to_owned());
    let rows: Vec<Row> = (0..40)
        .map(|n| {
            (
                text(&format!("berth {}", n % 7)),
                Some(vec![text("calm"), None]),
                Some(f64::from(n)),
            )
        })
        .collect();
    made(&rows, 15, Compression::SNAPPY, true)
}

/// Numbers may become others that their column can hold; what is left alone stays.
#[test]
fn cells_that_can_be_written() {
    let whole = sample();
    let text = unpack(&whole).unwrap();
    let first = r#"{"@":{"row":1},"id":0,"berth":"berth 0","notes":["calm",null],"pilot":{"depth":0.0,"day":{"date":"2031-04-30"},"photo":{"blob":2}},"small":[0]}"#;
    assert_eq!(text.lines().next(), Some(first));
    for (from, to, fault) in [
        (r#""depth":0.0"#, r#""depth":-4.5"#, None),
        (r#""depth":0.0"#, r#""depth":7"#, None),
        (r#""small":[0]"#, r#""small":[127]"#, None),
        (
            r#""small":[0]"#,
            r#""small":[128]"#,
            Some("128 cannot be written into small"),
        ),
        (
            r#""depth":0.0"#,
            r#""depth":"deep""#,
            Some("cannot be written into pilot.depth"),
        ),
        (
            r#""berth":"berth 0""#,
            r#""berth":null"#,
            Some("row 1 has no such cell"),
        ),
        ("2031-04-30", "2031-05-01", Some("row 1 has no such cell")),
        (
            r#"["calm",null]"#,
            r#"["calm"]"#,
            Some("row 1 has no such cell"),
        ),
        (r#""row":1}"#, r#""row":9}"#, Some("row 1 has no such cell")),
        (
            r#"{"@":{"row":40}"#,
            "{}\n{\"@\":{\"row\":40}",
            Some("row 40 has no such cell"),
        ),
    ] {
        let got = rewritten(&whole, from, to).map_err(|error| format!("{error:?}"));
        match fault {
            None => assert!(
                unpack(&got.unwrap()).unwrap().contains(&to[..to.len() - 1]),
                "{to}"
            ),
            Some(said) => assert!(
                got.as_ref().is_err_and(|error| error.contains(said)),
                "{to}: {got:?}"
            ),
        }
    }
}

/// A damaged file is an error, or other rows; it is never a panic that gets out, and never a file without an end.
#[test]
fn damaged_files() {
    let whole = sample();
    let found = damaged(&whole).chain(cut_off(&whole));
    let errors = found.filter_map(|(_, read)| read.err()).collect::<Vec<_>>();
    assert!(errors.len() > 10, "{errors:?}");
    for error in errors {
        assert!(error.to_string().contains("Parquet"), "{error}");
    }
}

/// A struct with one field is not taken for a value that is left alone.
#[test]
fn structs_that_look_like_a_kind() {
    let schema = "message m { required group seen { required binary date (STRING); } }";
    let schema = Arc::new(parse_message_type(schema).unwrap());
    let mut file = SerializedFileWriter::new(Vec::new(), schema, Arc::default()).unwrap();
    let mut group = file.next_row_group().unwrap();
    let mut column = group.next_column().unwrap().unwrap();
    let day = ByteArray::from("2031-05-01");
    column
        .typed::<ByteArrayType>()
        .write_batch(&[day], None, None)
        .unwrap();
    column.close().unwrap();
    group.close().unwrap();
    let bytes = file.into_inner().unwrap();
    assert_eq!(
        unpack(&bytes).unwrap(),
        "{\"@\":{\"row\":1},\"seen\":{\"date_2\":\"2031-05-01\"}}\n"
    );
    assert!(
        unpack(&rewritten(&bytes, "2031", "2032").unwrap())
            .unwrap()
            .contains("2032-05-01")
    );
}
