//! Scanner of the cells of each record.
//!
//! Nothing is decoded here: a cell is a span of bytes, its quotes included. The scanner is strict
//! about what it accepts, and forgiving about how it goes on: a record with a fault has an end
//! like any other, and the next one is scanned anew.
//!
//! Note to the maintainer: `boundary` must agree with this on where records end.

use crate::columns::dialect::Dialect;
use crate::columns::fault::RowFault;
use crate::columns::formats::RecordSource;
use crate::columns::formats::delimited::delimiter_scan::DelimiterScan;
use crate::columns::members::Members;
use crate::columns::record::{RawCell, ScannedRecord};
use crate::span::Span;

/// Scans records of cells between delimiters, one after another.
pub(crate) struct Scanner<'t> {
    text: &'t [u8],
    dialect: Dialect,
    at: usize,
    marks: DelimiterScan<'t>,
}

/// The place of the scanner in a cell.
#[derive(Clone, Copy)]
enum Place {
    Bare,
    Quoted,
    /// Behind a quote that closes it, unless another follows at once.
    Closed(usize),
}

impl<'t> Scanner<'t> {
    pub fn new(text: &'t [u8], dialect: Dialect) -> Self {
        let Dialect { delimiter, quote } = dialect;
        Self {
            text,
            dialect,
            at: 0,
            marks: DelimiterScan::new(text, [b'\n', delimiter, quote.unwrap_or(delimiter)]),
        }
    }
}

impl<'t> RecordSource<'t> for Scanner<'t> {
    fn next(&mut self, cells: &mut Vec<RawCell>, _: &mut Members<'t>) -> Option<ScannedRecord> {
        cells.clear();
        if self.at == self.text.len() {
            return None;
        }
        let mut record = ScannedRecord {
            content: Span::new(self.at, self.at),
            lines_above: 0,
            inner_lines: 0,
            ends_line: true,
            fault: None,
            blank: false,
        };
        let mut next = self.text.len();
        let mut cell = self.at;
        let mut place = Place::Bare;
        let mut end = self.text.len();
        for at in self.marks.by_ref() {
            let byte = self.text[at];
            if byte == self.dialect.delimiter {
                if !matches!(place, Place::Quoted) {
                    cells.push(cell_of(cell, at, place, &mut record));
                    (cell, place) = (at + 1, Place::Bare);
                }
            } else if byte == b'\n' {
                if !matches!(place, Place::Quoted) {
                    end = at;
                    next = at + 1;
                    break;
                }
                record.inner_lines += 1;
            } else {
                place = match place {
                    Place::Bare if at == cell => Place::Quoted,
                    Place::Quoted => Place::Closed(at + 1),
                    Place::Closed(closed) if at == closed => Place::Quoted,
                    other => other,
                };
            }
        }
        if end < next && end > cell && self.text[end - 1] == b'\r' {
            end -= 1;
        }
        cells.push(cell_of(cell, end, place, &mut record));
        record.content.to = end;
        record.blank = record.content.is_empty();
        self.at = next;
        Some(record)
    }
}

/// A cell that has come to its end; what is wrong with it goes to the record.
#[inline]
fn cell_of(from: usize, to: usize, place: Place, record: &mut ScannedRecord) -> RawCell {
    match place {
        Place::Bare => {}
        Place::Closed(at) if at == to => {}
        Place::Closed(at) => note(record, at, RowFault::TextAfterQuote),
        Place::Quoted => note(record, from, RowFault::UnclosedQuote),
    }
    RawCell {
        span: Span::new(from, to),
        quoted: !matches!(place, Place::Bare),
    }
}

/// The first fault of a record counts.
#[cold]
fn note(record: &mut ScannedRecord, at: usize, fault: RowFault) {
    record.fault.get_or_insert((at, fault));
}
