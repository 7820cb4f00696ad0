//! Results of one file, and of all files together.

use crate::file_note::FileNote;
use crate::hints::hint::Hints;
use brisk_quill_core::rewrite::counts::Counts;
use brisk_quill_files::error::FileError;
use brisk_quill_files::read::Skipped;
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::source::Source;

/// The outcome of one file.
///
#[doc = include_str!("../doc/rewriting.md")]
pub enum FileEnd {
    /// The file was read to its end.
    Read(Box<FileRead>),
    /// The file was not worked on.
    Skipped(Skipped),
    /// The file could not be read; its events are void.
    Failed(FileError),
}

impl FileEnd {
    /// The same, where a file that was named may not be skipped in silence.
    pub(crate) fn of_named(self, source: &Source) -> Self {
        match self {
            Self::Skipped(skipped) => Self::Failed(skipped.error(source)),
            end => end,
        }
    }

    /// True if it was read to its end.
    pub fn is_read(&self) -> bool {
        matches!(self, Self::Read(_))
    }
}

/// A file that was read to its end.
///
#[doc = include_str!("../doc/rewriting.md")]
pub struct FileRead {
    /// Facts about it.
    pub facts: Facts,
    /// The counts. Of a search, there is one step without edits.
    pub counts: Counts,
    /// The notes about it.
    pub notes: Vec<FileNote>,
}

/// Files counted by what became of them.
///
/// ```
/// use brisk_quill_engine::summary::FileCounts;
/// let counts = FileCounts { read: 3, binary: 1, ..FileCounts::default() };
/// assert_eq!(counts.skipped(), 1);
/// ```
#[derive(Clone, Copy, Debug, Default)]
pub struct FileCounts {
    /// Read to their end.
    pub read: u64,
    /// Skipped because they look binary, or are in a structured format.
    pub binary: u64,
    /// Could not be read, or not be found.
    pub unreadable: u64,
    /// Passed over because they have no columns.
    pub no_table: u64,
}

impl FileCounts {
    /// All files that were not worked on.
    pub fn skipped(self) -> u64 {
        self.binary + self.unreadable + self.no_table
    }
}

/// The results of all files of a request.
///
/// ```
/// use brisk_quill_engine::summary::Summary;
/// assert_eq!(Summary::default().files.read, 0);
/// ```
#[derive(Debug, Default)]
pub struct Summary {
    /// Files by what became of them.
    pub files: FileCounts,
    /// Files with at least one change.
    pub changed: u64,
    /// The counts of all files. Of a search, there is one step without edits.
    pub counts: Counts,
    /// The notes about the files.
    pub notes: Vec<FileNote>,
    /// Hints, where they were asked for and every file has been worked on.
    pub hints: Hints,
}

impl Summary {
    /// Counts a file.
    pub(crate) fn add(&mut self, end: &mut FileEnd) {
        match end {
            FileEnd::Read(read) => {
                self.files.read += 1;
                self.changed += u64::from(read.counts.changes > 0);
                self.counts.add(&read.counts);
                self.notes.append(&mut read.notes);
            }
            FileEnd::Skipped(Skipped::Binary | Skipped::Structured(_) | Skipped::CellsAlone) => {
                self.files.binary += 1;
            }
            FileEnd::Failed(_) => self.files.unreadable += 1,
        }
    }
}

/// The end of a request.
///
#[doc = include_str!("../doc/rewriting.md")]
#[derive(Debug)]
pub enum Ended {
    /// Every file has been worked on.
    Complete(Summary),
    /// The run was stopped; the summary covers what had been taken until then.
    Stopped(StopReason, Summary),
}

/// Why a request was stopped.
///
#[doc = include_str!("../doc/rewriting.md")]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StopReason {
    /// The token was cancelled.
    Interrupted,
    /// The receiver of the results wanted no more.
    Enough,
}
