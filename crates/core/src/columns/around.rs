//! The whole row of a place that is known.

use crate::columns::formats::jsonl::{members_of, object};
use crate::columns::layout::Layout;
use crate::columns::row::RowReader;
use crate::columns::token::{Kind, kind};
use crate::span::Span;
use memchr::{memchr_iter, memrchr_iter};

/// Places tried as the beginning of the row.
const TRIED: usize = 64;

/// The columns that a table has by its first row, which `text` begins with.
pub fn column_names(layout: Layout, text: &[u8]) -> Vec<String> {
    let mut rows = RowReader::new(text, layout);
    match rows.next() {
        Some(row) if row.fault.is_none() => rows.names(layout),
        _ => Vec::new(),
    }
}

/// Every column of the row of a place, with its value; `at` lies in `text`, which holds all of its row, and is one
/// of its cells if it `is_cell`. `names` are those of a table's columns, empty where it has pointers. `None` where no row can be read there.
///
/// ```
/// use brisk_quill_core::columns::around::{column_names, row_around};
/// use brisk_quill_core::columns::layout::TableOptions;
/// use brisk_quill_core::span::Span;
///
/// let layout = TableOptions::default().layout("berths.csv".as_ref()).expect("a form by its name");
/// let text = b"berth,status\nB-4,closed\n";
/// let row = row_around(layout, &column_names(layout, text), text, (Span::new(13, 16), true)).expect("a row");
/// assert_eq!(row[1], ("status".to_owned(), b"closed".to_vec()));
/// ```
pub fn row_around(
    layout: Layout,
    names: &[String],
    text: &[u8],
    (at, is_cell): (Span, bool),
) -> Option<Vec<(String, Vec<u8>)>> {
    let starts = |sign: u8| memrchr_iter(sign, &text[..at.from]).take(TRIED);
    if layout.is_document() {
        // The outermost object around it is an element of the array, or the document.
        // A row that goes begins with its brace.
        let own = (text.get(at.from) == Some(&b'{')).then_some(at.from);
        let objects = own
            .into_iter()
            .chain(starts(b'{'))
            .filter_map(|from| members_at(text, from, at));
        return objects.last();
    }
    let lines = starts(b'\n').map(|end| end + 1);
    let at_start = memchr_iter(b'\n', &text[..at.from]).count() < TRIED;
    let mut lines = lines.chain(at_start.then_some(0));
    if layout.has_pointers() {
        let from = lines.next()?;
        let to = memchr::memchr(b'\n', &text[from..]).map_or(text.len(), |end| from + end);
        let values = values_of(object(&text[from..to]).ok()?.iter()).into_iter();
        let shown = values.filter_map(|(name, value)| {
            let value = layout.shown(&name, value)?;
            Some((name, value))
        });
        return Some(shown.collect());
    }
    lines.find_map(|from| cells_at(layout, names, text, (from, at, is_cell)))
}

/// The members of the object at `from`, if that holds `at`.
fn members_at(text: &[u8], from: usize, at: Span) -> Option<Vec<(String, Vec<u8>)>> {
    let rest = match std::str::from_utf8(&text[from..]) {
        Ok(rest) => rest,
        // The text may end within a character.
        Err(error) => std::str::from_utf8(&text[from..from + error.valid_up_to()]).ok()?,
    };
    let (members, length) = members_of(rest).ok()?;
    (at.to <= from + length).then(|| values_of(members.iter()))
}

fn values_of<'m>(members: impl Iterator<Item = (&'m str, &'m str)>) -> Vec<(String, Vec<u8>)> {
    let value = |raw: &str| match kind(raw) {
        Kind::Text => serde_json::from_str(raw).unwrap_or_else(|_| raw.to_owned()),
        Kind::Number | Kind::Other => raw.to_owned(),
    };
    members
        .map(|(key, raw)| (key.to_owned(), value(raw).into_bytes()))
        .collect()
}

/// The row that begins at `from`, if `at` is one of its cells.
fn cells_at(
    layout: Layout,
    names: &[String],
    text: &[u8],
    (from, at, is_cell): (usize, Span, bool),
) -> Option<Vec<(String, Vec<u8>)>> {
    let rest = &text[from..];
    let mut rows = RowReader::new(rest, layout);
    let row = rows.next().filter(|row| row.fault.is_none())?;
    let local = Span::new(at.from - from, at.to - from);
    let is_there = rows.cells.iter().any(|cell| cell.span == local);
    if is_cell && !is_there || row.content.to < local.to {
        return None;
    }
    let cell = |(index, span): (usize, Span)| {
        let number = || (index + 1).to_string();
        let name = names.get(index).cloned().unwrap_or_else(number);
        (name, layout.read_value(&rest[span.range()]))
    };
    let spans = rows.cells.iter().map(|cell| cell.span);
    Some(spans.enumerate().map(cell).collect())
}
