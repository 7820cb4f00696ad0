//! Lines of files that hold tables, by their names.

use crate::hints::evidence::Form;
use brisk_quill_core::columns::layout::Format;
use brisk_quill_core::span::Span;

/// A line of a table, in which a match lies.
pub struct TableLine<'f> {
    line: &'f [u8],
    span: Span,
    delimiter: u8,
}

impl<'f> TableLine<'f> {
    /// The line that a form was first met in; `None` unless its file is a table whose line has cells.
    pub fn of(form: &'f Form) -> Option<Self> {
        let spot = &form.spot;
        let delimiter = match Format::of_path(spot.source.path())? {
            Format::Csv => b',',
            Format::Tsv => b'\t',
            Format::Spaced
            | Format::JsonLines
            | Format::Json
            | Format::Workbook
            | Format::Sqlite
            | Format::Parquet => return None,
        };
        let (line, span) = (&*spot.window, spot.span);
        let found = Self {
            line,
            span,
            delimiter,
        };
        (!spot.in_cell && found.cells_of(line) > 1).then_some(found)
    }

    /// The number of cells that a text makes.
    pub fn cells_of(&self, text: &[u8]) -> usize {
        1 + text.iter().filter(|byte| **byte == self.delimiter).count()
    }

    /// True if the match lies within quotes.
    pub fn is_quoted(&self) -> bool {
        let quotes = self.line[..self.span.from]
            .iter()
            .filter(|byte| **byte == b'"');
        quotes.count() % 2 == 1
    }

    /// True if no cell is empty, or a number.
    pub fn reads_like_names(&self) -> bool {
        let mut cells = self.line.split(|byte| *byte == self.delimiter);
        cells.all(|cell| {
            let text = String::from_utf8_lossy(cell);
            text.contains(char::is_alphabetic) && text.trim().parse::<f64>().is_err()
        })
    }
}
