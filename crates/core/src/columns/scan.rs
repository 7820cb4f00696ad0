//! Where the cells of each record lie.
//!
//! Nothing is decoded here: a cell is a span of bytes, its quotes included. The scanner is strict
//! about what it accepts, and forgiving about how it goes on: a record with a fault has an end
//! like any other, and the next one is scanned anew.
//!
//! Note to the maintainer: `boundary` must agree with this on where records end.

use crate::columns::Dialect;
use crate::columns::delimiter_scan::DelimiterScan;
use crate::span::Span;

/// One cell as it is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct RawCell {
    /// Its bytes in the text, the quotes included.
    pub span: Span,
    /// Whether it stands between quotes.
    pub quoted: bool,
}

/// One record: its cells are in the list that was given.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Record {
    /// The record without its line end.
    pub content: Span,
    /// One past its line end.
    pub next: usize,
    /// Line ends within cells.
    pub inner_lines: u64,
    /// What is wrong with it, and where in the text that shows.
    pub fault: Option<(usize, RowFault)>,
}

/// What is wrong with the form of a row.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum RowFault {
    /// A quote opens a cell, and no quote closes it.
    #[error("the quote that opens this cell is never closed")]
    UnclosedQuote,
    /// Something stands between the closing quote and the end of the cell.
    #[error(
        "text follows a closing quote: a quote within quotes is written twice; the quote may also belong to a cell before, which has none to close it"
    )]
    TextAfterQuote,
    /// More or fewer cells than the first row has.
    #[error("this row has {found} {}, and the first one {wanted}", if *found == 1 { "cell" } else { "cells" })]
    Width {
        /// Cells in this row.
        found: usize,
        /// Cells in the first row.
        wanted: usize,
    },
    /// A line that does not parse.
    #[error("this line is not JSON: {}", json_fault(*byte))]
    NotJson {
        /// The byte at which that shows, from 1; `None` where the line ends too early.
        byte: Option<usize>,
    },
    /// A line of JSON Lines that is not UTF-8.
    #[error("this line is not JSON: byte {byte} of it is not UTF-8")]
    NotUtf8 {
        /// The first such byte, from 1.
        byte: usize,
    },
    /// A line with something else than an object.
    #[error("this line is not a JSON object, and columns are the keys of one")]
    NotAnObject,
    /// A key that an object has twice, and that is asked for.
    #[error("the key `{0}` is there twice in one object")]
    KeyTwice(String),
    /// A row over its limit.
    #[error("this row is longer than {} MiB, the most that is looked at", limit >> 20)]
    TooLong {
        /// In bytes.
        limit: usize,
    },
}

fn json_fault(byte: Option<usize>) -> String {
    match byte {
        Some(byte) => format!("byte {byte} of it cannot stand there"),
        None => "it ends too early".to_owned(),
    }
}

/// Scans records of cells between delimiters, one after another.
pub(crate) struct Scanner<'t> {
    text: &'t [u8],
    dialect: Dialect,
    at: usize,
    marks: DelimiterScan<'t>,
}

/// Where in a cell the scanner is.
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

    /// The next record; its cells replace those in `cells`.
    pub fn next(&mut self, cells: &mut Vec<RawCell>) -> Option<Record> {
        cells.clear();
        if self.at == self.text.len() {
            return None;
        }
        let mut record = Record {
            content: Span::new(self.at, self.at),
            next: self.text.len(),
            inner_lines: 0,
            fault: None,
        };
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
                    record.next = at + 1;
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
        if end < record.next && end > cell && self.text[end - 1] == b'\r' {
            end -= 1;
        }
        cells.push(cell_of(cell, end, place, &mut record));
        record.content.to = end;
        self.at = record.next;
        Some(record)
    }
}

/// A cell that has come to its end; what is wrong with it goes to the record.
#[inline]
fn cell_of(from: usize, to: usize, place: Place, record: &mut Record) -> RawCell {
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
fn note(record: &mut Record, at: usize, fault: RowFault) {
    record.fault.get_or_insert((at, fault));
}

/// The cells of a line whose cells are runs of anything but blanks.
pub(crate) fn spaced(text: &[u8], line: Span, cells: &mut Vec<RawCell>) {
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
