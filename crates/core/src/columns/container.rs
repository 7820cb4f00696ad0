//! Files that hold several tables.

use std::fmt;

/// A file that holds tables.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Container {
    /// A workbook, whose tables are sheets, and named tables on them.
    Workbook,
    /// A database.
    Database,
}

impl Container {
    /// The pointers to the names of the tables that a row of it belongs to, the one that a row is named by first.
    pub(crate) fn table_pointers(self) -> &'static [&'static str] {
        match self {
            Self::Workbook => &["/@/sheet", "/@/table"],
            Self::Database => &["/@/table"],
        }
    }
}

impl fmt::Display for Container {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Workbook => "workbook",
            Self::Database => "database",
        })
    }
}
