//! Cuts a text that comes in arbitrary bytes into pieces of whole lines.

use crate::unit::count_lines;
use crate::{MAX_UNIT_BYTES, ProblemKind};
use memchr::memrchr;

/// The largest text that is held as a whole, in bytes.
pub(crate) const MAX_TEXT_BYTES: usize = 1 << 30;

/// Takes what [`Pieces`] cuts.
pub(crate) trait PiecesSink {
    /// Whole lines; the last one lacks its line end only at the end of the text. `base` is the
    /// offset of the piece in the text.
    fn piece(&mut self, text: &[u8], base: u64);

    /// A line, or a whole text (`None`), too long to be looked at; it has been passed over.
    fn overlong(&mut self, line: Option<u64>, kind: ProblemKind);
}

/// What is left over between two calls.
#[derive(Debug, Default)]
pub(crate) struct Pieces {
    /// Hold everything back until the end.
    whole: bool,
    carry: Vec<u8>,
    /// Bytes and lines handed on or passed over.
    base: u64,
    lines: u64,
    /// Inside a line that is too long.
    passing: bool,
}

impl Pieces {
    /// Offsets count from `start`; with `whole` the text becomes one piece.
    pub fn new(whole: bool, start: u64) -> Self {
        Self {
            whole,
            base: start,
            ..Self::default()
        }
    }

    pub fn push(&mut self, bytes: &[u8], sink: &mut dyn PiecesSink) {
        let bytes = if self.passing {
            self.pass(bytes)
        } else {
            bytes
        };
        if self.passing {
            return;
        }
        if self.whole {
            self.carry.extend_from_slice(bytes);
            return self.bound(MAX_TEXT_BYTES, sink);
        }
        let Some(last_end) = memrchr(b'\n', bytes) else {
            self.carry.extend_from_slice(bytes);
            return self.bound(MAX_UNIT_BYTES, sink);
        };
        let (lines, rest) = bytes.split_at(last_end + 1);
        if self.carry.is_empty() {
            self.hand_on(lines, sink);
        } else {
            let mut carry = std::mem::take(&mut self.carry);
            carry.extend_from_slice(lines);
            self.hand_on(&carry, sink);
            carry.clear();
            self.carry = carry;
        }
        self.carry.extend_from_slice(rest);
    }

    pub fn finish(&mut self, sink: &mut dyn PiecesSink) {
        let carry = std::mem::take(&mut self.carry);
        if !carry.is_empty() {
            self.hand_on(&carry, sink);
        }
    }

    fn hand_on(&mut self, text: &[u8], sink: &mut dyn PiecesSink) {
        sink.piece(text, self.base);
        self.base += text.len() as u64;
        if !self.whole {
            self.lines += count_lines(text);
        }
    }

    /// Gives up on what has grown over its limit.
    fn bound(&mut self, limit: usize, sink: &mut dyn PiecesSink) {
        if self.carry.len() <= limit {
            return;
        }
        self.base += self.carry.len() as u64;
        self.lines += 1;
        self.carry = Vec::new();
        self.passing = true;
        let (line, kind) = if self.whole {
            (None, ProblemKind::TextTooLong { limit })
        } else {
            (Some(self.lines), ProblemKind::LineTooLong { limit })
        };
        sink.overlong(line, kind);
    }

    /// Passes over the rest of what is too long; returns what follows it.
    fn pass<'b>(&mut self, bytes: &'b [u8]) -> &'b [u8] {
        let end = memchr::memchr(b'\n', bytes).filter(|_| !self.whole);
        let passed = end.map_or(bytes.len(), |at| at + 1);
        self.passing = end.is_none();
        self.base += passed as u64;
        &bytes[passed..]
    }
}
