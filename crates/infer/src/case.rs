//! An example as characters.

use brisk_quill_core::span::Span;

/// One example, or a text that must stay as it is.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) struct Case {
    pub before: Vec<char>,
    pub after: Vec<char>,
    /// The number of its line, from 1, where that is known.
    pub line: Option<u64>,
    /// The part that it is about, in characters; the rest of the text is free to change.
    pub part: Option<Span>,
}

impl Case {
    /// True if the text stays as it is.
    pub fn is_untouched(&self) -> bool {
        self.before == self.after
    }
}
