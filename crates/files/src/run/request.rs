//! A run that is to be made, and one that was made.

use crate::error::FileError;
use crate::plan::Plan;
use crate::recover::left_file::LeftFile;
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicBool;

/// A run to be made.
pub struct RunRequest<'a> {
    /// The text that is written.
    pub plan: &'a Plan,
    /// The rewrite, for the journal.
    pub rewrite: serde_json::Value,
    /// The run that this one undoes.
    pub undoes: Option<u64>,
    /// When, in seconds since 1970.
    pub at: u64,
    /// In which folder.
    pub folder: &'a Path,
    /// Set when the user wants it stopped.
    pub interrupted: &'a AtomicBool,
}

/// A run that was completed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RunDone {
    /// The number in the journal.
    pub run: u64,
    /// The number of files that hold new bytes.
    pub files: u64,
    /// The number of changes they got.
    pub changes: u64,
    /// True if the journal holds what is needed to revert it.
    pub can_undo: bool,
    /// Notes made on the way.
    pub notes: Vec<RunNote>,
}

/// Something noticed in the folders of a run, which does not are in its way.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RunNote {
    /// A copy that another journal's run has made, or has left.
    AnotherRun(PathBuf),
    /// A copy of an earlier run, which could not be removed.
    LeftOver(PathBuf),
}

/// A run that was refused, or failed and was rolled back.
#[derive(Debug, thiserror::Error)]
#[error("{error}")]
pub struct RunFailed {
    /// The reason.
    #[source]
    pub error: FileError,
    /// The number in the journal; 0 where the run had not begun.
    pub run: u64,
    /// The files that another program changed, moved or removed meanwhile: they are as it left
    /// them, and all others as they were.
    pub foreign: Vec<LeftFile>,
}

impl From<FileError> for RunFailed {
    fn from(error: FileError) -> Self {
        Self {
            error,
            run: 0,
            foreign: Vec::new(),
        }
    }
}
