//! Databases: read as rows, written again with nothing else changed, and what cannot be written.

use crate::container::{cut_off, damaged, hostile, rewritten, rewritten_as, unpack};
use brisk_quill_files::read::{Reader, TextOptions};
use brisk_quill_files::source::Source;
use brisk_quill_files::store::store_of::StoreOf;
use proptest::prelude::*;
use rusqlite::Connection;
use rusqlite::types::Value;

/// The sample database, which another program has made.
const SAMPLE: &[u8] = include_bytes!("../../../demo/harbour.db");

/// A database that these statements make, as a file.
fn made(statements: &str) -> Vec<u8> {
    let mut database = Connection::open_in_memory().unwrap();
    database.execute_batch(statements).unwrap();
    bytes(&mut database)
}

fn bytes(database: &mut Connection) -> Vec<u8> {
    database.serialize("main").unwrap().to_vec()
}

/// All values of the table `t`, in order.
fn values(bytes: &[u8]) -> Vec<Vec<Value>> {
    let mut database = Connection::open_in_memory().unwrap();
    let length = bytes.len();
    database
        .deserialize_read_exact("main", bytes, length, true)
        .unwrap();
    let mut statement = database.prepare("SELECT * FROM t").unwrap();
    let columns = statement.column_count();
    let rows = statement.query_map([], |row| (0..columns).map(|n| row.get(n)).collect());
    rows.unwrap().map(Result::unwrap).collect()
}

fn value() -> impl Strategy<Value = Value> {
    prop_oneof![
        Just(Value::Null),
        any::<i64>().prop_map(Value::Integer),
        // What is infinite, or no number, is distinguished in a case of its own.
        (-1e12..1e12).prop_map(Value::Real),
        hostile().prop_map(Value::Text),
        prop::collection::vec(any::<u8>(), 0..4).prop_map(Value::Blob),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, failure_persistence: None, ..ProptestConfig::default() })]

    /// A rewritten database reads as the rewritten text, and every other value keeps its type and its bytes.
    #[test]
    fn rewritten_databases_read_back(
        rows in prop::collection::vec((value(), value()), 1..6), wide in any::<bool>(), numbered in any::<bool>(),
    ) {
        let mut database = Connection::open_in_memory().unwrap();
        let encoding = if wide { "UTF-16le" } else { "UTF-8" };
        let key = if numbered { "" } else { " WITHOUT ROWID" };
        database
            .execute_batch(&format!(
                "PRAGMA encoding = '{encoding}'; CREATE TABLE t (k INTEGER PRIMARY KEY, a, \"b \"\"c\"){key};"
            ))
            .unwrap();
        for (n, (a, b)) in rows.iter().enumerate() {
            let row = rusqlite::params![n as i64 * 7, a, b];
            database.execute("INSERT INTO t VALUES (?1, ?2, ?3)", row).unwrap();
        }
        let old = bytes(&mut database);
        let text = unpack(&old).unwrap();
        prop_assert_eq!(text.lines().count(), rows.len());
        let new = rewritten(&old, "quay", "pier é").unwrap();
        prop_assert_eq!(unpack(&new).unwrap(), text.replace("quay", "pier é"));
        let wanted = values(&old).into_iter().map(|row| {
            let cell = |value| match value {
                Value::Text(text) => Value::Text(text.replace("quay", "pier é")),
                other => other,
            };
            row.into_iter().map(cell).collect::<Vec<_>>()
        });
        prop_assert_eq!(values(&new), wanted.collect::<Vec<_>>());
        // Nothing to change changes nothing.
        prop_assert_eq!(rewritten(&old, "nowhere in it", "").unwrap(), old);
    }
}

#[test]
fn the_sample_of_another_program() {
    let text = unpack(SAMPLE).unwrap();
    let first = "{\"@\":{\"table\":\"berths\",\"row\":1},\"id\":1,\"berth\":\"B-01\",";
    assert!(text.starts_with(first), "{text}");
    let first = "{\"@\":{\"table\":\"moorings\",\"row\":1},\"id\":\"M0001\",";
    assert!(text.contains(first), "{text}");
    let new = rewritten(SAMPLE, "\"Ferry Slip\"", "\"Ferry Stairs\"").unwrap();
    assert!(unpack(&new).unwrap().contains("Ferry Stairs"));
}

/// Values that have no text, and tables that hold no rows of their own.
#[test]
fn rows_as_they_are_shown() {
    let cases = [
        (
            "CREATE TABLE t (a); INSERT INTO t VALUES (9e999)",
            r#""a":{"real":"inf"}"#,
        ),
        (
            "CREATE TABLE t (a); INSERT INTO t VALUES (2.0)",
            r#""a":2.0"#,
        ),
        (
            "CREATE TABLE t (a); INSERT INTO t VALUES (x'0102')",
            r#""a":{"blob":2}"#,
        ),
        (
            "CREATE TABLE t (a); INSERT INTO t VALUES (CAST(x'ff41' AS TEXT))",
            r#""a":{"text":2}"#,
        ),
        // The number of a row has another name where columns take the usual ones.
        (
            "CREATE TABLE t (rowid, oid); INSERT INTO t VALUES ('x', 'y')",
            r#"{"@":{"table":"t","row":1},"rowid":"x","oid":"y"}"#,
        ),
        (
            "CREATE TABLE t (a); INSERT INTO t VALUES (1); CREATE VIEW v AS SELECT * FROM t",
            "{\"@\":{\"table\":\"t\",\"row\":1},\"a\":1}\n",
        ),
    ];
    for (statements, wanted) in cases {
        let text = unpack(&made(statements)).unwrap();
        assert!(text.contains(wanted) && text.lines().count() == 1, "{text}");
    }
}

/// A log that is written ahead is one of the file's head, and stays.
#[test]
fn a_database_with_a_log() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("t.db");
    let database = Connection::open(&path).unwrap();
    database
        .execute_batch(
            "PRAGMA journal_mode = WAL; CREATE TABLE t (a); INSERT INTO t VALUES ('quay');",
        )
        .unwrap();
    drop(database);
    let new = rewritten(&std::fs::read(&path).unwrap(), "quay", "pier").unwrap();
    assert_eq!(new[18..20], [2, 2]);
    std::fs::write(&path, new).unwrap();
    let database = Connection::open(&path).unwrap();
    let all = "SELECT a || (SELECT journal_mode FROM pragma_journal_mode) FROM t";
    let read: String = database.query_row(all, [], |row| row.get(0)).unwrap();
    assert_eq!(read, "pierwal");
}

/// Changes that the database would not take as they were shown: all of them are refused.
#[test]
fn what_cannot_be_written() {
    let rows = "INSERT INTO t VALUES ('quay 1', 1), ('quay 2', 2);";
    let cases = [
        (
            "CREATE TABLE t (a UNIQUE, n);",
            ("quay 1", "quay 2"),
            "UNIQUE constraint failed",
        ),
        (
            "CREATE TABLE t (a CHECK (a LIKE 'quay%'), n);",
            ("quay", "pier"),
            "CHECK constraint failed",
        ),
        // A column of numbers makes a number of the text.
        (
            "CREATE TABLE t (a INTEGER, n);",
            ("quay 1", "04"),
            "a of row 1 of t would be 4 and not \"04\"",
        ),
        (
            "CREATE TABLE t (a, n); CREATE TRIGGER g AFTER UPDATE ON t BEGIN UPDATE t SET n = 9 WHERE a = new.a; END;",
            ("quay", "pier"),
            "n of row 1 of t would be 9 and not 1",
        ),
        (
            "CREATE TABLE t (a, n); CREATE TABLE log (m); CREATE TRIGGER g AFTER UPDATE ON t BEGIN \
             INSERT INTO log VALUES ('changed'); END;",
            ("quay", "pier"),
            "row 1 of log would come to stand elsewhere, or be new",
        ),
        (
            "CREATE TABLE t (a, n); CREATE TRIGGER g AFTER UPDATE ON t BEGIN DELETE FROM t WHERE n = 2; END;",
            ("quay 1", "pier"),
            "drop rows",
        ),
        // The number of a row is not written, nor is what has no text.
        (
            "CREATE TABLE t (a, n);",
            ("\"row\":1", "\"row\":5"),
            "has no such cell to be written",
        ),
        (
            "CREATE TABLE t (a, n);",
            ("\"n\":1", "\"n\":{\"blob\":1}"),
            "cannot be written into n, row 1 of t",
        ),
        (
            "CREATE TABLE t (a, n);",
            ("\"n\":1", "\"m\":1"),
            "has no such cell to be written",
        ),
    ];
    for (statements, (from, to), wanted) in cases {
        let error = rewritten(&made(&format!("{statements}{rows}")), from, to).expect_err(wanted);
        assert!(
            format!("{error:?}").contains(&wanted.replace('"', "\\\"")),
            "{wanted}: {error:?}"
        );
    }
    // What the database computes follows.
    let old = made("CREATE TABLE t (a, g AS (a || '!')); INSERT INTO t (a) VALUES ('quay');");
    let new = rewritten(&old, "\"a\":\"quay\"", "\"a\":\"pier\"").unwrap();
    assert!(unpack(&new).unwrap().contains("\"g\":\"pier!\""));
}

/// Permitted triggers may change other rows; those that were shown as changed may not be others.
#[test]
fn triggers_that_are_permitted() {
    let log = "CREATE TABLE log (m); CREATE TRIGGER g AFTER UPDATE ON t BEGIN";
    let rows = "INSERT INTO t VALUES ('quay 1', 1), ('Pier 2', 2);";
    for (statements, wanted) in [
        (
            format!("CREATE TABLE t (a, n); {log} INSERT INTO log VALUES (old.a); END; {rows}"),
            Ok("{\"m\":\"quay 1\"}"),
        ),
        (
            format!("CREATE TABLE t (a, n); {log} DELETE FROM t WHERE n = 2; END; {rows}"),
            Ok("\"a\":\"pier 1\""),
        ),
        (
            format!(
                "CREATE TABLE t (a PRIMARY KEY, n) WITHOUT ROWID; {log} UPDATE t SET n = 9 WHERE n = 2; END; {rows}"
            ),
            Ok("\"n\":9"),
        ),
        // The text itself would be another one: only its case, another value, or none.
        (
            format!(
                "CREATE TABLE t (a COLLATE NOCASE, n); {log} UPDATE t SET a = upper(a) WHERE n = 1; END; {rows}"
            ),
            Err("row 1 of t would not be as it was shown"),
        ),
        (
            format!("CREATE TABLE t (a, n); {log} DELETE FROM t WHERE n = 1; END; {rows}"),
            Err("row 1 of t would not be as it was shown"),
        ),
        (
            format!(
                "CREATE TABLE t (a UNIQUE, n); {log} SELECT 1; END; INSERT INTO t VALUES ('pier 1', 0); {rows}"
            ),
            Err("UNIQUE constraint failed"),
        ),
    ] {
        let old = made(&statements);
        let change = ("quay", "pier");
        let new = rewritten_as(StoreOf::head(&old).permitting_triggers(), &old, change);
        match wanted {
            Ok(part) => {
                let text = unpack(&new.unwrap()).unwrap().replace(['{', '}'], "");
                let part = part.trim_matches(['{', '}']);
                assert!(text.contains(part), "{statements}: {text}");
                let error = rewritten(&old, "quay", "pier").unwrap_err();
                assert!(format!("{error:?}").contains("--triggers"), "{error:?}");
            }
            Err(part) => {
                let error = new.expect_err(part);
                assert!(
                    format!("{error:?}").contains(part),
                    "{statements}: {error:?}"
                );
            }
        }
    }
}

/// Damage is reported, or harms the text of a cell alone; it never ends the program.
#[test]
fn damaged_databases() {
    let rows = unpack(SAMPLE).unwrap().lines().count();
    let mut sound = 0;
    for (at, read) in damaged(SAMPLE) {
        sound += usize::from(read.is_ok_and(|text| text.lines().count() == rows));
        assert!(at < SAMPLE.len());
    }
    assert!(sound > 0);
    for (at, read) in cut_off(SAMPLE) {
        assert!(read.is_err(), "cut at {at}");
    }
}

/// The beginning of a table that has been read is read again without its file, unless that has changed.
#[test]
fn a_second_look_at_the_first_rows() {
    const MOST: u64 = 2000;
    let of_rows = |place: &str| {
        let rows = (0..400).map(|i| format!("('{place} {i}')"));
        let rows: Vec<String> = rows.collect();
        made(&format!(
            "CREATE TABLE t (a); INSERT INTO t VALUES {};",
            rows.join(",")
        ))
    };
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("t.db");
    let source = Source::file(path.clone());
    let read = |mut reader: Reader| {
        reader.set_cells(true);
        let mut text = Vec::new();
        let mut opened = reader.open(&source).unwrap().unwrap();
        opened
            .read(|piece, _, _| text.extend_from_slice(piece))
            .unwrap();
        String::from_utf8(text).unwrap()
    };
    let reader = Reader::new(TextOptions::default());
    for place in ["quay", "pier"] {
        std::fs::write(&path, of_rows(place)).unwrap();
        for pass in 0..2 {
            let look = read(reader.another().at_most(MOST));
            let whole = read(reader.another());
            assert_eq!(look, whole[..MOST as usize], "{place} {pass}");
            assert!(look.contains(place));
        }
    }
}
