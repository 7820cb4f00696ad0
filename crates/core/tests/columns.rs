//! Columns: the scanner against another reader, rewritten tables read back, and what is refused.

use crate::support::{self, record, spans};
use brisk_quill_core::columns::list::{Column, ColumnList};
use brisk_quill_core::fault::Fault;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::findings::Findings;
use brisk_quill_core::query::unit_view::UnitView;
use brisk_quill_core::query::unit_view::Unmatched;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::rewrite::sink::Sink;
use brisk_quill_core::rewrite::{Rewrite, Run, rewrite_text};
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::template::tables::NoTables;
use csv_core::ReadRecordResult;
use proptest::prelude::*;
use serde_json::Value;

/// One cell as it is seen: line, column, where it lies, and its value.
type SeenCell = (u64, String, u64, u64, Vec<u8>);

/// Everything a query over cells sees.
#[derive(Debug, Default, PartialEq)]
struct Cells {
    cells: Vec<SeenCell>,
    problems: Vec<Problem>,
}

impl Sink for Cells {
    fn unit(&mut self, unit: &UnitView<'_>, _: &Findings<'_>, _: u64) {
        let name = unit.cell.unwrap().name().to_string();
        let value = unit.bytes().to_vec();
        let (from, to) = (unit.offset(0), unit.offset(value.len()));
        self.cells.push((unit.line, name, from, to, value));
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }
}

/// A step on cells, in words.
fn words(columns: &str, format: &str) -> StepSpec {
    StepSpec {
        pattern: Some("$^".into()),
        columns: Some(columns.into()),
        format: Some(format.into()),
        remove: true,
        ..StepSpec::default()
    }
}

/// Every cell of a text, which comes in cuts of `size` bytes.
fn cells(words: &StepSpec, text: &[u8], size: usize) -> Cells {
    let search = Rewrite::showing(words.query().unwrap());
    let options = RunOptions {
        missing: Unmatched::Shown,
        ..RunOptions::default()
    };
    let mut run = Run::new(&search, &options);
    let mut seen = Cells::default();
    let mut found = run.text("-", 0);
    for cut in text.chunks(size) {
        found.push(cut, &mut seen);
    }
    found.finish(&mut seen);
    seen
}

/// The rows of a text as another reader has them.
fn oracle(text: &[u8], delimiter: u8, quote: u8) -> Vec<Vec<Vec<u8>>> {
    let mut reader = csv_core::ReaderBuilder::new()
        .delimiter(delimiter)
        .quote(quote)
        .build();
    let (mut fields, mut ends) = (vec![0; text.len() + 1], vec![0; text.len() + 2]);
    let (mut rows, mut rest) = (Vec::new(), text);
    let (mut filled, mut ended) = (0, 0);
    loop {
        let (result, read, wrote, done) =
            reader.read_record(rest, &mut fields[filled..], &mut ends[ended..]);
        rest = &rest[read..];
        filled += wrote;
        ended += done;
        match result {
            ReadRecordResult::Record => {
                let starts = std::iter::once(0).chain(ends[..ended].iter().copied());
                let cells = starts.zip(&ends[..ended]);
                rows.push(cells.map(|(from, to)| fields[from..*to].to_vec()).collect());
                (filled, ended) = (0, 0);
            }
            ReadRecordResult::InputEmpty => {}
            ReadRecordResult::End => return rows,
            other => panic!("{other:?}"),
        }
    }
}

fn pick<T: Clone + std::fmt::Debug + 'static>(all: &[T]) -> impl Strategy<Value = T> + use<T> {
    prop::sample::select(all.to_vec())
}

/// Text made of what matters to a scanner.
fn scraps() -> impl Strategy<Value = String> {
    let bits = [
        "a", "7", "é", ",", ",", ";", "\"", "\"", "\"\"", "\n", "\r\n", " ", "\"b\"", "\"c,d\"", "",
    ];
    // The longer ones go over the block that is looked at at once.
    let bits = move |most| prop::collection::vec(pick(&bits), 0..most);
    prop_oneof![3 => bits(24), 1 => bits(200)].prop_map(|bits| bits.concat())
}

/// The value of a cell that is hard to write down.
fn hostile() -> impl Strategy<Value = String> {
    let bits = [
        "a", "b7", "é", ",", "\"", "\n", "\r\n", "\r", " ", "\\", "'", "/", "~", "\t", "\u{1}",
        "日",
    ];
    prop::collection::vec(pick(&bits), 0..6).prop_map(|bits| bits.concat())
}

/// A table of hostile cells with a header, its lines ended one way or the other.
fn table() -> impl Strategy<Value = (Vec<Vec<String>>, Vec<u8>)> {
    let rows = (1..4usize).prop_flat_map(|width| {
        prop::collection::vec(prop::collection::vec(hostile(), width), 1..6)
    });
    let styles = (any::<bool>(), any::<bool>(), any::<bool>());
    (rows, styles).prop_map(|(mut rows, (always, crlf, ended))| {
        for (number, name) in rows[0].iter_mut().enumerate() {
            *name = format!("n{number}");
        }
        let mut writer = csv::WriterBuilder::new()
            .quote_style(match always {
                true => csv::QuoteStyle::Always,
                false => csv::QuoteStyle::Necessary,
            })
            .terminator(match crlf {
                true => csv::Terminator::CRLF,
                false => csv::Terminator::Any(b'\n'),
            })
            .from_writer(Vec::new());
        rows.iter()
            .for_each(|row| writer.write_record(row).unwrap());
        let mut text = writer.into_inner().unwrap();
        if !ended {
            while text.last().is_some_and(|b| matches!(b, b'\r' | b'\n')) {
                text.pop();
            }
        }
        (rows, text)
    })
}

/// `value` with every match of `pattern` become `with`.
fn replaced(pattern: &str, with: &str, value: &str) -> String {
    let pattern = Pattern::new(pattern, &MatchOptions::default()).unwrap();
    let (mut out, mut at) = (String::new(), 0);
    for span in spans(&pattern, value.as_bytes()) {
        out.push_str(&value[at..span.from]);
        out.push_str(with);
        at = span.to;
    }
    out + &value[at..]
}

fn rows_of(text: &[u8]) -> Vec<Vec<String>> {
    let reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .from_reader(text);
    let rows = reader.into_records().map(|row| row.unwrap());
    rows.map(|row| row.iter().map(str::to_owned).collect())
        .collect()
}

/// The line in which each row begins, from 1, as the other reader has it.
fn lines_of_rows(text: &[u8]) -> Vec<u64> {
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .from_reader(text);
    let mut lines = Vec::new();
    let mut row = csv::ByteRecord::new();
    while reader.read_byte_record(&mut row).unwrap() {
        let start = row.position().unwrap().byte() as usize;
        // It passes over blank lines only when it reads on.
        let blank = text[start..]
            .iter()
            .take_while(|b| matches!(b, b'\r' | b'\n'))
            .count();
        let before = &text[..start + blank];
        lines.push(before.iter().filter(|b| **b == b'\n').count() as u64 + 1);
    }
    lines
}

/// Puts brackets around what is taken, written for reading and not for speed.
fn slowly(
    rows: &mut [Vec<String>],
    lines: &[u64],
    (holder, lacker): (usize, usize),
    place: &str,
    (spec, per, limit): (&str, &str, Option<u64>),
) {
    let has = |cell: Option<&String>| cell.is_some_and(|cell| cell.contains(['a', 'b']));
    let chosen = support::spec(place).resolve(None);
    let width = rows[0].len();
    // Row, column, and offset of each match in place, in order.
    let mut found = Vec::new();
    for (number, row) in rows.iter().enumerate().skip(1) {
        let holds = holder >= width || has(row.get(holder));
        let lacks = lacker >= width || lacker == holder || !has(row.get(lacker));
        if !(holds && lacks && chosen.contains(lines[number])) {
            continue;
        }
        for (column, cell) in row.iter().enumerate() {
            found.extend(
                cell.match_indices(['a', 'b', '7'])
                    .map(|(at, _)| (number, column, at)),
            );
        }
    }
    let group = |(row, column, _): &(usize, usize, usize)| match per {
        _ if spec.is_empty() => (0, 0),
        "unit" => (*row, *column),
        "row" => (*row, 0),
        _ => (0, 0),
    };
    let mut taken = Vec::new();
    for members in found.chunk_by(|a, b| group(a) == group(b)) {
        let picked = support::spec(spec).resolve(Some(members.len() as u64));
        let numbered = (1..)
            .zip(members)
            .filter(|(number, _)| picked.contains(*number));
        taken.extend(numbered.map(|(_, member)| *member));
    }
    taken.truncate(limit.unwrap_or(u64::MAX).min(1_000) as usize);
    for (row, column, at) in taken.into_iter().rev() {
        let cell = &mut rows[row][column];
        let old = cell[at..=at].to_owned();
        cell.replace_range(at..=at, &format!("<{old}>"));
    }
}

/// A JSON value with strings and numbers in it, at most so deep.
fn json() -> impl Strategy<Value = Value> {
    let leaf = prop_oneof![
        3 => hostile().prop_map(Value::from),
        1 => (-9..99i64).prop_map(Value::from),
        1 => Just(Value::Null),
    ];
    leaf.prop_recursive(2, 8, 3, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..3).prop_map(Value::from),
            prop::collection::btree_map(hostile(), inner, 0..3)
                .prop_map(|map| Value::Object(map.into_iter().collect())),
        ]
    })
}

/// An array, or an object, that is not empty.
fn document() -> impl Strategy<Value = Value> {
    prop_oneof![
        prop::collection::vec(json(), 1..4).prop_map(Value::from),
        prop::collection::btree_map(hostile(), json(), 1..4)
            .prop_map(|map| Value::Object(map.into_iter().collect())),
    ]
}

/// The pointers to every value below `value`, which itself lies at `pointer`.
fn pointers_below(value: &Value, pointer: &str, all: &mut Vec<String>) {
    all.push(pointer.to_owned());
    match value {
        Value::Array(items) => (0..).zip(items).for_each(|(index, item): (usize, _)| {
            pointers_below(item, &format!("{pointer}/{index}"), all);
        }),
        Value::Object(map) => map.iter().for_each(|(key, item)| {
            let key = key.replace('~', "~0").replace('/', "~1");
            pointers_below(item, &format!("{pointer}/{key}"), all);
        }),
        _ => {}
    }
}

/// Every string below `value` with matches of `a` become `with`.
fn in_strings(value: &mut Value, with: &str) {
    match value {
        Value::String(text) => *text = replaced("a", with, text),
        Value::Array(items) => items.iter_mut().for_each(|item| in_strings(item, with)),
        Value::Object(map) => map.values_mut().for_each(|item| in_strings(item, with)),
        _ => {}
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: support::cases(), failure_persistence: None, ..ProptestConfig::default() })]

    /// Cells that the scanner accepts are read as the other reader reads them; how the text is cut does not
    /// matter, nor what was wrong with it.
    #[test]
    fn the_scanner_agrees_with_the_oracle(
        text in scraps(), delimiter in pick(&[',', ';']), quote in pick(&['"', '\'']),
        size in prop_oneof![1..9usize, 60..70usize],
    ) {
        let words = StepSpec {
            delimiter: Some(delimiter.into()),
            quote: Some(quote.into()),
            no_header: true,
            ragged: true,
            ..words("1..", "csv")
        };
        let whole = cells(&words, text.as_bytes(), usize::MAX);
        prop_assert_eq!(&cells(&words, text.as_bytes(), size), &whole);
        if whole.problems.is_empty() {
            let ours: Vec<&[u8]> = whole.cells.iter().map(|cell| &*cell.4).collect();
            let theirs = oracle(text.as_bytes(), delimiter as u8, quote as u8).concat();
            prop_assert_eq!(ours, theirs.iter().map(Vec::as_slice).collect::<Vec<_>>());
        }
    }

    /// A rewritten table holds exactly the cells that were meant, and every other byte is where
    /// it was.
    #[test]
    fn a_rewritten_table_reads_back(
        (rows, text) in table(), column in 1..4usize, with in hostile(), size in 1..9usize, action in 0..8usize,
    ) {
        let mut wanted = rows.clone();
        let width = rows[0].len();
        let column = column.min(width);
        let template = with.replace('\\', "\\\\");
        let mut step = StepSpec { remove: false, pattern: Some("a".into()), ..words(&column.to_string(), "csv") };
        let other = if column == 1 { width } else { 1 };
        // A table of one column has no other.
        let action = if action == 7 && other == column { 6 } else { action };
        for row in &mut wanted[1..] {
            let hit = row[column - 1].contains('a');
            let new = replaced("a", &with, &row[column - 1]);
            let is_new = new != row[column - 1];
            match action {
                5 => row.push(new),
                6 => row.push(if is_new { new } else { String::new() }),
                7 if is_new => row[other - 1] = new,
                0 => row[column - 1] = replaced("a", &with, &row[column - 1]),
                1 => row[column - 1] = replaced("a", "", &row[column - 1]),
                // The last column comes first, and is written from the old row.
                2 | 4 if hit => {
                    let first = std::mem::replace(&mut row[0], "new".into());
                    row[width - 1] = match width {
                        1 => with.clone(),
                        _ => format!("{with}{first}"),
                    };
                }
                _ => {}
            }
            if matches!(action, 3 | 4) {
                let cells = [with.clone(), "b".into()];
                row.extend(cells.map(|cell| if hit { cell } else { String::new() }));
            }
        }
        let added = || vec![["more, or less".into(), template.clone()], ["b".into(), "b".into()]];
        let set = || match width {
            1 => vec![["1".into(), template.clone()]],
            _ => vec![[width.to_string(), format!("{template}${{@cell 1}}")], ["1".into(), "new".into()]],
        };
        match action {
            0 => step.with = Some(template),
            1 => step.remove = true,
            2 => step.set = set().concat(),
            3 => step.add_column = added().concat(),
            5 | 6 => (step.with, step.into, step.into_empty) = (Some(template), Some("told".into()), action == 6),
            7 => (step.with, step.into) = (Some(template), Some(other.to_string())),
            _ => (step.set, step.add_column) = (set().concat(), added().concat()),
        }
        wanted[0].extend(step.add_column.iter().step_by(2).cloned());
        wanted[0].extend(step.into.iter().filter(|name| *name == "told").cloned());
        let rewrite = Rewrite::new(vec![step.build(&mut NoTables).unwrap()]);
        let recorded = record(&rewrite, &text, usize::MAX);
        prop_assert_eq!(&recorded, &record(&rewrite, &text, size));
        prop_assert_eq!(&recorded.problems, &[]);
        let now = support::splice(&text, &recorded.changes);
        prop_assert_eq!(rows_of(&now), wanted, "{}", String::from_utf8_lossy(&now));
        let all = cells(&StepSpec { no_header: true, ..words("1..", "csv") }, &text, usize::MAX);
        for (from, to, ..) in &recorded.changes {
            // A change is one cell with its quotes, or what is added behind a row.
            let is_cell = all.cells.iter().any(|cell| {
                (cell.2 == *from && cell.3 == *to) || (cell.2 == *from + 1 && cell.3 + 1 == *to)
            });
            prop_assert!(is_cell || (matches!(action, 3..7) && from == to));
        }
    }

    /// A row that is shorter than the first is filled up before a column is added, and one that is
    /// longer is left alone: no value comes to stand below another name.
    #[test]
    fn ragged_rows_keep_their_columns(
        rows in prop::collection::vec(prop::collection::vec("[ab]{0,2}", 1..5), 1..6), with in hostile(),
    ) {
        let mut writer = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
        rows.iter().for_each(|row| writer.write_record(row).unwrap());
        let text = writer.into_inner().unwrap();
        let step = StepSpec {
            ragged: true,
            remove: false,
            pattern: Some("a".into()),
            add_column: vec!["new".into(), with.replace('\\', "\\\\")],
            ..words("1..", "csv")
        };
        let rewrite = Rewrite::new(vec![step.build(&mut NoTables).unwrap()]);
        let recorded = record(&rewrite, &text, usize::MAX);
        let now = support::splice(&text, &recorded.changes);
        let reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(&*now);
        let now: Vec<Vec<String>> = reader.into_records()
            .map(|row| row.unwrap().iter().map(str::to_owned).collect())
            .collect();
        let width = rows[0].len();
        let longer = rows.iter().filter(|row| row.len() > width).count();
        prop_assert_eq!(recorded.problems.len(), longer);
        let wanted = rows.iter().enumerate().map(|(number, row)| {
            let mut row = row.clone();
            if row.len() <= width {
                row.resize(width, String::new());
                row.push(match row.iter().any(|cell| cell.contains('a')) {
                    _ if number == 0 => "new".into(),
                    true => with.clone(),
                    false => String::new(),
                });
            }
            row
        });
        prop_assert_eq!(now, wanted.collect::<Vec<_>>());
    }

    /// Whatever is in front of the first sound object or row, those behind it are read.
    #[test]
    fn a_bad_first_row_is_one_row(bad in pick(&["[1]", "{\"a\":", "x", "{\"a\":1,}"]), size in 1..9usize) {
        let objects = "{\"a\":\"x\"}\n{\"a\":\"y\"}\n";
        let rows = "1,2\n3,4\n";
        for (format, first, rest) in [("jsonl", bad, objects), ("csv", "\"a\"b,c", rows)] {
            let (columns, no_header) = (if format == "csv" { "1" } else { "a" }, format == "jsonl");
            let step = StepSpec { no_header, ..words(columns, format) };
            let all = cells(&step, format!("{first}\n{rest}").as_bytes(), size);
            let without = StepSpec { no_header: true, ..step };
            let good = cells(&without, format!("\n{rest}").as_bytes(), size);
            let values = |cells: &Cells| cells.cells.iter().map(|c| (c.0, c.4.clone())).collect::<Vec<_>>();
            prop_assert_eq!(values(&all), values(&good));
            prop_assert_eq!((all.problems.len(), good.problems.len()), (1, 0));
        }
    }

    /// Rows that are lines may be evaluated in parts: the changes, the notes, and what is said at the end, are the same.
    #[test]
    fn parts_of_rows(
        rows in prop::collection::vec(pick(&[
            "{\"a\":\"quay\",\"b\":[\"quay\"]}", "{\"b\":[\"quay\",\"pier\"]}", "{\"a\":7,\"b\":7}", "{\"a\":null}", "", "{\"a\":", "[]",
            "{\"@\":{\"table\":\"berths\",\"row\":7},\"a\":\"quay 7\"}",
        ]), 1..12),
        columns in pick(&["a", "/b/-", "a,/b/-", "/a/0"]), table in prop::option::of(pick(&["berths", "pilots"])), size in 1..60usize,
    ) {
        let format = if table.is_some() { "sqlite" } else { "jsonl" };
        let (pattern, with) = (Some("quay|7".into()), Some("1".into()));
        let step = StepSpec { pattern, with, table: table.map(str::to_owned), remove: false, ..words(columns, format) };
        let rewrite = Rewrite::new(vec![step.build(&mut NoTables).unwrap()]);
        let text = rows.join("\n").into_bytes();
        let parts = support::record_parts(&rewrite, &text, size).expect("rows that are local");
        prop_assert_eq!(parts, record(&rewrite, &text, usize::MAX));
    }

    /// So may the rows of a table, wherever its header stands and whatever is wrong with a row; each step goes by the header
    /// that it sees.
    #[test]
    fn parts_of_tables(
        rows in prop::collection::vec(pick(&[
            "id,note", "id,note", "7,quay", "8,\"quay\n7\"", "", "9", "\"x\"y,quay", "quay 7,7,quay", "7 8,\"quay", "\"\",\"a\"\"7\"\n",
        ]), 1..12),
        steps in prop::collection::vec((pick(&["1", "2", "2..", "3"]), pick(&["quay|7", "a", "^"])), 1..4),
        into in pick(&["", "1", "3"]), lines in pick(&["", "3.."]), format in pick(&["csv", "csv", "spaced"]),
        (no_header, ragged, drops) in any::<(bool, bool, bool)>(), size in 1..60usize,
    ) {
        let name = |number: &str| match (no_header, number) {
            (true, number) => number.to_owned(),
            (false, "1") => "id".into(),
            (false, "2") => "note".into(),
            (false, _) => "made".into(),
        };
        let step = |(index, (columns, pattern)): (usize, &(&str, &str))| StepSpec {
            pattern: Some((*pattern).into()),
            with: (!drops).then(|| "<$0>".into()),
            drop_lines: drops,
            into: (!drops && index == 0 && !into.is_empty()).then(|| name(into)),
            lines: (index == 0 && !lines.is_empty()).then(|| lines.into()),
            no_header,
            ragged,
            remove: false,
            ..words(&if columns == &"2.." { "2..".into() } else { name(columns) }, format)
        };
        let steps = steps.iter().enumerate().map(|step_of| step(step_of).build(&mut NoTables));
        let Ok(steps) = steps.collect() else {
            return Err(TestCaseError::reject("words that do not go together"));
        };
        let rewrite = Rewrite::new(steps);
        let text = rows.join("\n").into_bytes();
        let parts = support::record_parts(&rewrite, &text, size).expect("rows that are apart");
        prop_assert_eq!(parts, record(&rewrite, &text, usize::MAX));
    }

    /// Rewritten JSON Lines and documents read back as what was meant; numbers, keys and blanks stay.
    #[test]
    fn rewritten_objects_read_back(
        values in prop::collection::vec((json(), json()), 1..4), with in hostile(), size in 1..9usize, escaped in any::<bool>(),
        is_document in any::<bool>(),
    ) {
        let mut text = String::new();
        let mut wanted = Vec::new();
        for (first, second) in values {
            let mut object = serde_json::json!({ "é/~": first, "list": [second, "a"] });
            let mut line = object.to_string().replace(':', " : ");
            if escaped {
                // The same text, written in another way.
                line = line.replace('é', "\\u00e9").replace('日', "\\u65E5");
            }
            text.push_str(match (is_document, wanted.is_empty()) {
                (false, true) => "",
                (false, false) => "\n",
                (true, true) => " [\n",
                (true, false) => ",",
            });
            text.push_str(&line);
            if let Value::String(text) = &mut object["é/~"] {
                *text = replaced("a", &with, text);
            }
            for item in object["list"].as_array_mut().unwrap() {
                if item.is_string() {
                    in_strings(item, &with);
                }
            }
            wanted.push(object);
        }
        text.push_str(match (is_document, wanted.is_empty()) {
            (false, _) => "\n",
            (true, false) => "\n]\n",
            (true, true) => "[]",
        });
        let step = StepSpec {
            remove: false,
            pattern: Some("a".into()),
            with: Some(with.replace('\\', "\\\\")),
            ..match is_document {
                true => words("/-/é~1~0,/-/list/-", "json"),
                false => words("/é~1~0,/list/-", "jsonl"),
            }
        };
        let rewrite = Rewrite::new(vec![step.build(&mut NoTables).unwrap()]);
        let recorded = record(&rewrite, text.as_bytes(), usize::MAX);
        let mut in_cuts = record(&rewrite, text.as_bytes(), size);
        if is_document {
            // A document is cut within lines, and a hunk does not go beyond its piece.
            in_cuts.hunks.clone_from(&recorded.hunks);
        }
        prop_assert_eq!(&recorded, &in_cuts);
        let now = support::splice(text.as_bytes(), &recorded.changes);
        let lines = now.split(|b| *b == b'\n').filter(|line| !line.is_empty());
        let read: Vec<Value> = match is_document {
            true => serde_json::from_slice(&now).unwrap(),
            false => lines.map(|line| serde_json::from_slice(line).unwrap()).collect(),
        };
        // A text that merely looks like a column of no text is reported, and nothing else.
        if recorded.problems.is_empty() {
            prop_assert_eq!(read, wanted);
        }
    }

    /// A pointer leads to the value that the library's own leads to, in an array for each element, and no cut of
    /// the text changes that.
    #[test]
    fn pointers_into_documents_are_those_of_the_library(
        document in document(), pretty in any::<bool>(), nth in any::<prop::sample::Index>(), size in 1..9usize,
    ) {
        let text = match pretty {
            true => serde_json::to_string_pretty(&document),
            false => serde_json::to_string(&document),
        };
        let text = text.unwrap();
        let elements = match &document {
            Value::Array(elements) => elements.clone(),
            other => vec![other.clone()],
        };
        let mut pointers = Vec::new();
        elements.iter().for_each(|element| pointers_below(element, "", &mut pointers));
        if !document.is_array() {
            pointers.retain(|pointer| !pointer.is_empty());
        }
        let pointer = nth.get(&pointers);
        let wanted = elements.iter().filter_map(|element| match element.pointer(pointer)? {
            Value::String(text) => Some(text.clone().into_bytes()),
            Value::Number(number) => Some(number.to_string().into_bytes()),
            _ => None,
        });
        let wanted: Vec<Vec<u8>> = wanted.collect();
        let column = if document.is_array() { format!("/-{pointer}") } else { pointer.clone() };
        // A comma or a quote in a key is not a part of a column that is written so.
        if column.parse::<Column>() == Ok(Column::Pointer(column.clone())) {
            let step = words(&column, "json");
            let found = cells(&step, text.as_bytes(), usize::MAX);
            prop_assert_eq!(&found, &cells(&step, text.as_bytes(), size));
            let values: Vec<Vec<u8>> = found.cells.into_iter().map(|cell| cell.4).collect();
            if found.problems.is_empty() {
                prop_assert_eq!(values, wanted, "{} in {}", column, text);
            }
        }
    }

    /// The rows of a container are taken apart as objects of JSON are read, those that are cut off too.
    #[test]
    fn rows_of_a_container_are_objects(
        rows in prop::collection::vec((hostile(), json(), json()), 1..4), kept in any::<prop::sample::Index>(),
        is_cut in any::<bool>(), column in pick(&["/a", "/b/-", "/b/a", "/a/0/-"]),
    ) {
        let object = |(key, a, b): &(String, Value, Value)| {
            let key = serde_json::json!(format!("{key}c"));
            format!("{{{key}:1,\"a\":{a},\"b\":{b}}}\n")
        };
        let mut text: String = rows.iter().map(object).collect();
        if is_cut {
            let places: Vec<usize> = text.char_indices().map(|(at, _)| at).collect();
            text.truncate(*kept.get(&places));
        }
        let read = |format| cells(&words(column, format), text.as_bytes(), usize::MAX);
        let (of_container, wanted) = (read("sqlite"), read("jsonl"));
        prop_assert_eq!(of_container.cells, wanted.cells, "{}", text);
        prop_assert_eq!(of_container.problems.len(), wanted.problems.len(), "{}", text);
    }

    /// Which cells are rewritten is what a slow reader of rows makes of the conditions and picks.
    #[test]
    fn scopes_and_picks_of_cells(
        (rows, text) in table(), place in (0..4usize, 0..4usize, pick(&["", "2..", "3", "1.. by 2"])),
        which in (pick(&["", "first", "2", "last", "last-1.."]), pick(&["unit", "row", "file", "run"]), prop::option::of(0..4u64)),
        size in 1..9usize,
    ) {
        let width = rows[0].len();
        let (holder, lacker) = (place.0 % (width + 1), place.1 % (width + 1));
        let pair = |column: usize| vec![format!("{}", column + 1), "[ab]".to_owned()];
        let step = StepSpec {
            remove: false,
            pattern: Some("[ab7]".into()),
            with: Some("<$0>".into()),
            lines: Some(place.2.to_owned()).filter(|lines| !lines.is_empty()),
            where_in: if holder < width { pair(holder) } else { Vec::new() },
            unless_in: if lacker < width && lacker != holder { pair(lacker) } else { Vec::new() },
            pick: Some(which.0.to_owned()).filter(|pick| !pick.is_empty()),
            per: Some(which.1.to_owned()).filter(|_| !which.0.is_empty()),
            limit: which.2,
            ..words("1..", "csv")
        };
        let step = step.build(&mut NoTables).unwrap();
        let rewrite = Rewrite::new(vec![step]);
        let recorded = record(&rewrite, &text, usize::MAX);
        prop_assert_eq!(&recorded, &record(&rewrite, &text, size));
        let now = support::splice(&text, &recorded.changes);
        let mut wanted = rows.clone();
        slowly(&mut wanted, &lines_of_rows(&text), (holder, lacker), place.2, which);
        prop_assert_eq!(rows_of(&now), wanted);
    }

    /// Two steps on cells, one after the other, are one change with both inside.
    #[test]
    fn steps_on_cells_compose((rows, text) in table(), first in hostile(), second in hostile()) {
        let step = |pattern: &str, with: &str| StepSpec {
            remove: false,
            pattern: Some(pattern.into()),
            with: Some(with.replace('\\', "\\\\")),
            ..words("1..", "csv")
        };
        let build = |words: &StepSpec| words.build(&mut NoTables).unwrap();
        let (one, two) = (build(&step("a", &first)), build(&step("b|,", &second)));
        let rewrite = Rewrite::new(vec![one, two]);
        let now = rewrite_text(&rewrite, &text).text;
        let mut wanted = rows;
        for cell in wanted[1..].iter_mut().flatten() {
            *cell = replaced("b|,", &second, &replaced("a", &first, cell));
        }
        prop_assert_eq!(rows_of(&now), wanted);
    }

    /// A LIST that is printed parses to the same LIST.
    #[test]
    fn list_prints_what_it_parses(items in prop::collection::vec(prop_oneof![
        "[1-9][0-9]{0,2}", "[1-9]\\.\\.", "\\.\\.[1-9]", "1\\.\\.[1-9]", "[a-zé_ ]{1,6}",
        "(/[a-z-]{0,3}(~[01])?){1,3}", "\"[a-z, ']{0,4}\"", "'[0-9,\" ]{0,4}'",
    ], 1..4)) {
        if let Ok(list) = items.join(",").parse::<ColumnList>() {
            prop_assert_eq!(list.to_string().parse::<ColumnList>(), Ok(list));
        }
    }
}

#[test]
fn lists_of_columns() {
    type Wanted = Result<&'static str, (std::ops::Range<usize>, &'static str)>;
    let cases: &[(&str, Wanted)] = &[
        ("berth", Ok("berth")),
        (" berth , 3,5..7 ", Ok("berth,3,5..7")),
        ("..3,9..", Ok("1..3,9..")),
        ("/ship/name,/crew/-/name", Ok("/ship/name,/crew/-/name")),
        ("\"depth, m\",'3'", Ok("\"depth, m\",\"3\"")),
        ("depth m", Ok("depth m")),
        ("", Err((0..0, "missing"))),
        ("a,,b", Err((2..2, "missing"))),
        ("0", Err((0..1, "no column 0"))),
        ("a,5..3", Err((2..6, "backwards"))),
        ("99999999999", Err((0..11, "too large"))),
        ("a,'b", Err((2..4, "whole name"))),
        ("'a' b,c", Err((0..7, "whole name"))),
        ("/a~2", Err((0..4, "`~0`"))),
    ];
    for (text, wanted) in cases {
        match (text.parse::<ColumnList>(), wanted) {
            (Ok(list), Ok(shown)) => assert_eq!(list.to_string(), *shown, "{text}"),
            (Err(error), Err((span, part))) => {
                assert_eq!(error.span().unwrap().range(), *span, "{text}");
                assert!(
                    error.to_string().contains(part) && error.remedy().is_some(),
                    "{error}"
                );
            }
            (got, _) => panic!("{text}: {got:?}"),
        }
    }
    assert!("a,b".parse::<Column>().is_err() && "2..3".parse::<Column>().is_err());
}

#[test]
fn what_is_wrong_with_a_table() {
    // Format, columns, text, then line and message of each problem.
    type Case = (
        &'static str,
        &'static str,
        &'static str,
        &'static [(u64, &'static str)],
    );
    let cases: &[Case] = &[
        ("csv", "a", "a,b\n1,2\n", &[]),
        ("csv", "a", "", &[]),
        ("csv", "a", "\n\na,b\n\n1,2\n\n", &[]),
        (
            "csv",
            "a",
            "a,b\n1\n1,2,3\n",
            &[(2, "1 cell, and the first one 2"), (3, "3 cells")],
        ),
        (
            "csv",
            "a",
            "a,b\n1,\"x\ny\"z\n3,4\n",
            &[(3, "follows a closing quote")],
        ),
        ("csv", "a", "a,b\n1,2\n3,\"x\ny\nz", &[(3, "never closed")]),
        ("csv", "a", "a,b\n\"1\n", &[(2, "never closed")]),
        (
            "csv",
            "c",
            "a,b\n1,2\n",
            &[(1, "no column `c`; there is `a`, `b`")],
        ),
        (
            "csv",
            "3",
            "a,b\n1,2\n",
            &[(1, "no column 3: the first row has 2")],
        ),
        ("csv", "2..9", "a,b\n1,2\n", &[(1, "no column 9")]),
        (
            "csv",
            "a",
            "a,b,a\n1,2,3\n",
            &[(
                1,
                "columns 1 and 3 share the name `a`: pick one by its number",
            )],
        ),
        ("csv", "1", "\"a,b\n1,2\n", &[(1, "never closed")]),
        (
            "csv",
            "a",
            "a,\"b\"c\n1,2\n",
            &[
                (1, "text follows"),
                (2, "header could not be read, so `a` names no column"),
            ],
        ),
        (
            "jsonl",
            "/a",
            "{\"a\":\n{\"a\":\"x\"}\n",
            &[(1, "not JSON")],
        ),
        ("tsv", "b", "a\tb\n1\t\"x\ty\"\n", &[]),
        ("spaced", "2", "  a   b\n 1 2 \n\t\n3\n", &[(4, "1 cell")]),
        ("jsonl", "/a", "{\"a\":\"x\"}\n\n  {\"a\" : 1 }\r\n", &[]),
        (
            "jsonl",
            "/a",
            "[1]\n{\"a\":\"x\"}\n",
            &[(1, "not a JSON object")],
        ),
        (
            "jsonl",
            "/a",
            "{\"a\":\"x\"}\n{\"a\":\n7\n",
            &[(2, "not JSON: it ends too early"), (3, "not a JSON object")],
        ),
        (
            "jsonl",
            "/a",
            "{\"a\":\"x\",\"a\":\"y\"}\n",
            &[(1, "twice")],
        ),
        (
            "jsonl",
            "/b",
            "{\"a\":\"x\"}\n",
            &[(0, "/b leads to no text in any row; there is `a`")],
        ),
        (
            "jsonl",
            "/a/b",
            "{\"a\":\"x\"}\n",
            &[(0, "leads to no text in any row")],
        ),
        ("jsonl", "2", "{\"a\":\"x\"}\n", &[(1, "have no numbers")]),
        (
            "jsonl",
            "a",
            "{\"a\":\"\\ud800\"}\n",
            &[(1, "no character")],
        ),
        ("json", "a", "", &[]),
        ("json", "a", " [ ] \n", &[]),
        ("json", "/-/a", "[\n{\"a\": \"x\"} ,{\"a\":1e999}]\n", &[]),
        ("json", "a", "{\"a\": 1}\n", &[]),
        (
            "json",
            "a",
            "[{\"a\":1},\n{\"a\":2,}]",
            &[(2, "byte 8 of this line")],
        ),
        ("json", "a", "[{\"a\":1},\n{\"a\"", &[(2, "cut off")]),
        ("json", "a", "[{\"a\":1},\n", &[(2, "cut off")]),
        ("json", "a", "[{\"a\":1}\n", &[(2, "cut off")]),
        (
            "json",
            "a",
            "{\"a\":1}\n{\"a\":2}\n",
            &[(2, "say `--format jsonl`")],
        ),
        ("json", "a", "[{\"a\":1}] x", &[(1, "follows the end")]),
        ("json", "a", "[{\"a\":1} {\"a\":1}]", &[(1, "byte 10")]),
        ("json", "a", "\n7\n", &[(2, "neither an array")]),
        (
            "json",
            "a",
            "[{\"a\":\"x\",\"a\":\"y\"},\n{\"a\":\"\\ud800\"},{\"a\":1}]",
            &[(1, "twice"), (2, "no character")],
        ),
    ];
    for (format, columns, text, wanted) in cases {
        for size in [1, 2, 3, usize::MAX] {
            let seen = cells(&words(columns, format), text.as_bytes(), size);
            let told: Vec<(u64, String)> = (seen.problems.iter())
                .map(|p| (p.line.unwrap_or(0), p.kind.to_string()))
                .collect();
            assert_eq!(told.len(), wanted.len(), "{format} {text:?}: {told:?}");
            for ((line, message), (at, part)) in told.iter().zip(*wanted) {
                assert!(
                    line == at && message.contains(part),
                    "{text:?}: {line} {message}"
                );
            }
        }
    }
}

/// Cells that a container only shows are found, and are not written.
#[test]
fn cells_that_are_left_alone() {
    for (columns, row, is_written) in [
        (
            "/day/date",
            r#"{"@":{"row":7},"day":{"date":"2031"}}"#,
            false,
        ),
        ("/@/row", r#"{"@":{"row":7},"day":"2031"}"#, false),
        (
            "/day/date",
            r#"{"@":{"row":7},"day":{"date":"2031","note":null}}"#,
            true,
        ),
        (
            "/day/-/key",
            r#"{"@":{"row":7},"day":[{"key":"2031","value":{"blob":3}}]}"#,
            true,
        ),
        ("/day", r#"{"@":{"row":7},"day":7}"#, true),
    ] {
        for format in ["workbook", "sqlite", "parquet"] {
            let (pattern, with) = (Some(r"\d+".into()), Some("1".into()));
            let step = StepSpec {
                pattern,
                with,
                remove: false,
                ..words(columns, format)
            };
            let rewrite = Rewrite::new(vec![step.build(&mut NoTables).unwrap()]);
            let made = record(&rewrite, row.as_bytes(), usize::MAX);
            assert_eq!(
                made.changes.len(),
                usize::from(is_written),
                "{format} {row}"
            );
            let said = made
                .problems
                .first()
                .map(|problem| problem.kind.to_string());
            assert_eq!(
                said.is_some_and(|said| said.contains("cannot be written")),
                !is_written,
                "{format} {row}"
            );
        }
    }
}
