//! Cuts a text that comes in arbitrary bytes into pieces of whole records.

use crate::columns::formats::RecordEnds;
use crate::problem::ProblemKind;
use crate::unit::{MAX_UNIT_BYTES, line_ends};
use memchr::{memchr, memrchr};

/// The largest text that is held as a whole, in bytes.
pub(crate) const MAX_TEXT_BYTES: usize = 1 << 30;

/// The places where a text may be cut.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) enum Cut {
    /// Behind a line end.
    #[default]
    Lines,
    /// Between records.
    Records(RecordEnds),
    /// Nowhere.
    Nowhere,
}

impl Cut {
    /// One past the first place in `bytes` and one past the last; they follow on those that were
    /// shown before.
    pub fn ends(&mut self, bytes: &[u8]) -> Option<(usize, usize)> {
        match self {
            Self::Lines => {
                let last = memrchr(b'\n', bytes)?;
                let first = memchr(b'\n', bytes).unwrap_or(last);
                Some((first + 1, last + 1))
            }
            Self::Records(ends) => ends.ends(bytes),
            Self::Nowhere => None,
        }
    }

    /// One past the first place in `bytes`.
    fn first(&mut self, bytes: &[u8]) -> Option<usize> {
        match self {
            Self::Lines => memchr(b'\n', bytes).map(|at| at + 1),
            Self::Records(ends) => ends.first_end(bytes),
            Self::Nowhere => None,
        }
    }

    /// The most that is held back, in bytes.
    fn limit(self) -> usize {
        match self {
            Self::Nowhere => MAX_TEXT_BYTES,
            Self::Lines | Self::Records(_) => MAX_UNIT_BYTES,
        }
    }

    /// The problem of a longer one.
    fn problem(self) -> ProblemKind {
        let limit = self.limit();
        match self {
            Self::Nowhere => ProblemKind::TextTooLong { limit },
            Self::Lines => ProblemKind::LineTooLong { limit },
            Self::Records(ends) => ends.overlong(limit).into(),
        }
    }
}

/// Takes what [`Chunker`] cuts.
pub(crate) trait ChunkSink {
    /// Whole records; the last one lacks its line end only at the end of the text. `base` is the
    /// offset of the piece in the text; `last` says that nothing follows, as far as that is
    /// known.
    fn piece(&mut self, text: &[u8], base: u64, last: bool);

    /// A record, or a whole text, too long to be looked at; it has been passed over with its
    /// `lines`.
    fn overlong(&mut self, lines: u64, kind: ProblemKind);
}

/// Bytes left over between two calls.
#[derive(Debug, Default)]
pub(crate) struct Chunker {
    cut: Cut,
    carry: Vec<u8>,
    /// Bytes handed on or passed over.
    base: u64,
    /// Inside a record that is too long: its lines so far.
    passing: Option<u64>,
}

impl Chunker {
    /// Offsets count from `start`.
    pub fn new(cut: Cut, start: u64) -> Self {
        Self {
            cut,
            base: start,
            ..Self::default()
        }
    }

    /// Takes the next bytes; with `ended`, nothing follows but [`Chunker::finish`].
    pub fn push(&mut self, bytes: &[u8], ended: bool, sink: &mut dyn ChunkSink) {
        let bytes = self.pass(bytes, sink);
        if bytes.is_empty() {
            return;
        }
        if ended && self.carry.is_empty() && bytes.len() <= self.cut.limit() {
            return self.hand_on(bytes, true, sink);
        }
        let Some((first, last)) = self.cut.ends(bytes) else {
            self.carry.extend_from_slice(bytes);
            return self.bound();
        };
        let mut begun = 0;
        if !self.carry.is_empty() {
            // Only the record that had begun is copied.
            let mut carry = std::mem::take(&mut self.carry);
            carry.extend_from_slice(&bytes[..first]);
            self.hand_on(&carry, false, sink);
            carry.clear();
            self.carry = carry;
            begun = first;
        }
        if begun < last {
            self.hand_on(&bytes[begun..last], ended && last == bytes.len(), sink);
        }
        self.carry.extend_from_slice(&bytes[last..]);
    }

    pub fn finish(&mut self, sink: &mut dyn ChunkSink) {
        if let Some(lines) = self.passing.take() {
            let kind = self.cut.problem();
            return sink.overlong(lines, kind);
        }
        let carry = std::mem::take(&mut self.carry);
        if !carry.is_empty() {
            self.hand_on(&carry, true, sink);
        }
    }

    /// The offset behind what has been handed on or passed over.
    pub fn done(&self) -> u64 {
        self.base
    }

    fn hand_on(&mut self, text: &[u8], last: bool, sink: &mut dyn ChunkSink) {
        sink.piece(text, self.base, last);
        self.base += text.len() as u64;
    }

    /// Gives up on what has grown over its limit.
    fn bound(&mut self) {
        if self.carry.len() > self.cut.limit() {
            self.base += self.carry.len() as u64;
            self.passing = Some(line_ends(&self.carry));
            self.carry = Vec::new();
        }
    }

    /// Passes over the rest of what is too long; returns what follows it.
    fn pass<'b>(&mut self, bytes: &'b [u8], sink: &mut dyn ChunkSink) -> &'b [u8] {
        let Some(lines) = self.passing else {
            return bytes;
        };
        let end = self.cut.first(bytes);
        let passed = end.unwrap_or(bytes.len());
        let lines = lines + line_ends(&bytes[..passed]);
        self.base += passed as u64;
        self.passing = Some(lines);
        if end.is_some() {
            self.passing = None;
            sink.overlong(lines, self.cut.problem());
        }
        &bytes[passed..]
    }
}
