//! Changes of files, as they are written.

use crate::edit::FileEdit;

/// One change of one file, as it will be written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// The line it begins in, from 1.
    pub line: u64,
    /// First byte replaced, on disk, from 0.
    pub from: u64,
    /// One past the last byte replaced.
    pub to: u64,
    /// The bytes that are there.
    pub before: Vec<u8>,
    /// The bytes that will.
    pub after: Vec<u8>,
}

impl From<&FileEdit<'_>> for Change {
    fn from(edit: &FileEdit<'_>) -> Self {
        Self {
            line: edit.text.line,
            from: edit.from,
            to: edit.to,
            before: edit.before.to_vec(),
            after: edit.after.to_vec(),
        }
    }
}
