//! Cells between runs of blanks.

use crate::columns::fault::{CellFault, RowFault};
use crate::columns::formats::{PointedCell, RecordSource, RowFormat, unquotable};
use crate::columns::members::Members;
use crate::columns::record::{NewCell, RawCell, Record, ScannedRecord};
use crate::columns::spelling::{CellForm, CellSpelling, Spelling};
use crate::span::Span;
use crate::unit::{Line, lines};

/// Cells between runs of blanks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Blanks;

impl RowFormat for Blanks {
    fn records<'t>(&self, text: &'t [u8]) -> Box<dyn RecordSource<'t> + 't> {
        let lines = lines(text);
        Box::new(SpacedRecords { text, lines })
    }

    fn spelling_of(&self, _: &[u8]) -> Spelling {
        Spelling::new(&SpacedCell, CellForm::PLAIN)
    }

    fn spelling_at(&self, _: &Record<'_>, _: usize) -> Option<Spelling> {
        Some(Spelling::new(&SpacedCell, CellForm::PLAIN))
    }

    fn follow(&self, _: &Record<'_>, _: &str) -> Result<Vec<PointedCell>, RowFault> {
        Ok(Vec::new())
    }

    fn appended(
        &self,
        _: &Record<'_>,
        _: usize,
        cells: &[NewCell<'_>],
    ) -> Result<(usize, Vec<u8>), CellFault> {
        // An empty cell would not be seen.
        Err(unquotable(cells[0]))
    }
}

struct SpacedRecords<'t, L> {
    text: &'t [u8],
    lines: L,
}

impl<'t, L: Iterator<Item = Line>> RecordSource<'t> for SpacedRecords<'t, L> {
    fn next(&mut self, cells: &mut Vec<RawCell>, _: &mut Members<'t>) -> Option<ScannedRecord> {
        let line = self.lines.next()?;
        spaced(self.text, line.content, cells);
        Some(ScannedRecord {
            content: line.content,
            lines_above: 0,
            inner_lines: 0,
            ends_line: true,
            fault: None,
            blank: cells.is_empty(),
        })
    }
}

/// The cells of a line whose cells are runs of anything but blanks.
fn spaced(text: &[u8], line: Span, cells: &mut Vec<RawCell>) {
    cells.clear();
    let blank = |at: &usize| matches!(text[*at], b' ' | b'\t');
    let mut at = line.from;
    while let Some(from) = (at..line.to).find(|at| !blank(at)) {
        let to = (from..line.to).find(blank).unwrap_or(line.to);
        cells.push(RawCell {
            span: Span::new(from, to),
            quoted: false,
        });
        at = to;
    }
}

/// A cell between blanks, written as it is.
struct SpacedCell;

impl CellSpelling for SpacedCell {
    fn write(&self, _: CellForm, value: &[u8]) -> Option<Vec<u8>> {
        let blank = |b: &u8| matches!(b, b' ' | b'\t' | b'\n' | b'\r');
        (!value.is_empty() && !value.iter().any(blank)).then(|| value.to_vec())
    }
}
