//! Changes that cannot be computed.

use crate::columns::fault::{CellFault, ColumnFault, RowFault};
use crate::pattern::search_error::SearchError;
use crate::template::filters::FilterProblem;

/// Something in a text that could not be looked at or computed; the unit is left alone.
///
/// ```
/// use brisk_quill_core::problem::{Problem, ProblemKind};
/// let kind = ProblemKind::ParagraphTooLong { limit: 1 << 20 };
/// let problem = Problem { line: Some(4), kind };
/// assert!(!problem.kind.to_string().is_empty());
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Problem {
    /// The line it lies in, from 1; `None` for the text as a whole.
    pub line: Option<u64>,
    /// The kind.
    pub kind: ProblemKind,
}

impl Problem {
    /// The overlong part, from this line on.
    pub(crate) fn overlong(line: u64, kind: ProblemKind) -> Self {
        let all = matches!(kind, ProblemKind::TextTooLong { .. });
        Self {
            line: (!all).then_some(line),
            kind,
        }
    }
}

/// Reasons why a unit was not searched or computed.
///
/// ```
/// use brisk_quill_core::problem::ProblemKind;
/// let kind = ProblemKind::ParagraphTooLong { limit: 1 << 20 };
/// assert!(kind.to_string().contains("paragraph"));
/// ```
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ProblemKind {
    /// A line over its limit.
    #[error("the line is longer than {} MiB, the most that is looked at", limit >> 20)]
    LineTooLong {
        /// In bytes.
        limit: usize,
    },
    /// A paragraph over its limit.
    #[error("the paragraph is longer than {} MiB, the most that is looked at", limit >> 20)]
    ParagraphTooLong {
        /// In bytes.
        limit: usize,
    },
    /// New text that the encoding of the file cannot hold.
    #[error("`{}` cannot be written in {encoding}", crate::escape::visible(text))]
    Unwritable {
        /// The name of the encoding.
        encoding: &'static str,
        /// The new text.
        text: Vec<u8>,
    },
    /// New text over its limit.
    #[error("the new text would be over {} MiB longer than the old", limit >> 20)]
    NewTextTooLong {
        /// In bytes.
        limit: usize,
    },
    /// A row that has not the form of one.
    #[error(transparent)]
    Row(#[from] RowFault),
    /// A cell that cannot be read, or not be written.
    #[error(transparent)]
    Cell(#[from] CellFault),
    /// A column that the request speaks of and that is not there: the request is wrong.
    #[error(transparent)]
    Column(#[from] ColumnFault),
    /// A filter of a template could not work on its value.
    #[error(transparent)]
    Filter(#[from] FilterProblem),
    /// The unit could not be searched.
    #[error("{0}")]
    Search(#[from] SearchError),
    /// A text over its limit, where it must be held as a whole.
    #[error("the file is larger than {} MiB, the most that can be held at once, and this request needs all of it", limit >> 20)]
    TextTooLong {
        /// In bytes.
        limit: usize,
    },
}
