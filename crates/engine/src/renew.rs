//! Plans evaluated again on the files as they are now.
//!
//! A decision is carried over to the change that has the same text around it, the same old and
//! the same new text, and is at the same place in its line or cell; where several changes
//! are like that, only when there are as many as before and all were decided alike. In a file that is what it was, and
//! whose changes are the same, all are carried over.

use crate::host::Host;
use crate::plan_collector::{PlanCollector, evaluate_into};
use crate::plan_writer::{Keeping, PlanWriteError, PlanWriter};
use crate::schedule::Threads;
use crate::session::Session;
use crate::sources::Sources;
use crate::summary::FileEnd;
use crate::tables::FileTables;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::plan::modified::Modified;
use brisk_quill_core::plan::opinion::Opinions;
use brisk_quill_core::plan::{PlanEntry, PlanFile, PlanIndex, parse};
use brisk_quill_core::records::plan::{
    AnyRecord, AroundRecord, ChangeRecord, JUDGED_LINE, UnitRecord, decision_line,
};
use brisk_quill_core::rewrite_file::FaultyStep;
use brisk_quill_files::discover::Listing;
use brisk_quill_files::encoding::TextEncoding;
use brisk_quill_files::error::FileError;
use brisk_quill_files::plan_file::{AppendError, PlanDoc, PlanFileError};
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::read::{FileEncodings, TextOptions};
use brisk_quill_files::short_plan::around_hash;
use brisk_quill_files::source::Source;
use std::collections::HashMap;
use std::ffi::OsStr;
use std::fs;
use std::io::{self, BufRead};
use std::ops::ControlFlow;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The outcome for the decisions of a plan.
///
#[doc = include_str!("../doc/plans.md")]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Renewed {
    /// Decisions that were carried over.
    pub carried: u64,
    /// Decisions about changes that are no longer there.
    pub lost: u64,
    /// Changes that no decision was carried over to, of those that are decided about.
    pub new: u64,
}

/// Why a plan could not be renewed. It is as it was.
///
#[doc = include_str!("../doc/plans.md")]
#[derive(Debug, thiserror::Error)]
pub enum RenewError {
    /// The rewrite cannot be built any more.
    #[error("the rewrite of the plan cannot be built, step {step}: {message}")]
    Rewrite {
        /// The step, from 1.
        step: usize,
        /// The reason.
        message: String,
    },
    /// A file of it cannot be read any more.
    #[error("a file of the plan can no longer be read")]
    Unreadable,
    /// Decisions would be lost, and may not be.
    #[error("decisions about the plan cannot be carried over")]
    Lost(Renewed),
    /// The renewal was stopped.
    #[error("stopped before everything was looked at")]
    Stopped,
    /// Standard input could not be kept.
    #[error(transparent)]
    File(#[from] FileError),
    /// The new plan cannot be written.
    #[error(transparent)]
    Write(#[from] PlanWriteError),
    /// The new plan cannot be read.
    #[error("cannot renew the plan: {0}")]
    Plan(#[from] PlanFileError),
    /// The plan was replaced or decided about meanwhile, or cannot be written.
    #[error("cannot renew the plan: {0}")]
    Append(#[from] AppendError),
    /// A plan cannot be read or written.
    #[error("cannot renew the plan: {0}")]
    Io(#[from] io::Error),
}

/// The means to renew a plan.
///
#[doc = include_str!("../doc/plans.md")]
pub struct Renewal<'a> {
    /// The folder that its files and tables must lie below; `None` where the plan is our own.
    pub root: Option<&'a Path>,
    /// The record of the new plan until it is complete.
    pub host: &'a Host,
    /// True if decisions may be lost; else the plan is left as it was then.
    pub may_lose: bool,
}

/// The file of a plan as a source.
pub fn source_of(path: &[u8]) -> Source {
    Source::file(PathBuf::from(OsStr::from_bytes(path)))
}

impl Renewal<'_> {
    /// Evaluates the plan again and writes it in its place; `report` is shown each file. Gives the
    /// new plan.
    ///
    /// # Errors
    ///
    /// When a file cannot be read, the new plan not be written, or the old one was replaced or decided
    /// about meanwhile; that is as it was.
    pub fn renew(
        &self,
        doc: &mut PlanDoc,
        report: impl FnMut(&Source, &PlanCollector<'_>, &FileEnd) -> ControlFlow<()>,
    ) -> Result<(PlanDoc, Renewed), RenewError> {
        let mut fresh = doc.path().as_os_str().to_owned();
        fresh.push(format!(".renewed-{}", std::process::id()));
        let fresh = PathBuf::from(fresh);
        let renewed = self.evaluate(doc, &fresh, report).and_then(|()| {
            let (new, renewed) = carry(doc, &fresh)?;
            if renewed.lost > 0 && !self.may_lose {
                return Err(RenewError::Lost(renewed));
            }
            Ok((new.replace(doc)?, renewed))
        });
        if renewed.is_err() {
            let _ = fs::remove_file(&fresh);
        }
        renewed
    }

    fn evaluate(
        &self,
        doc: &PlanDoc,
        fresh: &Path,
        mut report: impl FnMut(&Source, &PlanCollector<'_>, &FileEnd) -> ControlFlow<()>,
    ) -> Result<(), RenewError> {
        let index = &doc.index;
        let mut tables = FileTables::below(self.root);
        let rewrite = index
            .rewrite
            .build(&mut tables)
            .map_err(|FaultyStep { step, fault }| {
                let message = fault.to_string();
                RenewError::Rewrite { step, message }
            })?;
        let texts = TextOptions {
            binary: true,
            facts: FactsOf::Found,
            encoding: None,
        };
        let sources = Sources::of(Listing {
            sources: (0..index.files.len())
                .map(|file| doc.source(file))
                .collect(),
            ..Listing::default()
        });
        let mut session = Session::new(texts, Threads::default(), Arc::clone(self.host.token()));
        session = session
            .below(self.root)
            .encoded(Arc::new(encodings_of(index)));
        let text = (&index.rewrite, &rewrite);
        let mut plan = PlanWriter::new(text, self.host, false, Some(fresh), Keeping::Never)?;
        let mut all_read = true;
        let evaluated = evaluate_into(
            &mut plan,
            (&mut session, &rewrite),
            &sources,
            |source, found, end| {
                all_read &= matches!(end, FileEnd::Read(_));
                report(source, found, end)
            },
        )?;
        let summary = evaluated.ok_or(RenewError::Stopped)?;
        if !all_read {
            return Err(RenewError::Unreadable);
        }
        plan.end(&summary, (false, false), &mut None)?;
        Ok(())
    }
}

/// The identity of a change, hashed.
type Key = [u8; 32];

/// A decision, with a text of its own and the opinions of reviewers.
type Decided = (Decision, Option<Modified>, Option<Opinions>);

/// The decisions about changes of one key.
#[derive(Default)]
struct Old {
    count: u64,
    decided: Option<Decided>,
    differ: bool,
}

/// The decisions of a plan by the identity of their changes.
fn by_key(index: &PlanIndex, keys: &[Key]) -> HashMap<Key, Old> {
    let mut old: HashMap<Key, Old> = HashMap::new();
    for (number, key) in keys.iter().enumerate() {
        let this = decided(index, number);
        // What was widened was judged with text around it that may be another one now.
        let is_wider = this.1.as_ref().is_some_and(|own| own.wider.is_some());
        let known = old.entry(*key).or_default();
        known.count += 1;
        known.differ |= is_wider || known.decided.as_ref().is_some_and(|other| *other != this);
        known.decided = Some(this);
    }
    old
}

fn decided(index: &PlanIndex, number: usize) -> Decided {
    (
        index.entries[number].decision,
        index.modified.get(&number).cloned(),
        index.opinions.get(&number).cloned(),
    )
}

/// The old number of each change, by its new one, in files that are what they were and have the same changes.
fn in_same_files(
    (old, old_keys): (&PlanIndex, &[Key]),
    (new, new_keys): (&PlanIndex, &[Key]),
) -> HashMap<usize, usize> {
    let files = old.files.iter().map(|file| (&file.path[..], file));
    let files: HashMap<&[u8], &PlanFile> = files.collect();
    let mut same = HashMap::new();
    for file in &new.files {
        let was = files
            .get(&file.path[..])
            .filter(|was| was.hash == file.hash);
        if let Some(was) = was
            && old_keys.get(was.first..was.end) == new_keys.get(file.first..file.end)
        {
            same.extend((file.first..file.end).zip(was.first..was.end));
        }
    }
    same
}

/// Appends to the fresh plan each decision that still fits.
fn carry(doc: &PlanDoc, fresh: &Path) -> Result<(PlanDoc, Renewed), RenewError> {
    let index = &doc.index;
    let mut old_keys = keys(doc)?;
    old_keys.truncate(index.entries.len());
    let old = by_key(index, &old_keys);
    let is_decided = |entry: &&PlanEntry| entry.decision != Decision::Open;
    let decided_before = index.entries.iter().filter(is_decided).count() as u64;
    let mut new_doc = PlanDoc::open(fresh)?;
    let new_keys = keys(&new_doc)?;
    let mut counts: HashMap<Key, u64> = HashMap::new();
    for key in &new_keys {
        *counts.entry(*key).or_default() += 1;
    }
    let same = in_same_files((index, &old_keys), (&new_doc.index, &new_keys));
    let mut lines = Vec::new();
    if decided_before > 0 || index.is_judged {
        // What was judged once is not taken as a whole, even if no decision fits any more.
        lines.extend_from_slice(JUDGED_LINE);
    }
    let (mut carried, mut new) = (0, 0);
    for (number, key) in new_keys.iter().enumerate() {
        let fits = match same.get(&number) {
            Some(number) => Some(decided(index, *number)),
            None => {
                let old = old.get(key);
                let old = old.filter(|old| !old.differ && counts.get(key) == Some(&old.count));
                old.and_then(|old| old.decided.clone())
            }
        };
        let Some((decision, text, opinions)) = fits else {
            new += 1;
            continue;
        };
        carried += u64::from(decision != Decision::Open);
        let id = new_doc.index.id(number);
        match opinions {
            Some(opinions) => lines.extend(opinions.lines(&id)),
            None if decision == Decision::Open => {}
            None => lines.extend(decision_line(&id, decision, text.as_ref())),
        }
    }
    new_doc.append(&lines)?;
    // With the decisions in it.
    let new_doc = PlanDoc::open(fresh)?;
    let renewed = Renewed {
        carried,
        lost: decided_before - carried,
        new,
    };
    Ok((new_doc, renewed))
}

/// The key of each change of a plan, in order: its file, the text it is in, its number there,
/// its column, and its old and new text.
fn keys(plan: &PlanDoc) -> io::Result<Vec<Key>> {
    let mut input = plan.lines()?;
    let mut keys = Vec::new();
    let mut line = Vec::new();
    let mut around = String::new();
    let mut number = 0u64;
    loop {
        line.clear();
        if input.read_until(b'\n', &mut line)? == 0 || !line.ends_with(b"\n") {
            return Ok(keys);
        }
        match parse(&line).map_err(io::Error::other)? {
            AnyRecord::File(_) => around.clear(),
            AnyRecord::Change(change) => {
                number += 1;
                keys.push(key(&change, &around, number));
            }
            AnyRecord::Other => {
                let unit = serde_json::from_slice::<UnitRecord<'_>>(&line);
                let unit = unit.map(|unit| around_hash(&unit.was)).ok();
                let kept = || {
                    let kept = serde_json::from_slice::<AroundRecord<'_>>(&line).ok();
                    kept.map(|kept| kept.hash.into_owned())
                };
                if let Some(hash) = unit.or_else(kept) {
                    around = hash;
                    number = 0;
                }
            }
            AnyRecord::Plan(_)
            | AnyRecord::Decision(_)
            | AnyRecord::Judged
            | AnyRecord::Hint(_)
            | AnyRecord::Totals(_) => {}
        }
    }
}

fn key(change: &ChangeRecord<'_>, around: &str, number: u64) -> Key {
    let mut hasher = blake3::Hasher::new();
    let beside = |coded: &brisk_quill_core::records::field::Optional<
        brisk_quill_core::records::field::Base64<'_>,
    >| { coded.0.as_ref().map(|coded| coded.0.to_string()) };
    for part in [
        Some(change.path.to_string()),
        beside(&change.path_b64),
        change.cell.as_ref().map(ToString::to_string),
        Some(change.before.to_string()),
        beside(&change.before_b64),
        Some(change.after.to_string()),
        beside(&change.after_b64),
        Some(around.to_owned()),
    ] {
        // What is not there differs from what is empty.
        let length = part.as_ref().map_or(u64::MAX, |part| part.len() as u64);
        hasher.update(&length.to_le_bytes());
        hasher.update(part.unwrap_or_default().as_bytes());
    }
    hasher.update(&number.to_le_bytes());
    *hasher.finalize().as_bytes()
}

/// The encodings that the files of a plan were read in; a byte-order mark goes before.
fn encodings_of(index: &PlanIndex) -> FileEncodings {
    let encoding = |file: &PlanFile| {
        let path = source_of(&file.path).path().to_owned();
        Some((path, TextEncoding::of_label(&file.encoding).ok()?))
    };
    index.files.iter().filter_map(encoding).collect()
}
