//! The files of a run, all together: looked at, turned, and left.

use crate::error::{FileError, FileErrorKind};
use crate::fs::Fs;
use crate::hash::hash_of;
use crate::journal::Journal;
use crate::journal::records::Record;
use crate::journal::run_record::RunRecord;
use crate::recover::left_file::{Leaving, LeftFile};
use crate::recover::standing::{At, Direction, Known, Standing, Turned};
use crate::recover::torn::can_be_cut_off;
use std::path::Path;

/// Turns every file that is not yet where it must be, whatever happens to one of them; false if
/// another program came first to one.
///
/// # Errors
///
/// The first of those that could not be written.
pub(super) fn turn_all(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    all: &mut [Standing],
    (way, is_own): (Direction, bool),
) -> Result<bool, FileError> {
    let from = match way {
        Direction::Forward => At::Old,
        Direction::Back => At::New,
    };
    let (mut is_clear, mut first) = (true, None);
    for one in all {
        let is_open = match way {
            Direction::Forward => one.can_go_forward,
            Direction::Back => one.can_go_back,
        };
        if !is_open || one.at != from && one.at != At::Torn {
            continue;
        }
        if one.in_place && !run.overwritten.contains(&one.number) {
            let noted = journal.add(run.run, &Record::Overwrite { file: one.number });
            if let (Err(error), false) = (noted, is_own) {
                first.get_or_insert(error);
                continue;
            }
        }
        match one.turn(fs, journal, run.run, way) {
            Ok(Turned::Done) => {}
            Ok(Turned::Theirs) => {
                one.at = At::TheirsAfter;
                is_clear = false;
            }
            Err(error) => {
                let error = FileError::io(&one.target, FileErrorKind::Write, error);
                first.get_or_insert(error);
            }
        }
    }
    first.map_or(Ok(is_clear), Err)
}

/// Looks again at the files that did not go back, and keeps what the journal may need of them.
pub(super) fn leave_foreign(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    all: &[Standing],
) -> Result<Vec<LeftFile>, FileError> {
    let targets = run.intent.iter().flat_map(|intent| &intent.targets);
    let mut left = Vec::new();
    for (one, target) in all.iter().zip(targets) {
        let after = run.commit.as_ref();
        let after = after.and_then(|commit| commit.after.get(one.number));
        let hashes = (&*target.before, after.map(|(hash, _)| hash.as_str()));
        let leaving = Leaving {
            fs,
            journal,
            run: run.run,
            one,
            hashes,
        };
        let named = target.named.path();
        let file = match one.at {
            At::TheirsBefore => Ok(leaving.untouched(named)),
            _ if one.is_left() => leaving.file(named),
            _ => continue,
        };
        left.push(file.map_err(|error| {
            FileError::io(&journal.folder(run.run), FileErrorKind::Journal, error)
        })?);
    }
    Ok(left)
}

/// The state of each file, in order of the targets, and the first reason why one cannot be looked
/// at.
pub(super) fn standings(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    known: &Known,
) -> (Vec<Standing>, Option<FileError>) {
    let targets = run.intent.iter().flat_map(|intent| &intent.targets);
    let after = run.commit.iter().flat_map(|commit| &commit.after);
    let mut after = after.map(|(hash, _)| hash.as_str());
    let (mut all, mut trouble) = (Vec::new(), None);
    for (number, target) in targets.enumerate() {
        let mut one = Standing::named(fs, run, number, target, known);
        match after.next() {
            // Nothing was decided, so nothing was touched.
            None => (one.at, one.can_go_back) = (At::Old, true),
            Some(after) => {
                if let Err(error) = judge(fs, journal, run, &mut one, (&target.before, after)) {
                    trouble.get_or_insert(error);
                }
            }
        }
        all.push(one);
    }
    (all, trouble)
}

fn judge(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    one: &mut Standing,
    hashes: (&str, &str),
) -> Result<(), FileError> {
    let Some(folder) = one.folder.clone() else {
        return Err(FileError::new(&one.target, FileErrorKind::Unreachable));
    };
    let fail = |error| FileError::io(&one.target, FileErrorKind::Read, error);
    let now = Standing::look(&*folder, &one.name).map_err(fail)?;
    if let Some(copy) = one.copy.clone().filter(|_| !one.in_place) {
        let copy = Standing::look(&*folder, &copy).map_err(fail)?;
        one.judge_exchanged(&now, &copy, hashes);
        return Ok(());
    }
    let (old, new) = (
        journal.old_copy(run.run, one.number),
        journal.new_copy(run.run, one.number),
    );
    let holds = |path: &Path, wanted: &str| {
        let hash = fs.read(path).and_then(hash_of);
        hash.is_ok_and(|hash| hash == wanted)
    };
    let has = (holds(&old, hashes.0), holds(&new, hashes.1));
    let name = one.name.clone();
    let is_torn = || {
        let torn = || {
            can_be_cut_off(
                &mut folder.read(&name)?,
                &mut fs.read(&old)?,
                &mut fs.read(&new)?,
            )
        };
        has == (true, true) && torn().unwrap_or(false)
    };
    let is_touched = run.overwritten.contains(&one.number);
    one.judge_in_place(now, has, (is_touched, &is_torn), hashes);
    Ok(())
}
