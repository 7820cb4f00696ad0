//! The reasons for which nothing is proposed.

/// A reason for which nothing is proposed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Refusal {
    /// No example changes anything.
    NothingChanges,
    /// One text is to become two things; the numbers of the two examples, from 1.
    TwoOutcomes(usize, usize),
    /// An example is over [`crate::infer::task::EXAMPLE_MOST`] characters long; its number, from 1.
    TooLong(usize),
    /// No rule was found for all examples, but for all without this one; its number, from 1.
    OddOne(usize),
    /// The new texts are not made of the old ones: they could only be looked up in a table.
    LooksLikeTable,
    /// No rule was found for all examples.
    NoRule,
}
