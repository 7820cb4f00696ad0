//! Text whose pieces carry labels; what a label looks like is decided by who paints it.
//!
//! It is also the gate for whatever a person is shown: text from files, names and requests of others becomes
//! a [`Labelled`] before it is printed, and what becomes one drives no terminal.

use brisk_quill_core::escape::push_gated;
use std::fmt;
use std::ops::Range;

/// The label of a piece of output.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    /// The name of a file.
    Path,
    /// Line numbers and labels.
    Quiet,
    /// A match.
    Match,
    /// A line that leads the eye.
    Guide,
    /// The name of a hint.
    Hint,
    /// The fault, and its place.
    Problem,
    /// Text that goes.
    Was,
    /// Text that comes.
    Now,
    /// An edge of a marked part, which is always shown.
    Edge,
    /// An edge of a marked part that stands out by itself where there are colours.
    PlainEdge,
}

/// Text in pieces, each with a label or without.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Labelled {
    text: String,
    /// The labels of pieces as ranges of bytes, in order and disjoint; what lies between has none.
    labels: Vec<(Range<usize>, Role)>,
}

impl Labelled {
    /// Appends text without a label.
    pub fn push_str(&mut self, text: &str) {
        push_gated(&mut self.text, text);
    }

    /// Appends a character without a label.
    pub fn push(&mut self, c: char) {
        self.push_str(c.encode_utf8(&mut [0; 4]));
    }

    /// Appends text with a label.
    pub fn put(&mut self, role: Role, text: &str) {
        if text.is_empty() {
            return;
        }
        let from = self.text.len();
        push_gated(&mut self.text, text);
        self.labels.push((from..self.text.len(), role));
    }

    /// Appends text with its labels.
    pub fn append(&mut self, other: &Self) {
        let before = self.text.len();
        self.text.push_str(&other.text);
        let moved = |(range, role): &(Range<usize>, Role)| {
            (range.start + before..range.end + before, *role)
        };
        self.labels.extend(other.labels.iter().map(moved));
    }

    /// True if it holds no text.
    pub fn is_empty(&self) -> bool {
        self.text.is_empty()
    }

    /// The pieces, in order, each with its label.
    pub fn pieces(&self) -> impl Iterator<Item = (Option<Role>, &str)> {
        let mut at = 0;
        let labelled = self.labels.iter().flat_map(move |(range, role)| {
            let before = at..range.start;
            at = range.end;
            [(None, before), (Some(*role), range.clone())]
        });
        let last = self.labels.last().map_or(0, |(range, _)| range.end);
        let all = labelled.chain([(None, last..self.text.len())]);
        let texts = all.map(|(role, range)| (role, &self.text[range]));
        texts.filter(|(_, text)| !text.is_empty())
    }
}

impl From<&str> for Labelled {
    fn from(text: &str) -> Self {
        let mut labelled = Self::default();
        labelled.push_str(text);
        labelled
    }
}

impl fmt::Write for Labelled {
    fn write_str(&mut self, text: &str) -> fmt::Result {
        self.push_str(text);
        Ok(())
    }
}
