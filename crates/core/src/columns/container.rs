//! Files that hold several tables.

use std::fmt;

/// A file that holds tables.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Container {
    /// A workbook, whose tables are sheets.
    Workbook,
    /// A database.
    Database,
}

impl Container {
    /// The pointer to the name of a table in each row of it.
    pub(crate) fn table_pointer(self) -> &'static str {
        match self {
            Self::Workbook => "/@/sheet",
            Self::Database => "/@/table",
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
