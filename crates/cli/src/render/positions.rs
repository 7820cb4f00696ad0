//! Places for editors: a line for each, `path:line:column: text`. Columns count characters, from 1.

use crate::render::names::file_name;
use brisk_quill_core::escape::visible;
use brisk_quill_core::query::unit_view::UnitView;
use brisk_quill_core::span::Span;
use brisk_quill_core::unit::line_ends;
use brisk_quill_engine::kept_hunk::{FileReport, KeptEdit};
use brisk_quill_files::source::Source;

/// A place in a text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Position {
    /// From 1.
    pub line: u64,
    /// In characters, from 1.
    pub column: u64,
}

impl Position {
    /// The place of `at` in `text`, whose first line has the number `line`.
    fn of(text: &[u8], line: u64, at: usize) -> Self {
        let before = &text[..at.min(text.len())];
        let start = memchr::memrchr(b'\n', before).map_or(0, |end| end + 1);
        // What is not UTF-8 counts byte by byte.
        let chars: usize = before[start..]
            .utf8_chunks()
            .map(|chunk| chunk.valid().chars().count() + chunk.invalid().len())
            .sum();
        Self {
            line: line + line_ends(&before[..start]),
            column: chars as u64 + 1,
        }
    }
}

/// The places where matches of a unit begin.
pub fn of_matches(unit: &UnitView<'_>, spans: &[Span]) -> Vec<Position> {
    let offsets = unit.offsets();
    let start = memchr::memrchr(b'\n', &unit.text[..unit.span.from]).map_or(0, |end| end + 1);
    let place = |span: &Span| {
        // Every offset lies in the text that is in memory.
        let at = (offsets.of(span.from) - unit.base) as usize;
        Position::of(&unit.text[start..], unit.line, at - start)
    };
    spans.iter().map(place).collect()
}

/// A line about a place.
pub fn line(source: &Source, place: Position, text: &str) -> String {
    let Position { line, column } = place;
    format!("{}:{line}:{column}: {text}\n", file_name(source))
}

/// The line of a text in which `at` lies, fit to be shown.
pub fn line_at(text: &[u8], at: usize) -> String {
    let at = at.min(text.len());
    let from = memchr::memrchr(b'\n', &text[..at]).map_or(0, |end| end + 1);
    let to = memchr::memchr(b'\n', &text[at..]).map_or(text.len(), |end| at + end);
    visible(text[from..to].trim_ascii_end())
}

/// The place of each change of a file, and what becomes of what.
pub fn changes(report: &FileReport<'_>) -> impl Iterator<Item = (Position, String)> {
    report.hunks.iter().flat_map(|hunk| {
        hunk.edits.iter().map(|edit| {
            let place = Position::of(&hunk.was, hunk.line, edit.span.from);
            (place, pair(edit, &hunk.was[edit.span.range()]))
        })
    })
}

/// A line for each change of a file.
pub fn of_changes(report: &FileReport<'_>) -> String {
    let lines = changes(report).map(|(place, text)| line(report.source, place, &text));
    lines.collect()
}

fn pair(edit: &KeptEdit, before: &[u8]) -> String {
    let (was, now) = match &edit.cell {
        Some(cell) => (&cell.was[..], &cell.now[..]),
        None => (before, &edit.after[..]),
    };
    let shown = |text: &[u8]| match text.is_empty() {
        true => "(nothing)".to_owned(),
        false => visible(text),
    };
    format!("{} → {}", shown(was), shown(now))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_count_characters() {
        let text = "one\nåß\tx\n".as_bytes();
        for (at, line, column) in [(0, 7, 1), (2, 7, 3), (4, 8, 1), (9, 8, 4)] {
            let wanted = Position { line, column };
            assert_eq!(Position::of(text, 7, at), wanted, "{at}");
        }
        assert_eq!(line_at(text, 5), "åß→x");
    }
}
