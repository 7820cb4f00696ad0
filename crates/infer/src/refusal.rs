//! The reasons for which nothing is proposed.

use crate::task::EXAMPLES_MOST;

/// A reason for which nothing is proposed.
///
/// ```
/// use brisk_quill_infer::refusal::Refusal;
/// assert_eq!(Refusal::TwoOutcomes(1, 3).to_string(), "examples 1 and 3 give different results for one text");
/// assert_eq!(Refusal::NoRule.name(), "no rule");
/// ```
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// No example changes anything.
    #[error("no example changes anything")]
    NothingChanges,
    /// One text is to become two things; the numbers of the two examples, from 1.
    #[error("examples {0} and {1} give different results for one text")]
    TwoOutcomes(usize, usize),
    /// An example is over [`crate::task::EXAMPLE_MOST`] characters long; its number, from 1.
    #[error("example {0} is too long")]
    TooLong(usize),
    /// There are over [`crate::task::EXAMPLES_MOST`] of them.
    #[error("there are {0} examples, and at most {EXAMPLES_MOST} are taken")]
    TooMany(usize),
    /// No rule was found for all examples, but for all without this one; its number, from 1.
    #[error("example {0} does not go with the others")]
    OddOne(usize),
    /// The new texts are not made of the old ones: they could only be looked up in a table.
    #[error("the new texts are not made of the old ones")]
    LooksLikeTable,
    /// No rule was found for all examples.
    #[error("no single rule reproduces all examples")]
    NoRule,
}

impl Refusal {
    /// The name that it has in records.
    pub fn name(&self) -> &'static str {
        match self {
            Self::NothingChanges => "nothing changes",
            Self::TwoOutcomes(..) => "two outcomes",
            Self::TooLong(_) => "too long",
            Self::TooMany(_) => "too many",
            Self::OddOne(_) => "odd one",
            Self::LooksLikeTable => "looks like a table",
            Self::NoRule => "no rule",
        }
    }
}
