//! Where records of a table end, found in bytes that come in any cut.
//!
//! Note to the maintainer: this knows of quotes exactly what `scan` knows, and no more: a quote
//! opens a cell only at its start; in it, two quotes are one, and one ends it. What follows the
//! closing quote does not change what is a record end. Change both together.

use super::Dialect;
use memchr::{memchr, memrchr};

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

    /// Whether a quote is open.
    pub fn is_open(self) -> bool {
        self.state == State::Quoted
    }

    /// Goes on over all of `bytes`; gives one past the last record end in them.
    pub fn last_end(&mut self, bytes: &[u8]) -> Option<usize> {
        let mut last = None;
        let mut at = 0;
        while at < bytes.len() {
            let (from, to) = self.bare(bytes, at);
            last = memrchr(b'\n', &bytes[from..to]).map_or(last, |end| Some(from + end + 1));
            at = self.quoted(bytes, to);
        }
        last
    }

    /// Goes on until one past the first record end; `None` when there is none in `bytes`.
    pub fn first_end(&mut self, bytes: &[u8]) -> Option<usize> {
        let mut at = 0;
        while at < bytes.len() {
            let (from, to) = self.bare(bytes, at);
            if let Some(end) = memchr(b'\n', &bytes[from..to]) {
                self.state = State::Start;
                return Some(from + end + 1);
            }
            at = self.quoted(bytes, to);
        }
        None
    }

    /// The next stretch, from `at` on, that lies outside quotes; the state is that behind it.
    fn bare(&mut self, bytes: &[u8], at: usize) -> (usize, usize) {
        match self.state {
            State::Quoted => return (at, at),
            State::Closing if bytes[at] == self.quote => {
                // The second of two.
                self.state = State::Quoted;
                return (at, at + 1);
            }
            State::Closing => self.state = State::Bare,
            State::Start | State::Bare => {}
        }
        let mut from = at;
        while let Some(quote) = memchr(self.quote, &bytes[from..]).map(|found| from + found) {
            let opens = match quote.checked_sub(1).filter(|_| quote > at) {
                Some(before) => self.begins_cell(bytes[before]),
                None => self.state == State::Start,
            };
            if opens {
                self.state = State::Quoted;
                return (at, quote + 1);
            }
            self.state = State::Bare;
            from = quote + 1;
        }
        self.state = match bytes.last() {
            Some(last) if self.begins_cell(*last) => State::Start,
            _ => State::Bare,
        };
        (at, bytes.len())
    }

    /// What lies between quotes from `at` on; gives one past the quote that may close it.
    fn quoted(&mut self, bytes: &[u8], at: usize) -> usize {
        if self.state != State::Quoted {
            return at;
        }
        match memchr(self.quote, &bytes[at..]) {
            Some(quote) => {
                self.state = State::Closing;
                at + quote + 1
            }
            None => bytes.len(),
        }
    }

    fn begins_cell(self, before: u8) -> bool {
        before == self.delimiter || before == b'\n'
    }
}
