//! Notes about texts that are not mistakes.

use crate::query::scope::OpenBlock;

/// Something to know about a text that is not a mistake.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Note {
    /// A block of lines without an end.
    OpenBlock(OpenBlock),
    /// About its columns.
    Column(ColumnNote),
    /// A line feed in the pattern meets a text whose lines end in CR LF.
    BareLineFeed {
        /// The first line that ends so, from 1.
        line: u64,
    },
    /// Numbers were calculated with whose comma may stand between thousands.
    Thousands {
        /// The line of the first one, from 1.
        line: u64,
        /// Matches with such a number.
        matches: u64,
    },
}

impl Note {
    /// Adds a note to those of the parts before: of each kind that is about the whole text there
    /// is one, which counts all.
    pub fn push_to(self, notes: &mut Vec<Self>) {
        let is_known = match &self {
            Self::Thousands { matches: more, .. } => notes.iter_mut().any(|known| {
                let is_same = matches!(known, Self::Thousands { .. });
                if let Self::Thousands { matches, .. } = known {
                    *matches += more;
                }
                is_same
            }),
            Self::BareLineFeed { .. } => {
                let is_same = |known: &Self| matches!(known, Self::BareLineFeed { .. });
                notes.iter().any(is_same)
            }
            Self::OpenBlock(_) | Self::Column(_) => false,
        };
        if !is_known {
            notes.push(self);
        }
    }
}

/// Something to know about the columns of a text that is not a mistake.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ColumnNote {
    /// A pointer leads to no text in some rows.
    Absent {
        /// The pointer.
        pointer: String,
        /// The rows in which it does not.
        rows: u64,
        /// All rows.
        of: u64,
    },
    /// There are matches in numbers of JSON, which were taken as text.
    Numbers {
        /// The line of the first one.
        line: u64,
        /// The pointer to it.
        pointer: String,
        /// The number of them.
        cells: u64,
    },
}
