//! Plans as they are written down: records, what makes them sound, and decisions.
//!
//! A plan is JSON Lines. It may come from someone else, so nothing in it is believed:
//! [`PlanIndex::take`] is shown the lines one by one and refuses what does not fit. What it keeps
//! of a change is small; the texts stay where they are, and [`parse_change`] reads them
//! again when they are needed.

pub mod decide;
pub mod decision;
pub mod fault;
pub mod modified;
pub mod opinion;
pub mod written;

use crate::escape::visible;
use crate::plan::decision::{Decision, DecisionCounts};
use crate::plan::fault::PlanFault;
use crate::plan::modified::Modified;
use crate::plan::opinion::{Opinion, Opinions};
use crate::plan::written::{Written, modified_in};
use crate::records::field::Optional;
use crate::records::plan::{
    AnyRecord, ChangeRecord, ChangeText, DecisionRecord, FORMAT, FileRecord, HintRecord,
};
use crate::rewrite_file::RewriteText;
use std::collections::HashMap;
use std::collections::hash_map::Entry;

/// The most changes of a plan.
const CHANGES_MOST: usize = 5_000_000;
/// The most files of a plan.
const FILES_MOST: usize = 1_000_000;
/// The longest path, in bytes.
const PATH_MOST: usize = 4096;

/// A file of a plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlanFile {
    /// The path, as bytes.
    pub path: Vec<u8>,
    /// The target of symbolic links on the way to it when it was evaluated, absolute; `None` where
    /// there were none.
    pub real: Option<Vec<u8>>,
    /// The length.
    pub bytes: u64,
    /// The BLAKE3 hash of its bytes, in hexadecimal.
    pub hash: String,
    /// The store, where its text is not the file.
    pub store: Option<String>,
    /// The length of its text, in which changes lie.
    pub text_bytes: u64,
    /// The name of its encoding.
    pub encoding: String,
    /// The first change among the entries.
    pub first: usize,
    /// One past its last.
    pub end: usize,
}

/// The part of a change that is kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PlanEntry {
    /// The offset of its record in the plan, in bytes.
    pub offset: u64,
    /// The line it begins in, from 1.
    pub line: u32,
    /// The decision about it.
    pub decision: Decision,
}

/// The part of a plan that a line of it belongs to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PartOf {
    /// The evaluation: it never changes.
    Body,
    /// The decisions made about it later.
    Decisions,
}

/// The outcome for a line of a file of decisions.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum TakenIn {
    /// A decision, with the record that it adds to the plan.
    New(Vec<u8>),
    /// A decision that the plan holds already.
    Known,
    /// A record of another kind, which is passed over.
    Foreign,
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
    /// The run that it reverts, where it does.
    pub undoes: Option<u64>,
    /// The files, in order of the plan.
    pub files: Vec<PlanFile>,
    /// The changes, in order.
    pub entries: Vec<PlanEntry>,
    /// The new texts of those that are modified.
    pub modified: HashMap<usize, Modified>,
    /// True if it came to its end: only behind its totals can decisions stand.
    pub is_complete: bool,
    /// The number of problems when it was made.
    pub problems: u64,
    /// True if it follows a plan that had been decided about: then silence is not consent, even
    /// where no decision could be carried over.
    pub is_judged: bool,
    /// The first hints about it, a few sentences each.
    pub hints: Vec<String>,
    /// The opinions of reviewers, by the change.
    pub opinions: HashMap<usize, Opinions>,
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
    /// Takes the next line, which begins at `offset` of the plan; says what it belongs to.
    ///
    /// # Errors
    ///
    /// When it does not fit.
    pub fn take(&mut self, line: &[u8], offset: u64) -> Result<PartOf, PlanFault> {
        let record = parse(line)?;
        let part = match record {
            AnyRecord::Decision(_) | AnyRecord::Judged => PartOf::Decisions,
            AnyRecord::Plan(_)
            | AnyRecord::File(_)
            | AnyRecord::Change(_)
            | AnyRecord::Totals(_)
            | AnyRecord::Hint(_)
            | AnyRecord::Other => PartOf::Body,
        };
        self.take_record(record, offset).map(|()| part)
    }

    fn take_record(&mut self, record: AnyRecord, offset: u64) -> Result<(), PlanFault> {
        if !self.has_head {
            return match record {
                AnyRecord::Plan(plan) if plan.format != FORMAT => {
                    Err(PlanFault::Format(plan.format))
                }
                AnyRecord::Plan(plan) => {
                    self.rewrite = plan.rewrite.0.into_owned();
                    self.undoes = plan.undoes.0.map(|run| run.0);
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
            store: file.store.0.as_ref().map(ToString::to_string),
            text_bytes: file.text_bytes.0.unwrap_or(file.bytes),
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
        if from > to || from < self.last || to > file.text_bytes {
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
        self.entries.push(PlanEntry {
            offset,
            line: u32::try_from(change.line.0).unwrap_or(u32::MAX),
            decision: Decision::Open,
        });
        Ok(())
    }

    /// Takes in a line of a file of decisions. `hash` is that of the plan; `reviewer` is named where the
    /// line names no one.
    ///
    /// # Errors
    ///
    /// When it is not a decision, or one about another plan or a change that is not there.
    pub fn take_in(
        &mut self,
        line: &[u8],
        (hash, reviewer): (&str, &str),
    ) -> Result<TakenIn, PlanFault> {
        let mut record = match parse(line)? {
            AnyRecord::Decision(record) => record,
            AnyRecord::Other => return Ok(TakenIn::Foreign),
            AnyRecord::Plan(_)
            | AnyRecord::File(_)
            | AnyRecord::Change(_)
            | AnyRecord::Judged
            | AnyRecord::Totals(_)
            | AnyRecord::Hint(_) => return Err(PlanFault::NoDecision),
        };
        match record.plan.0.take() {
            None => return Err(PlanFault::NoPlan),
            Some(plan) if plan != hash => return Err(PlanFault::OtherPlan),
            Some(_) => {}
        }
        let names_nobody = record.by.0.as_ref().is_none_or(|by| by.trim().is_empty());
        if names_nobody {
            record.by = Optional(Some(reviewer.to_owned().into()));
        }
        let (index, opinion) = self.opinion_of(&record)?;
        let Some(opinion) = opinion else {
            return Ok(TakenIn::Known);
        };
        let known = self.opinions.get(&index).map(Opinions::all);
        if known.is_some_and(|known| known.contains(&opinion)) {
            return Ok(TakenIn::Known);
        }
        let mut line = Vec::new();
        opinion.push(&mut line, record.id.as_str());
        self.add(index, opinion)?;
        Ok(TakenIn::New(line))
    }

    /// The change that a record is about, and the opinion in it where it names a reviewer.
    fn opinion_of(
        &self,
        record: &DecisionRecord<'_>,
    ) -> Result<(usize, Option<Opinion>), PlanFault> {
        let no_change = || PlanFault::NoChange(record.id.as_str().to_owned());
        let index = self.index_of(record.id.as_str()).ok_or_else(no_change)?;
        Ok((index, Opinion::of(record, text_of_decision(record)?)?))
    }

    fn decide(&mut self, record: &DecisionRecord<'_>) -> Result<(), PlanFault> {
        match self.opinion_of(record)? {
            (index, Some(opinion)) => self.add(index, opinion),
            (index, None) => {
                self.set(index, record.decision, text_of_decision(record)?);
                Ok(())
            }
        }
    }

    fn add(&mut self, index: usize, opinion: Opinion) -> Result<(), PlanFault> {
        let own = (self.entries[index].decision, self.modified.get(&index));
        let opinions = match self.opinions.entry(index) {
            Entry::Occupied(entry) => entry.into_mut(),
            Entry::Vacant(entry) => entry.insert(Opinions::beside(own.0, own.1)),
        };
        opinions.add(opinion)?;
        let (decision, text) = opinions.common();
        self.put(index, decision, text);
        Ok(())
    }

    /// Decides about a change, which settles what reviewers said about it; `text` is what is written
    /// where it is modified.
    pub fn set(&mut self, index: usize, decision: Decision, text: Option<Modified>) {
        if let Some(opinions) = self.opinions.get_mut(&index) {
            opinions.settle(decision, text.as_ref());
        }
        self.put(index, decision, text);
    }

    fn put(&mut self, index: usize, decision: Decision, text: Option<Modified>) {
        self.entries[index].decision = decision;
        match text {
            Some(text) => self.modified.insert(index, text),
            None => self.modified.remove(&index),
        };
    }

    /// The edit that is made for a change, where one is.
    ///
    /// # Errors
    ///
    /// When its bytes are not written as they must be.
    pub fn written<'w>(
        &'w self,
        index: usize,
        change: &'w ChangeRecord<'_>,
    ) -> Result<Written<'w>, PlanFault> {
        Written::new(change, self.modified.get(&index))
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
        let (file, change) = parse_id(id)?;
        let file = self.files.get(file.checked_sub(1)?)?;
        let index = file.first.checked_add(change.checked_sub(1)?)?;
        (index < file.end).then_some(index)
    }

    /// True if nothing has been decided, so that all of it is meant, given its counts.
    pub fn is_undecided(&self, counts: &DecisionCounts) -> bool {
        !self.is_judged && self.opinions.is_empty() && counts.open == counts.total()
    }

    /// The changes that reviewers decided differently about, in order: they are open until a reviewer
    /// settles them.
    pub fn conflicts(&self) -> Vec<usize> {
        let differ = self.opinions.iter().filter(|(_, all)| all.differ());
        let mut all: Vec<usize> = differ.map(|(index, _)| *index).collect();
        all.sort_unstable();
        all
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

/// The numbers of an id, both from 1; `None` for what is written in another way, as `01.2`.
pub(crate) fn parse_id(id: &str) -> Option<(usize, usize)> {
    let number = |text: &str| {
        let is_plain = text.starts_with(|c: char| ('1'..='9').contains(&c))
            && text.bytes().all(|byte| byte.is_ascii_digit());
        is_plain.then(|| text.parse().ok())?
    };
    let (file, change) = id.split_once('.')?;
    Some((number(file)?, number(change)?))
}

/// The text that is written instead of a modified change.
fn text_of_decision(record: &DecisionRecord<'_>) -> Result<Option<Modified>, PlanFault> {
    match record.decision {
        Decision::Modified => modified_in(record).map(Some),
        Decision::Open | Decision::Accepted | Decision::Refused => Ok(None),
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
