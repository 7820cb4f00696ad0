//! The way back from a run: its changes inverted, as a plan of their own.

use crate::change::Change;
use crate::changes::Spooler;
use crate::error::{FileError, FileErrorKind};
use crate::fs::{Confinement, Fs};
use crate::journal::Journal;
use crate::journal::records::{ChangeRecord, Target};
use crate::journal::run_record::RunRecord;
use crate::plan::{Plan, PlannedFile};
use crate::read::facts::Facts;
use crate::recover::standing::Standing;
use crate::source::Source;
use brisk_quill_core::unit::line_ends;
use std::io;
use std::path::{Path, PathBuf};

/// A plan that leads back from `run`, over the files that `wants` names. Of a run that was rolled
/// back or closed, those that it has left behind are meant.
///
/// # Errors
///
/// When the journal cannot be read, or the run was not completed and has left nothing; and, as the
/// second kind, the files that no longer hold what the run wrote: their paths, and as the user
/// named them.
pub fn undo_plan(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    wants: &dyn Fn(&PathBuf) -> bool,
) -> Result<Result<Plan, Vec<(PathBuf, PathBuf)>>, FileError> {
    let (Some(intent), Some(commit), true) = (&run.intent, &run.commit, run.can_be_undone()) else {
        return Err(FileError::new(
            &journal.folder(run.run),
            FileErrorKind::NotDone,
        ));
    };
    let mut records = journal.changes(run.run)?.peekable();
    let mut spooler = Spooler::default();
    let mut plan = Plan::default();
    let mut changed = Vec::new();
    let files = intent.targets.iter().zip(&commit.after).enumerate();
    for (number, (target, (after, bytes))) in files {
        let path = target.path.path();
        let spooling = |error| FileError::io(&path, FileErrorKind::Spool, error);
        let mut back = Inversion::default();
        let own = |record: &Result<ChangeRecord, FileError>| {
            record.as_ref().map_or(true, |record| record.file == number)
        };
        while let Some(record) = records.next_if(own) {
            let change = back.invert(record?.change());
            spooler.push(&change).map_err(spooling)?;
        }
        let changes = spooler.end_file().map_err(spooling)?;
        if !wants(&path) {
            continue;
        }
        let now =
            now(fs, &path).map_err(|error| FileError::io(&path, FileErrorKind::Read, error))?;
        let hash = blake3::Hash::from_hex(after).ok();
        let Some(hash) = hash.filter(|_| now.as_ref() == Some(after)) else {
            // A file that went back, or was never reached, has nothing to undo.
            let has_nothing = now.as_ref() == Some(&target.before) && !run.state.is_complete();
            if run.may_hold(number) && !has_nothing {
                changed.push((path, target.named.path()));
            }
            continue;
        };
        plan.files.push(PlannedFile {
            source: Source::file(path),
            confinement: Confinement::AsEvaluated(None),
            facts: Facts::of_bytes(hash, *bytes),
            changes,
            stands_for: target.store.as_ref().map(|_| target.changes),
        });
    }
    Ok(if changed.is_empty() {
        Ok(plan)
    } else {
        Err(changed)
    })
}

/// A change of a run inverted, in the file as the run left it, and the bytes around it there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Inverse {
    /// The change that leads back.
    pub change: Change,
    /// The bytes before and behind it, as far as they are known.
    pub around: (Vec<u8>, Vec<u8>),
}

/// The file of a run as the run left it, and what leads back.
#[derive(Debug)]
pub struct InverseFile<'r> {
    /// The file.
    pub target: &'r Target,
    /// The length after the run, in bytes.
    pub bytes: u64,
    /// The changes, in order.
    pub changes: Vec<Inverse>,
}

/// Shows the changes that lead back from `run`, file by file, to `visit`.
///
/// # Errors
///
/// When the journal cannot be read, the run has left nothing to undo, or `visit` fails.
pub fn each_inverse(
    journal: &Journal<'_>,
    run: &RunRecord,
    visit: &mut dyn FnMut(InverseFile<'_>) -> Result<(), FileError>,
) -> Result<(), FileError> {
    let (Some(intent), Some(commit), true) = (&run.intent, &run.commit, run.can_be_undone()) else {
        let folder = journal.folder(run.run);
        return Err(FileError::new(&folder, FileErrorKind::NotDone));
    };
    let mut records = journal.changes(run.run)?.peekable();
    let files = intent.targets.iter().zip(&commit.after).enumerate();
    for (number, (target, (_, bytes))) in files {
        let mut back = Inversion::default();
        let mut changes = Vec::new();
        let own = |record: &Result<ChangeRecord, FileError>| {
            record.as_ref().map_or(true, |record| record.file == number)
        };
        while let Some(record) = records.next_if(own) {
            let record = record?;
            changes.push(Inverse {
                around: record.around(),
                change: back.invert(record.change()),
            });
        }
        if run.may_hold(number) {
            visit(InverseFile {
                target,
                bytes: *bytes,
                changes,
            })?;
        }
    }
    Ok(())
}

/// The hash of what a file holds now; `None` where it is not there, or a link has come to stand
/// in its path.
fn now(fs: &dyn Fs, path: &Path) -> io::Result<Option<String>> {
    let place = fs.locate(path, &Confinement::AsEvaluated(None));
    let found = place.and_then(|place| Standing::look(&*place.folder, &place.name));
    match found {
        Ok(found) => Ok(found.map(|(_, hash)| hash)),
        Err(error) => match error.kind() {
            io::ErrorKind::NotFound | io::ErrorKind::InvalidInput => Ok(None),
            _ => Err(error),
        },
    }
}

/// Turns the changes of a file, one after the other, into those that lead back, in the
/// coordinates of the file as it is now.
#[derive(Default)]
struct Inversion {
    /// The growth by the changes before; offsets wrap back into range.
    bytes: u64,
    lines: u64,
}

impl Inversion {
    fn invert(&mut self, change: Change) -> Change {
        let from = change.from.wrapping_add(self.bytes);
        let line = change.line.wrapping_add(self.lines);
        let growth = |after: u64, before: u64| after.wrapping_sub(before);
        let (after, before) = (change.after.len() as u64, change.before.len() as u64);
        let lines = growth(line_ends(&change.after), line_ends(&change.before));
        self.bytes = self.bytes.wrapping_add(growth(after, before));
        self.lines = self.lines.wrapping_add(lines);
        Change {
            line,
            from,
            to: from + after,
            before: change.after,
            after: change.before,
        }
    }
}
