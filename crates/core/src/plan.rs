//! Plans as they are written down: records, what makes them sound, and decisions.
//!
//! A plan is JSON Lines. It may come from someone else, so nothing in it is believed:
//! [`PlanIndex::take`] is shown the lines one by one and refuses what does not fit. What it keeps
//! of a change is small; the texts stay where they are, and [`ChangeRecord::parse`] reads them
//! again when they are needed.

pub mod decide;
pub mod records;

use crate::plan::records::{ChangeRecord, DecisionRecord, FileRecord, Record};
use crate::rewrite_file::RewriteText;
use std::collections::HashMap;

/// The version of the plan format.
pub const FORMAT: u32 = 1;
/// The longest record, in bytes: a line of 64 MiB, old and new, in base64 beside the text.
pub const RECORD_MOST: usize = 1 << 29;
/// The most changes of a plan.
const CHANGES_MOST: usize = 5_000_000;
/// The most files of a plan.
const FILES_MOST: usize = 1_000_000;
/// The longest path, in bytes.
const PATH_MOST: usize = 4096;

/// What is decided about a change.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Decision {
    /// Nothing yet.
    #[default]
    Open,
    /// It is to be written.
    Accepted,
    /// It is not.
    Refused,
    /// Other text is to be written in its place.
    Modified,
}

impl Decision {
    /// Its name in records.
    pub fn name(self) -> &'static str {
        match self {
            Self::Open => "open",
            Self::Accepted => "accepted",
            Self::Refused => "refused",
            Self::Modified => "modified",
        }
    }

    /// Whether something is to be written.
    pub fn writes(self) -> bool {
        matches!(self, Self::Accepted | Self::Modified)
    }
}

/// A file of a plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlanFile {
    /// Its path, as bytes.
    pub path: Vec<u8>,
    /// Where symbolic links on the way to it led when it was evaluated, absolute; `None` where
    /// there were none.
    pub real: Option<Vec<u8>>,
    /// Its length.
    pub bytes: u64,
    /// The BLAKE3 hash of its bytes, in hexadecimal.
    pub hash: String,
    /// The name of its encoding.
    pub encoding: String,
    /// Its first change among the entries.
    pub first: usize,
    /// One past its last.
    pub end: usize,
}

/// What is kept of a change.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Entry {
    /// Where its record begins in the plan, in bytes.
    pub offset: u64,
    /// The line it begins in, from 1.
    pub line: u32,
    /// What is decided about it.
    pub decision: Decision,
}

/// How many changes there are of each decision.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct DecisionCounts {
    /// Not decided.
    pub open: u64,
    /// To be written.
    pub accepted: u64,
    /// Not to be written.
    pub refused: u64,
    /// Other text is to be written.
    pub modified: u64,
}

impl DecisionCounts {
    /// Those that something is written for.
    pub fn written(self) -> u64 {
        self.accepted + self.modified
    }

    /// All of them.
    pub fn total(self) -> u64 {
        self.open + self.refused + self.written()
    }

    fn of(&mut self, decision: Decision) -> &mut u64 {
        match decision {
            Decision::Open => &mut self.open,
            Decision::Accepted => &mut self.accepted,
            Decision::Refused => &mut self.refused,
            Decision::Modified => &mut self.modified,
        }
    }

    /// Counts a change of this decision.
    pub fn add(&mut self, decision: Decision) {
        *self.of(decision) += 1;
    }

    /// A change has another decision now.
    pub fn change(&mut self, from: Decision, to: Decision) {
        *self.of(from) -= 1;
        *self.of(to) += 1;
    }
}

/// Why a line of a plan was refused.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PlanFault {
    /// It does not parse.
    #[error("this is no record of a plan: {0}")]
    NotARecord(String),
    /// The first record is another one.
    #[error("a plan begins with a `plan` record")]
    NoHead,
    /// It was written in another version of the format.
    #[error("the plan has format {0}, and this program reads {FORMAT}")]
    Format(u32),
    /// A second head.
    #[error("a second `plan` record")]
    SecondHead,
    /// A change without its file, or of another.
    #[error("this change belongs to no file before it")]
    NoFile,
    /// An id that is not the next one.
    #[error("the id is `{found}`, and `{wanted}` comes next")]
    Id {
        /// As it is there.
        found: String,
        /// As it must be.
        wanted: String,
    },
    /// A change that reaches into the one before it, or beyond its file.
    #[error("bytes {from} to {to} overlap with the change before, or lie beyond the file")]
    Range {
        /// First byte.
        from: u64,
        /// One past the last.
        to: u64,
    },
    /// The old bytes are not as many as the range says.
    #[error("the old text has {found} bytes, and the range {wanted}")]
    Length {
        /// In the text.
        found: u64,
        /// In the range.
        wanted: u64,
    },
    /// A field that does not hold what it must.
    #[error("`{0}` does not hold what it must")]
    Field(&'static str),
    /// The same file twice.
    #[error("this file is there twice")]
    FileTwice,
    /// A decision about a change that is not there.
    #[error("there is no change `{0}`")]
    NoChange(String),
    /// More than is read.
    #[error("there are more than {0} of these, the most that is read")]
    TooMany(usize),
    /// It is too long.
    #[error("this record is longer than {} MiB, the most that is read", RECORD_MOST >> 20)]
    TooLong,
}

/// A plan, but for the texts of its changes.
#[derive(Clone, Debug, Default)]
pub struct PlanIndex {
    /// What was asked for.
    pub rewrite: RewriteText,
    /// The files, in order of the plan.
    pub files: Vec<PlanFile>,
    /// The changes, in order.
    pub entries: Vec<Entry>,
    /// The new text of those that are modified, as it is on disk.
    pub modified: HashMap<usize, Vec<u8>>,
    /// Whether it came to its end: only behind its totals can decisions stand.
    pub is_complete: bool,
    /// What could not be read or computed when it was made.
    pub problems: u64,
    /// Whether it follows a plan that had been decided about: then silence is not consent, even
    /// where no decision could be carried over.
    pub is_judged: bool,
    has_head: bool,
    /// One past the last change of the current file.
    last: u64,
    paths: std::collections::HashSet<Vec<u8>>,
}

impl PlanIndex {
    /// Takes the next line, which begins at `offset` of the plan.
    ///
    /// # Errors
    ///
    /// When it does not fit.
    pub fn take(&mut self, line: &[u8], offset: u64) -> Result<(), PlanFault> {
        let record = records::parse(line)?;
        if !self.has_head {
            return match record {
                Record::Plan { format, .. } if format != FORMAT => Err(PlanFault::Format(format)),
                Record::Plan { rewrite, .. } => {
                    self.rewrite = rewrite;
                    self.has_head = true;
                    Ok(())
                }
                _ => Err(PlanFault::NoHead),
            };
        }
        match record {
            Record::Plan { .. } => Err(PlanFault::SecondHead),
            Record::File(file) => self.file(file),
            Record::Change(change) => self.change(&change, offset),
            Record::Decision(decision) => self.decide(&decision),
            Record::Totals { problems } => {
                self.is_complete = true;
                self.problems = problems;
                Ok(())
            }
            Record::Judged => {
                self.is_judged = true;
                Ok(())
            }
            Record::Other => Ok(()),
        }
    }

    fn file(&mut self, file: FileRecord) -> Result<(), PlanFault> {
        let path = file.path()?;
        if path.is_empty() || path.len() > PATH_MOST || path.contains(&0) {
            return Err(PlanFault::Field("path"));
        }
        let real = file.real()?;
        let hash = file.hash.ok_or(PlanFault::Field("hash"))?;
        if hash.len() != 64 || !hash.bytes().all(|b| b.is_ascii_hexdigit()) {
            return Err(PlanFault::Field("hash"));
        }
        if self.files.len() == FILES_MOST {
            return Err(PlanFault::TooMany(FILES_MOST));
        }
        if !self.paths.insert(path.clone()) {
            return Err(PlanFault::FileTwice);
        }
        let first = self.entries.len();
        self.last = 0;
        self.files.push(PlanFile {
            path,
            real,
            bytes: file.bytes,
            hash: hash.to_ascii_lowercase(),
            encoding: file.encoding,
            first,
            end: first,
        });
        Ok(())
    }

    fn change(&mut self, change: &ChangeRecord, offset: u64) -> Result<(), PlanFault> {
        if self.entries.len() == CHANGES_MOST {
            return Err(PlanFault::TooMany(CHANGES_MOST));
        }
        let number = self.files.len();
        let file = self.files.last_mut().ok_or(PlanFault::NoFile)?;
        if change.path()? != file.path {
            return Err(PlanFault::NoFile);
        }
        let wanted = format!("{number}.{}", file.end - file.first + 1);
        if change.id != wanted {
            let found = change.id.clone();
            return Err(PlanFault::Id { found, wanted });
        }
        let (from, to) = (change.from, change.to);
        if from > to || from < self.last || to > file.bytes {
            return Err(PlanFault::Range { from, to });
        }
        let (found, wanted) = (change.text()?.before.len() as u64, to - from);
        if found != wanted {
            return Err(PlanFault::Length { found, wanted });
        }
        if change.decision != Decision::Open {
            return Err(PlanFault::Field("decision"));
        }
        self.last = to;
        file.end += 1;
        self.entries.push(Entry {
            offset,
            line: u32::try_from(change.line).unwrap_or(u32::MAX),
            decision: Decision::Open,
        });
        Ok(())
    }

    fn decide(&mut self, record: &DecisionRecord) -> Result<(), PlanFault> {
        let no_change = || PlanFault::NoChange(record.id.clone());
        let index = self.index_of(&record.id).ok_or_else(no_change)?;
        let text = match record.decision {
            Decision::Modified => Some(record.after()?),
            _ => None,
        };
        self.set(index, record.decision, text);
        Ok(())
    }

    /// Decides about a change; `text` is what is written where it is modified.
    pub fn set(&mut self, index: usize, decision: Decision, text: Option<Vec<u8>>) {
        self.entries[index].decision = decision;
        match text {
            Some(text) => self.modified.insert(index, text),
            None => self.modified.remove(&index),
        };
    }

    /// The number of the file a change belongs to, from 0.
    pub fn file_of(&self, index: usize) -> usize {
        self.files.partition_point(|file| file.end <= index)
    }

    /// The id of a change: `FILE.CHANGE`, both from 1.
    pub fn id(&self, index: usize) -> String {
        let file = self.file_of(index);
        format!("{}.{}", file + 1, index - self.files[file].first + 1)
    }

    /// The change with this id.
    pub fn index_of(&self, id: &str) -> Option<usize> {
        let (file, change) = id.split_once('.')?;
        let (file, change): (usize, usize) = (file.parse().ok()?, change.parse().ok()?);
        let file = self.files.get(file.checked_sub(1)?)?;
        let index = file.first + change.checked_sub(1)?;
        (index < file.end).then_some(index)
    }

    /// Whether nothing has been decided, so that all of it is meant, given its counts.
    pub fn is_undecided(&self, counts: &DecisionCounts) -> bool {
        !self.is_judged && counts.open == counts.total()
    }

    /// How many changes there are of each decision.
    pub fn counts(&self) -> DecisionCounts {
        let mut counts = DecisionCounts::default();
        for entry in &self.entries {
            counts.add(entry.decision);
        }
        counts
    }
}

/// The line that says of a plan that it follows one that had been decided about.
pub const JUDGED_LINE: &[u8] = b"{\"record\":\"judged\"}\n";

/// The line that appends a decision to a plan. `after` is the text of a modified change, as it is
/// on disk.
pub fn decision_line(id: &str, decision: Decision, after: Option<&[u8]>) -> Vec<u8> {
    records::decision_line(id, decision, after)
}
