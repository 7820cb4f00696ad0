//! Errors about one file or folder.

use crate::fs::{LeadsElsewhere, NotRegular};
use std::io;
use std::path::{Path, PathBuf};

/// Something that went wrong with one file or folder.
#[derive(Debug, thiserror::Error)]
#[error("{kind}: {}", brisk_quill_core::escape::visible_path(path))]
pub struct FileError {
    /// Which one.
    pub path: PathBuf,
    /// The operation that failed.
    pub kind: FileErrorKind,
    /// The error of the system.
    #[source]
    pub source: Option<io::Error>,
}

/// The operation that failed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum FileErrorKind {
    /// There is no such file or folder.
    #[error("there is no such file or folder")]
    Missing,
    /// The file could not be read.
    #[error("cannot read")]
    Read,
    /// The file holds a NUL near its beginning.
    #[error("the file looks binary, so it was not read")]
    LooksBinary,
    /// The file is in a structured format.
    #[error("the file is {0}, which is not text")]
    Structured(&'static str),
    /// The file is a container of tables, and not only its cells were to be looked at.
    #[error(
        "the file is a workbook, a database or a Parquet file, of which only cells are looked at"
    )]
    CellsAlone,
    /// The file cannot be written again as it is packed.
    #[error("the file {0}, so it cannot be rewritten")]
    Lossy(&'static str),
    /// The path names neither a file nor a folder.
    #[error("neither a file nor a folder")]
    NotAFile,
    /// The file is a pipe, a socket, a device or a folder.
    #[error("not a regular file, so it cannot be rewritten")]
    NotRegular,
    /// The file is also another file of the plan.
    #[error("one file under two names, which would be rewritten twice")]
    SameFile,
    /// The path leads to another place than when it was evaluated, or out of the root.
    #[error("the path leads elsewhere now")]
    LeadsElsewhere,
    /// The file belongs to the journal.
    #[error("this is part of bquill's own state, which is not rewritten")]
    OwnState,
    /// The file is marked so that it may not be changed.
    #[error("the file is marked as unchangeable, or as one that may only be added to")]
    Marked,
    /// The file has capabilities that would be lost.
    #[error("the file has capabilities, which every write takes away")]
    Capability,
    /// The owner, mode or attributes were changed during the run.
    #[error("the file's owner, mode or attributes were changed during the run")]
    AttributesChanged,
    /// The file could not be written.
    #[error("cannot write")]
    Write,
    /// The file no longer holds the bytes that the changes were computed from.
    #[error("the file has changed since its changes were computed")]
    Changed,
    /// The journal cannot be read or written.
    #[error("the journal cannot be used")]
    Journal,
    /// A part of the journal is not as it was written.
    #[error("the journal is damaged")]
    Damaged,
    /// Another run is being made.
    #[error("another bquill is writing at this moment; try again")]
    Busy,
    /// A run was stopped, and neither completed nor rolled back.
    #[error("a run was interrupted in the same folder")]
    Unfinished,
    /// A run failed, and what it had done could not be rolled back.
    #[error("the run failed, and could not be rolled back")]
    NotRolledBack,
    /// A copy that a run has made beside a file.
    #[error("a copy that a run of bquill has made, which is at work or was interrupted here")]
    RunCopy,
    /// An interrupted run cannot be completed.
    #[error(
        "the interrupted run cannot be completed, because this file is missing, or another program \
         changed it"
    )]
    NotForward,
    /// The folder of a file of an interrupted run is missing.
    #[error("the folder of this file is missing, or another folder has taken its place")]
    Unreachable,
    /// A run that did not come to its end has nothing to undo.
    #[error("this run was not completed, so there is nothing to undo")]
    NotDone,
    /// The user stopped the run.
    #[error("stopped, and nothing has been written")]
    Interrupted,
    /// The file must be decoded as a whole and is over 1 GiB.
    #[error("too large to be decoded, which takes all of it at once (at most 1 GiB)")]
    TooLargeToDecode,
    /// The path names a folder.
    #[error("there is a folder of this name")]
    IsFolder,
    /// The path names something that is not a folder, and a file was to be put into it.
    #[error("a file stands where a folder is needed")]
    NotAFolder,
    /// The file is already there.
    #[error("there is already a file")]
    Exists,
    /// The changes, which are too many for memory, could not be kept.
    #[error("the changes cannot be kept in a temporary file")]
    Spool,
    /// The text that was written does not read back as it should.
    #[error("the new copy does not read back as it was written")]
    ReadBack,
}

impl FileError {
    /// An error of this kind about a path, without a cause of its own.
    pub fn new(path: &Path, kind: FileErrorKind) -> Self {
        Self {
            path: path.to_owned(),
            kind,
            source: None,
        }
    }

    /// An error of this kind about a path, with its cause.
    pub fn io(path: &Path, kind: FileErrorKind, source: io::Error) -> Self {
        let inner = source.get_ref();
        let says_all = match source.kind() {
            io::ErrorKind::NotFound if kind == FileErrorKind::Read => Some(FileErrorKind::Missing),
            _ if inner.is_some_and(|inner| inner.is::<NotRegular>()) => {
                Some(FileErrorKind::NotRegular)
            }
            _ if inner.is_some_and(|inner| inner.is::<LeadsElsewhere>()) => {
                Some(FileErrorKind::LeadsElsewhere)
            }
            _ => None,
        };
        Self {
            path: path.to_owned(),
            kind: says_all.unwrap_or(kind),
            source: says_all.is_none().then_some(source),
        }
    }
}

/// An error of the system in our words, where it is one that people meet.
pub fn system_words(error: &io::Error) -> String {
    use io::ErrorKind as K;
    // What was made by us is in our words already.
    if error.raw_os_error().is_none() {
        return error.to_string();
    }
    match error.kind() {
        K::NotFound => "there is no such file or folder".into(),
        K::PermissionDenied => "permission is missing".into(),
        K::AlreadyExists => "it is there already".into(),
        K::IsADirectory => "it is a folder".into(),
        K::NotADirectory => "a part of its path is not a folder".into(),
        K::StorageFull | K::QuotaExceeded => "there is no room left".into(),
        K::ReadOnlyFilesystem => "the file system may only be read".into(),
        K::FileTooLarge => "it would be larger than a file may be".into(),
        K::InvalidFilename => "the name is too long".into(),
        _ => error.to_string(),
    }
}
