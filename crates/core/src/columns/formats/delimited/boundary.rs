//! Ends of the records of a table, found in bytes that come in any cut.
//!
//! Note to the maintainer: this knows of quotes exactly what `scan` knows, and no more: a quote
//! opens a cell only at its start; in it, two quotes are one, and one ends it. What follows the
//! closing quote does not change what is a record end. Change both together.

use crate::columns::dialect::Dialect;
use crate::columns::formats::delimited::delimiter_scan::DelimiterScan;

/// Finds record ends; carries its state from one cut to the next.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Boundary {
    delimiter: u8,
    quote: u8,
    state: State,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum State {
    /// At the start of a cell: a quote would open it.
    Start,
    /// In a cell that has begun without a quote, or behind a closed one.
    Bare,
    /// Between quotes.
    Quoted,
    /// Behind a quote between quotes: it closes, unless another follows.
    Closing,
}

impl Boundary {
    /// `None` where every line end is a record end.
    pub fn new(dialect: Dialect) -> Option<Self> {
        Some(Self {
            delimiter: dialect.delimiter,
            quote: dialect.quote?,
            state: State::Start,
        })
    }

    /// True if a quote is open.
    pub fn is_open(self) -> bool {
        self.state == State::Quoted
    }

    /// Goes on over all of `bytes`; gives one past the first record end in them, and one past
    /// the last.
    pub fn ends(&mut self, bytes: &[u8]) -> Option<(usize, usize)> {
        let (mut first, mut last) = (None, 0);
        self.each_end(bytes, |end| {
            first.get_or_insert(end);
            last = end;
            true
        });
        Some((first?, last))
    }

    /// Goes on until one past the first record end; `None` when there is none in `bytes`.
    pub fn first_end(&mut self, bytes: &[u8]) -> Option<usize> {
        let mut first = None;
        self.each_end(bytes, |end| {
            first = Some(end);
            false
        });
        first
    }

    /// Visits one past each record end, until `go_on` says no.
    fn each_end(&mut self, bytes: &[u8], mut go_on: impl FnMut(usize) -> bool) {
        // Where a quote between quotes would be the second of two.
        let mut second = 0;
        for at in DelimiterScan::new(bytes, [b'\n', self.quote, self.quote]) {
            if bytes[at] == b'\n' {
                if self.state == State::Quoted {
                    continue;
                }
                self.state = State::Start;
                if !go_on(at + 1) {
                    return;
                }
                continue;
            }
            self.state = match self.state {
                State::Quoted => {
                    second = at + 1;
                    State::Closing
                }
                State::Closing if at == second => State::Quoted,
                State::Start | State::Bare | State::Closing => match at.checked_sub(1) {
                    Some(before) if self.begins_cell(bytes[before]) => State::Quoted,
                    None if self.state == State::Start => State::Quoted,
                    _ => State::Bare,
                },
            };
        }
        self.state = match (self.state, bytes.last()) {
            (state, None) => state,
            (State::Quoted, _) => State::Quoted,
            (State::Closing, _) if second == bytes.len() => State::Closing,
            (_, Some(last)) if self.begins_cell(*last) => State::Start,
            _ => State::Bare,
        };
    }

    fn begins_cell(&self, before: u8) -> bool {
        before == self.delimiter || before == b'\n'
    }
}
