use std::io;
use std::path::{Path, PathBuf};

/// Something that went wrong with one file or folder.
#[derive(Debug, thiserror::Error)]
#[error("{trouble}: {}", brisk_quill_core::escape::visible_path(path))]
pub struct FileError {
    /// Which one.
    pub path: PathBuf,
    /// What could not be done with it.
    pub trouble: Trouble,
    /// What the system said.
    #[source]
    pub source: Option<io::Error>,
}

/// What could not be done.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum Trouble {
    /// There is no such file or folder.
    #[error("there is no such file or folder")]
    Missing,
    /// It could not be read.
    #[error("cannot read")]
    Read,
    /// It is neither a file nor a folder.
    #[error("neither a file nor a folder")]
    NotAFile,
    /// It could not be written.
    #[error("cannot write")]
    Write,
    /// It no longer holds the bytes that the changes were computed from.
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
    /// A run was stopped, and neither completed nor taken back.
    #[error("a run was stopped and is unfinished; `bquill recover` finishes it")]
    Unfinished,
    /// An unfinished run cannot be finished: somebody else has changed the file.
    #[error(
        "the unfinished run can go neither way, for the file holds neither its old nor its new bytes"
    )]
    Stuck,
    /// A run that did not come to its end has nothing to undo.
    #[error("this run was not completed, so there is nothing to undo")]
    NotDone,
    /// The user stopped the run.
    #[error("stopped, and nothing has been written")]
    Interrupted,
    /// It must be decoded as a whole and is over 1 GiB.
    #[error("too large to be decoded, which takes all of it at once (at most 1 GiB)")]
    TooLargeToDecode,
    /// It is already there.
    #[error("there is already a file")]
    Exists,
    /// The changes, which are too many for memory, could not be kept.
    #[error("the changes cannot be kept in a temporary file")]
    Spool,
    /// What was written does not read back as it should.
    #[error("the new copy does not read back as it was written")]
    ReadBack,
}

impl FileError {
    pub(crate) fn new(path: &Path, trouble: Trouble) -> Self {
        Self {
            path: path.to_owned(),
            trouble,
            source: None,
        }
    }

    pub(crate) fn io(path: &Path, trouble: Trouble, source: io::Error) -> Self {
        let missing = source.kind() == io::ErrorKind::NotFound && trouble == Trouble::Read;
        Self {
            path: path.to_owned(),
            trouble: if missing { Trouble::Missing } else { trouble },
            source: (!missing).then_some(source),
        }
    }
}
