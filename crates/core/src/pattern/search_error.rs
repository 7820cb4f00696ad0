//! Errors of searches.

/// Why a unit could not be searched.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum SearchError {
    /// The backtracking engine took more steps back than it may.
    #[error(
        "the pattern needs more steps back than allowed; use a simpler one without nested repeats"
    )]
    Budget,
    /// The backtracking engine ran out of memory for its way back.
    #[error("the pattern nests too deep on this text; use a simpler one")]
    Stack,
    /// The backtracking engine reads only UTF-8.
    #[error(
        "a pattern with look-around, or with a reference inside, can only be tried on valid UTF-8"
    )]
    NotUtf8,
    /// The unit is longer than the backtracking engine is given.
    #[error("longer than {} MiB, the most for a pattern with look-around or a reference inside", limit >> 20)]
    TooLong {
        /// In bytes.
        limit: usize,
    },
    /// The search was [stopped](crate::stop::Stop).
    #[error("the search was stopped")]
    Stopped,
}
