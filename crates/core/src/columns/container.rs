//! Files whose tables are not text.

use std::fmt;

/// A file that holds tables.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Container {
    /// A workbook, whose tables are sheets, and named tables on them.
    Workbook,
    /// A database.
    Database,
    /// A Parquet file, which is one table.
    Parquet,
}

/// The kinds of values that are shown as an object with their kind as its only key, and are not written. No other object
/// of a row has one of these as its only key.
pub const LEFT_ALONE: &[&str] = &[
    "blob",
    "date",
    "decimal",
    "error",
    "formula",
    "number",
    "real",
    "text",
    "time",
    "timestamp",
];

impl Container {
    /// The keys in the place of a row that lead to the names of the tables it belongs to, the one that it is named by
    /// first.
    pub(crate) fn table_keys(self) -> &'static [&'static str] {
        match self {
            Self::Workbook => &["sheet", "table"],
            Self::Database => &["table"],
            Self::Parquet => &[],
        }
    }
}

impl fmt::Display for Container {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Workbook => "workbook",
            Self::Database => "database",
            Self::Parquet => "Parquet file",
        })
    }
}
