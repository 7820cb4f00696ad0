//! Faults of plans.

use crate::records::plan::FORMAT;

/// The longest record, in bytes: a line of 64 MiB, old and new, in base64 beside the text.
pub const RECORD_MOST: usize = 1 << 29;
/// Why a line of a plan was refused.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PlanFault {
    /// The line does not parse.
    #[error("this is not a record of a plan: {0}")]
    NotARecord(String),
    /// The first record is another one.
    #[error("a plan begins with a `plan` record")]
    NoHead,
    /// The line was written in another version of the format.
    #[error("the plan has format {0}, and this program reads {FORMAT}")]
    Format(u32),
    /// A second head.
    #[error("a second `plan` record")]
    SecondHead,
    /// A change without its file, or of another.
    #[error("this change belongs to no file before it")]
    NoFile,
    /// An id that is not the next one.
    #[error("the id is `{found}`, and `{wanted}` comes next")]
    Id {
        /// As it is there.
        found: String,
        /// As it must be.
        wanted: String,
    },
    /// A change that reaches into the one before it, or beyond its file.
    #[error("bytes {from} to {to} overlap with the change before, or lie beyond the file")]
    Range {
        /// First byte.
        from: u64,
        /// One past the last.
        to: u64,
    },
    /// The old bytes are not as many as the range says.
    #[error("the old text has {found} bytes, and the range {wanted}")]
    Length {
        /// In the text.
        found: u64,
        /// In the range.
        wanted: u64,
    },
    /// A field that does not hold what it must.
    #[error("`{0}` is missing or invalid")]
    Field(&'static str),
    /// The same file twice.
    #[error("a second record of the same file")]
    FileTwice,
    /// A decision that widens its change over the one before or behind it, or over an end of the file.
    #[error("the decision about change `{0}` reaches into another change, or out of its file")]
    Reach(String),
    /// A decision that was made beside other text than there is.
    #[error("the decision about change `{0}` was made beside other text than the file holds there")]
    Beside(String),
    /// A decision about a change that is not there.
    #[error("there is no change `{0}`")]
    NoChange(String),
    /// A record that is not a decision, where only decisions can stand.
    #[error("this is not a decision")]
    NoDecision,
    /// A decision that does not say which plan it is about.
    #[error("`plan` is missing, so it cannot be known which plan this decision is about")]
    NoPlan,
    /// A decision about another plan.
    #[error("this decision is about another plan, or about this one before it was renewed")]
    OtherPlan,
    /// More than is read.
    #[error("there are more than {0} of these, the most that is read")]
    TooMany(usize),
    /// The line is too long.
    #[error("this record is longer than {} MiB, the most that is read", RECORD_MOST >> 20)]
    TooLong,
}
