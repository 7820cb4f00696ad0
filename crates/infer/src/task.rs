//! The task: examples, and the data that a rewrite is wanted for.

use crate::sample::Sample;
use brisk_quill_core::span::Span;
use brisk_quill_core::stop::Stop;

/// One example: a text, and the text that must come of it.
///
/// ```
/// use brisk_quill_infer::task::Pair;
/// assert!(Pair::new("Pier 7", "Pier 7").is_untouched());
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pair {
    /// The text before.
    pub before: String,
    /// The text after; the same where it must stay as it is.
    pub after: String,
    /// The number of its line, from 1, where that is known.
    pub line: Option<u64>,
    /// The part that the example is about, in characters of the text before, where it is not all of it: whatever
    /// becomes of the rest is not said.
    pub part: Option<Span>,
}

impl Pair {
    /// An example whose place is not known.
    pub fn new(before: impl Into<String>, after: impl Into<String>) -> Self {
        Self {
            before: before.into(),
            after: after.into(),
            line: None,
            part: None,
        }
    }

    /// True if the text must stay as it is.
    pub fn is_untouched(&self) -> bool {
        self.before == self.after
    }
}

/// The examples, and the data around them.
#[derive(Clone, Debug, Default)]
pub struct Task {
    /// The texts are whole cells, and not lines.
    pub cells: bool,
    /// The examples, in the order in which they were given.
    pub examples: Vec<Pair>,
    /// Texts of the data.
    pub data: Sample,
    /// Ends the search, whose answer is of no use then.
    pub stop: Stop,
}

/// The most examples that are taken.
pub const EXAMPLES_MOST: usize = 2000;

/// The most characters of an example.
pub const EXAMPLE_MOST: usize = 2000;
