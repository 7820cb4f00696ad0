//! Ends of the records of a table, found in bytes that come in any cut.
//!
//! Note to the maintainer: this knows of quotes exactly what `scanner` knows, and no more: a quote
//! opens a cell only at its start; in it, two quotes are one, and one ends it. What follows the
//! closing quote does not change what is a record end. Change both together.

use crate::columns::dialect::Dialect;
use crate::columns::formats::delimited::marks::{BLOCK, Marks, Quotes};

/// Finds record ends; carries its state from one cut to the next.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Boundary {
    dialect: Dialect,
    quotes: Quotes,
}

impl Boundary {
    /// `None` where every line end is a record end.
    pub fn new(dialect: Dialect) -> Option<Self> {
        dialect.quote?;
        Some(Self {
            dialect,
            quotes: Quotes::default(),
        })
    }

    /// True if a quote is open.
    pub fn is_open(self) -> bool {
        self.quotes == Quotes::Inside
    }

    /// Goes on over all of `bytes`; gives one past the first record end in them, and one past
    /// the last.
    pub fn ends(&mut self, bytes: &[u8]) -> Option<(usize, usize)> {
        let (mut first, mut last) = (None, 0);
        self.each_block(bytes, |at, ends| {
            first.get_or_insert(at + ends.trailing_zeros() as usize + 1);
            last = at + (u64::BITS - ends.leading_zeros()) as usize;
            true
        });
        Some((first?, last))
    }

    /// Goes on until one past the first record end; `None` when there is none in `bytes`.
    pub fn first_end(&mut self, bytes: &[u8]) -> Option<usize> {
        let mut first = None;
        self.each_block(bytes, |at, ends| {
            first = Some(at + ends.trailing_zeros() as usize + 1);
            false
        });
        if first.is_some() {
            self.quotes = Quotes::Opens;
        }
        first
    }

    /// Visits each block in which records end, with its start and the bits of their line ends, until `go_on` says no.
    fn each_block(&mut self, bytes: &[u8], mut go_on: impl FnMut(usize, u64) -> bool) {
        for at in (0..bytes.len()).step_by(BLOCK) {
            let block = &bytes[at..bytes.len().min(at + BLOCK)];
            let marks = Marks::of(bytes, at, self.dialect);
            let ends = match self.quotes.pass(marks, block.len()) {
                Some(inside) => marks.lines & !inside,
                None => self.byte_by_byte(block),
            };
            if ends != 0 && !go_on(at, ends) {
                return;
            }
        }
    }

    /// The bits of the line ends that end records, in a block with quotes within cells.
    fn byte_by_byte(&mut self, block: &[u8]) -> u64 {
        let mut ends = 0;
        for (at, byte) in block.iter().enumerate() {
            let is_end = *byte == b'\n';
            let is_quote = self.dialect.quote == Some(*byte);
            self.quotes = match self.quotes {
                Quotes::Inside if is_quote => Quotes::Opens,
                Quotes::Inside => Quotes::Inside,
                Quotes::Opens if is_quote => Quotes::Inside,
                Quotes::Opens | Quotes::Bare => {
                    ends |= u64::from(is_end) << at;
                    match is_end || *byte == self.dialect.delimiter {
                        true => Quotes::Opens,
                        false => Quotes::Bare,
                    }
                }
            };
        }
        ends
    }
}
