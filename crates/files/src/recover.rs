//! Finishing what was interrupted: forward or back, as the journal decides.
//!
//! Note to the maintainer. A file is only removed, exchanged or renamed when its name *and* its
//! number are those that the journal recorded: whatever else has come to have such a name is left
//! alone. Numbers of devices are not compared, because they may change when the machine starts.

pub mod abandon;
pub mod copies;
pub mod standing;

use crate::error::{FileError, FileErrorKind};
use crate::fs::Fs;
use crate::hash::hash_of;
use crate::journal::Journal;
use crate::journal::records::{Record, RunState};
use crate::journal::run_record::RunRecord;
use crate::recover::copies::{clean, remove_copies};
use crate::recover::standing::{At, Direction, Known, Standing, sync_folders};
use std::path::PathBuf;

/// Ways to close an interrupted run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Open {
    /// It can be completed.
    pub forward: bool,
    /// It can be rolled back.
    pub back: bool,
}

impl Open {
    /// The way that is taken where nothing is said: forward once it was decided.
    pub fn way(self) -> Option<Direction> {
        match self {
            Self { forward: true, .. } => Some(Direction::Forward),
            Self { back: true, .. } => Some(Direction::Back),
            _ => None,
        }
    }
}

/// A recovery that came to its end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Recovered {
    /// The way that was taken.
    pub way: Direction,
    /// Copies that could not be removed, or that another file has taken the place of.
    pub left: Vec<PathBuf>,
}

/// Which ways are open for an interrupted run.
///
/// # Errors
///
/// When its files cannot be looked at.
pub fn open_ways(fs: &dyn Fs, journal: &Journal<'_>, run: &RunRecord) -> Result<Open, FileError> {
    let standings = standings(fs, journal, run, &Known::new())?;
    Ok(ways(run.state, &standings))
}

fn ways(state: RunState, all: &[Standing]) -> Open {
    Open {
        forward: state == RunState::Committed && all.iter().all(|one| one.can_go_forward),
        back: all.iter().all(|one| one.can_go_back),
    }
}

/// Finishes an interrupted run, and gives the way it took. Can be stopped and done again. Of a
/// complete run, removes what it has left over.
///
/// # Errors
///
/// When the way is not open: a file is missing or was changed by another program. Nothing is
/// touched then.
pub fn recover(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    wanted: Option<Direction>,
) -> Result<Recovered, FileError> {
    recover_known(fs, journal, run, wanted, &Known::new())
}

pub(crate) fn recover_known(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    wanted: Option<Direction>,
    known: &Known,
) -> Result<Recovered, FileError> {
    if run.state.is_finished() {
        return Ok(Recovered {
            way: match run.state {
                RunState::RolledBack => Direction::Back,
                _ => Direction::Forward,
            },
            left: clean(fs, journal, run),
        });
    }
    if run.intent.is_none() {
        journal.discard(run.run);
        return Ok(Recovered {
            way: Direction::Back,
            left: Vec::new(),
        });
    }
    let all = standings(fs, journal, run, known)?;
    let open = ways(run.state, &all);
    let way = wanted.or(open.way()).filter(|way| match way {
        Direction::Forward => open.forward,
        Direction::Back => open.back,
    });
    let Some(way) = way else {
        let stuck = all.iter().find(|one| one.at == At::Theirs);
        let stuck = stuck
            .or(all.first())
            .map_or(journal.folder(run.run), |one| one.target.clone());
        return Err(FileError::new(&stuck, FileErrorKind::Stuck));
    };
    let mut noted = journal.repair(run);
    if way == Direction::Back && run.state == RunState::Committed {
        noted = noted.and_then(|()| journal.add(run.run, &Record::Back));
    }
    // Whoever made the run goes back even where the log is lost: nobody could do it later.
    if known.is_empty() {
        noted?;
    }
    turn_all(fs, journal, run, &all, (way, !known.is_empty()))?;
    sync_folders(&all)?;
    match way {
        Direction::Forward => {
            journal.add(run.run, &Record::Done)?;
            let left = clean(fs, journal, &journal.load(run.run)?);
            Ok(Recovered { way, left })
        }
        Direction::Back => {
            let (left, _) = remove_copies(fs, journal, run.run, &all, At::Old);
            match journal.add(run.run, &Record::Undone) {
                // A full disk has no room for the record, and a lost log no place; where nothing
                // is left, the run may go altogether.
                Err(_) if left.is_empty() && (run.commit.is_none() || !known.is_empty()) => {
                    journal.discard(run.run);
                }
                added => added?,
            }
            journal.close(run.run);
            Ok(Recovered { way, left })
        }
    }
}

fn turn_all(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    all: &[Standing],
    (way, is_own): (Direction, bool),
) -> Result<(), FileError> {
    let from = match way {
        Direction::Forward => At::Old,
        Direction::Back => At::New,
    };
    for one in all {
        if one.at != from && one.at != At::Torn {
            continue;
        }
        if one.in_place && !run.overwritten.contains(&one.number) {
            let noted = journal.add(run.run, &Record::Overwrite { file: one.number });
            if !is_own {
                noted?;
            }
        }
        let turned = one.turn(fs, journal, run.run, way);
        turned.map_err(|error| FileError::io(&one.target, FileErrorKind::Write, error))?;
    }
    Ok(())
}

fn standings(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    known: &Known,
) -> Result<Vec<Standing>, FileError> {
    let targets = run.intent.iter().flat_map(|intent| &intent.targets);
    let after = run.commit.iter().flat_map(|commit| &commit.after);
    let mut after = after.map(|(hash, _)| hash.as_str());
    let mut all = Vec::new();
    for (number, target) in targets.enumerate() {
        let mut one = Standing::named(fs, run, number, target, known);
        let Some(after) = after.next() else {
            // Nothing was decided, so nothing was touched.
            (one.at, one.can_go_back) = (At::Old, true);
            all.push(one);
            continue;
        };
        let Some(folder) = one.folder.clone() else {
            all.push(one);
            continue;
        };
        let fail = |error| FileError::io(&one.target, FileErrorKind::Read, error);
        let hashes = (&*target.before, after);
        let now = Standing::look(&*folder, &one.name).map_err(fail)?;
        match one.copy.clone().filter(|_| !one.in_place) {
            Some(copy) => {
                let copy = Standing::look(&*folder, &copy).map_err(fail)?;
                one.judge_exchanged(&now, &copy, hashes);
            }
            None => {
                let holds = |path: PathBuf, wanted: &str| {
                    let hash = fs.read(&path).and_then(hash_of);
                    hash.is_ok_and(|hash| hash == wanted)
                };
                let has_old = holds(journal.old_copy(run.run, number), hashes.0);
                let has_new = holds(journal.new_copy(run.run, number), hashes.1);
                let is_touched = run.overwritten.contains(&number);
                one.judge_in_place(now, (has_old, has_new), is_touched, hashes);
            }
        }
        all.push(one);
    }
    Ok(all)
}
