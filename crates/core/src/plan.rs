//! Plans as they are written down: records, what makes them sound, and decisions.
//!
//! A plan is JSON Lines. It may come from someone else, so nothing in it is believed:
//! [`PlanIndex::take`] is shown the lines one by one and refuses what does not fit. What it keeps
//! of a change is small; the texts stay where they are, and [`parse_change`] reads them
//! again when they are needed.

pub mod decide;
pub mod decision;

use crate::escape::visible;
use crate::plan::decision::{Decision, DecisionCounts};
use crate::records::plan::{
    AnyRecord, ChangeRecord, ChangeText, DecisionRecord, FORMAT, FileRecord, HintRecord,
};
use crate::rewrite_file::RewriteText;
use std::collections::HashMap;

/// The longest record, in bytes: a line of 64 MiB, old and new, in base64 beside the text.
pub const RECORD_MOST: usize = 1 << 29;
/// The most changes of a plan.
const CHANGES_MOST: usize = 5_000_000;
/// The most files of a plan.
const FILES_MOST: usize = 1_000_000;
/// The longest path, in bytes.
const PATH_MOST: usize = 4096;

/// A file of a plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlanFile {
    /// Its path, as bytes.
    pub path: Vec<u8>,
    /// The target of symbolic links on the way to it when it was evaluated, absolute; `None` where
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

/// The part of a change that is kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Entry {
    /// The offset of its record in the plan, in bytes.
    pub offset: u64,
    /// The line it begins in, from 1.
    pub line: u32,
    /// The decision about it.
    pub decision: Decision,
}

/// Why a line of a plan was refused.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PlanFault {
    /// It does not parse.
    #[error("this is not a record of a plan: {0}")]
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
///
/// ```
/// use brisk_quill_core::plan::PlanIndex;
/// let mut index = PlanIndex::default();
/// // A plan is taken line by line; the first is its head.
/// assert!(index.take(b"{}", 0).is_err());
/// ```
#[derive(Clone, Debug, Default)]
pub struct PlanIndex {
    /// The rewrite that was asked for.
    pub rewrite: RewriteText,
    /// The files, in order of the plan.
    pub files: Vec<PlanFile>,
    /// The changes, in order.
    pub entries: Vec<Entry>,
    /// The new text of those that are modified, as it is on disk.
    pub modified: HashMap<usize, Vec<u8>>,
    /// True if it came to its end: only behind its totals can decisions stand.
    pub is_complete: bool,
    /// The number of problems when it was made.
    pub problems: u64,
    /// True if it follows a plan that had been decided about: then silence is not consent, even
    /// where no decision could be carried over.
    pub is_judged: bool,
    /// The first hints about it, a few sentences each.
    pub hints: Vec<String>,
    has_head: bool,
    /// One past the last change of the current file.
    last: u64,
    paths: std::collections::HashSet<Vec<u8>>,
}

/// Hints that are kept of a plan.
const HINTS_MOST: usize = 5;

/// A hint with what to do about it, made visible.
fn hint_text(hint: &HintRecord<'_>) -> String {
    let mut text = format!("{}: {}", hint.name, hint.message);
    if let Some(remedy) = &hint.remedy {
        text.push_str(&format!("; {remedy}"));
    }
    visible(text.as_bytes())
}

impl PlanIndex {
    /// Takes the next line, which begins at `offset` of the plan.
    ///
    /// # Errors
    ///
    /// When it does not fit.
    pub fn take(&mut self, line: &[u8], offset: u64) -> Result<(), PlanFault> {
        let record = parse(line)?;
        if !self.has_head {
            return match record {
                AnyRecord::Plan(plan) if plan.format != FORMAT => {
                    Err(PlanFault::Format(plan.format))
                }
                AnyRecord::Plan(plan) => {
                    self.rewrite = plan.rewrite.0.into_owned();
                    self.has_head = true;
                    Ok(())
                }
                _ => Err(PlanFault::NoHead),
            };
        }
        match record {
            AnyRecord::Plan(_) => Err(PlanFault::SecondHead),
            AnyRecord::File(file) => self.file(&file),
            AnyRecord::Change(change) => self.change(&change, offset),
            AnyRecord::Decision(decision) => self.decide(&decision),
            AnyRecord::Totals(totals) => {
                self.is_complete = true;
                self.problems = totals.problems;
                Ok(())
            }
            AnyRecord::Judged => {
                self.is_judged = true;
                Ok(())
            }
            AnyRecord::Hint(hint) => {
                if self.hints.len() < HINTS_MOST {
                    self.hints.push(hint_text(&hint));
                }
                Ok(())
            }
            AnyRecord::Other => Ok(()),
        }
    }

    fn file(&mut self, file: &FileRecord<'_>) -> Result<(), PlanFault> {
        let path = file
            .path_bytes()
            .ok_or(PlanFault::Field("path_b64"))?
            .into_owned();
        if path.is_empty() || path.len() > PATH_MOST || path.contains(&0) {
            return Err(PlanFault::Field("path"));
        }
        let real = file.real_bytes().ok_or(PlanFault::Field("real_b64"))?;
        let hash = file.hash.as_deref().ok_or(PlanFault::Field("hash"))?;
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
            encoding: file.encoding.to_string(),
            first,
            end: first,
        });
        Ok(())
    }

    fn change(&mut self, change: &ChangeRecord<'_>, offset: u64) -> Result<(), PlanFault> {
        if self.entries.len() == CHANGES_MOST {
            return Err(PlanFault::TooMany(CHANGES_MOST));
        }
        let number = self.files.len();
        let file = self.files.last_mut().ok_or(PlanFault::NoFile)?;
        if change.path_bytes().ok_or(PlanFault::Field("path_b64"))? != file.path.as_slice() {
            return Err(PlanFault::NoFile);
        }
        let wanted = format!("{number}.{}", file.end - file.first + 1);
        if change.id.as_str() != wanted {
            let found = change.id.as_str().to_owned();
            return Err(PlanFault::Id { found, wanted });
        }
        let (from, to) = (change.from, change.to);
        if from > to || from < self.last || to > file.bytes {
            return Err(PlanFault::Range { from, to });
        }
        let (found, wanted) = (text_of(change)?.before.len() as u64, to - from);
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
            line: u32::try_from(change.line.0).unwrap_or(u32::MAX),
            decision: Decision::Open,
        });
        Ok(())
    }

    fn decide(&mut self, record: &DecisionRecord<'_>) -> Result<(), PlanFault> {
        let no_change = || PlanFault::NoChange(record.id.as_str().to_owned());
        let index = self.index_of(record.id.as_str()).ok_or_else(no_change)?;
        let text = match record.decision {
            Decision::Modified => Some(
                record
                    .after_bytes()
                    .ok_or(PlanFault::Field("after"))?
                    .into_owned(),
            ),
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

    /// True if nothing has been decided, so that all of it is meant, given its counts.
    pub fn is_undecided(&self, counts: &DecisionCounts) -> bool {
        !self.is_judged && counts.open == counts.total()
    }

    /// The number of changes of each decision.
    pub fn counts(&self) -> DecisionCounts {
        let mut counts = DecisionCounts::default();
        for entry in &self.entries {
            counts.add(entry.decision);
        }
        counts
    }
}

/// Reads a record of a plan.
///
/// # Errors
///
/// When it is not one.
pub fn parse(line: &[u8]) -> Result<AnyRecord, PlanFault> {
    serde_json::from_slice(line).map_err(|error| PlanFault::NotARecord(error.to_string()))
}

/// Reads the record of a change again that was taken before.
///
/// # Errors
///
/// When it is not a change, which it was then.
pub fn parse_change(line: &[u8]) -> Result<ChangeRecord<'static>, PlanFault> {
    match parse(line)? {
        AnyRecord::Change(change) => Ok(change),
        _ => Err(PlanFault::NoFile),
    }
}

/// The bytes of a change as they are on disk.
///
/// # Errors
///
/// When they are not written as they must be.
pub fn text_of<'c>(change: &'c ChangeRecord<'_>) -> Result<ChangeText<'c>, PlanFault> {
    Ok(ChangeText {
        before: change
            .before_bytes()
            .ok_or(PlanFault::Field("before_b64"))?,
        after: change.after_bytes().ok_or(PlanFault::Field("after_b64"))?,
    })
}
