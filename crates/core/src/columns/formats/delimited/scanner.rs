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
use crate::columns::formats::delimited::marks::{BLOCK, Marks, Quotes};
use crate::columns::members::Members;
use crate::columns::record::{RawCell, ScannedRecord};
use crate::span::Span;

/// Scans records of cells between delimiters, one after another.
pub(crate) struct Scanner<'t> {
    text: &'t [u8],
    dialect: Dialect,
    at: usize,
    block: Block,
}

/// The block that the scanner has come to.
#[derive(Clone, Copy, Default)]
struct Block {
    from: usize,
    to: usize,
    /// Delimiters and line ends outside quotes that have not been come to.
    left: u64,
    lines: u64,
    /// Line ends between quotes that have not been come to.
    inner_lines: u64,
    /// Behind it.
    quotes: Quotes,
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
        Self {
            text,
            dialect,
            at: 0,
            block: Block::default(),
        }
    }

    /// Goes on to the next block; `None` where there is none, or its marks do not say what lies between quotes.
    fn next_block(&mut self) -> Option<()> {
        let from = self.block.to;
        let to = self.text.len().min(from + BLOCK);
        if from == to {
            return None;
        }
        let marks = Marks::of(self.text, from, self.dialect);
        let inside = self.block.quotes.pass(marks, to - from)?;
        self.block = Block {
            from,
            to,
            left: (marks.lines | marks.delimiters) & !inside,
            lines: marks.lines,
            inner_lines: marks.lines & inside,
            quotes: self.block.quotes,
        };
        Some(())
    }

    /// The record that begins here, by the marks of blocks; `None` where it takes a look at each quote.
    fn by_blocks(&mut self, cells: &mut Vec<RawCell>) -> Option<ScannedRecord> {
        let mut inner_lines = 0;
        let mut cell = self.at;
        loop {
            while self.block.left == 0 {
                inner_lines += self.block.inner_lines.count_ones();
                self.next_block()?;
            }
            let mark = self.block.left & self.block.left.wrapping_neg();
            let at = self.block.from + mark.trailing_zeros() as usize;
            self.block.left ^= mark;
            let is_end = self.block.lines & mark != 0;
            let is_cut = is_end && at > cell && self.text[at - 1] == b'\r';
            let end = at - usize::from(is_cut);
            cells.push(self.cell(cell, end)?);
            if is_end {
                let inner = self.block.inner_lines & (mark - 1);
                self.block.inner_lines ^= inner;
                inner_lines += inner.count_ones();
                let content = Span::new(self.at, end);
                self.at = at + 1;
                return Some(record_of(content, inner_lines.into()));
            }
            cell = at + 1;
        }
    }

    /// A cell without a fault.
    #[inline]
    fn cell(&self, from: usize, to: usize) -> Option<RawCell> {
        let raw = &self.text[from..to];
        let is_quote = |byte: Option<&u8>| byte.is_some() && byte.copied() == self.dialect.quote;
        let quoted = is_quote(raw.first());
        let is_sound = !quoted || (raw.len() > 1 && is_quote(raw.last()));
        is_sound.then_some(RawCell {
            span: Span::new(from, to),
            quoted,
        })
    }

    /// The record that begins here, byte by byte.
    fn byte_by_byte(&mut self, cells: &mut Vec<RawCell>) -> ScannedRecord {
        let mut record = record_of(Span::new(self.at, self.at), 0);
        let mut next = self.text.len();
        let mut cell = self.at;
        let mut place = Place::Bare;
        let mut end = self.text.len();
        for (at, &byte) in (self.at..).zip(&self.text[self.at..]) {
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
            } else if Some(byte) == self.dialect.quote {
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
        record
    }
}

impl<'t> RecordSource<'t> for Scanner<'t> {
    fn next(&mut self, cells: &mut Vec<RawCell>, _: &mut Members<'t>) -> Option<ScannedRecord> {
        cells.clear();
        if self.at == self.text.len() {
            return None;
        }
        if let Some(record) = self.by_blocks(cells) {
            return Some(record);
        }
        cells.clear();
        let record = self.byte_by_byte(cells);
        self.block = Block {
            to: self.at,
            ..Block::default()
        };
        Some(record)
    }
}

fn record_of(content: Span, inner_lines: u64) -> ScannedRecord {
    ScannedRecord {
        content,
        lines_above: 0,
        inner_lines,
        ends_line: true,
        fault: None,
        blank: content.is_empty(),
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
