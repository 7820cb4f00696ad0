//! Finishing what was interrupted: forward or back, as the journal decides.
//!
//! Note to the maintainer. A file is only removed, exchanged or renamed when its name *and* its
//! number are those that the journal recorded: whatever else has come to have such a name is left
//! alone. Numbers of devices are not compared, because they may change when the machine starts.
//!
//! Nothing that another program did to one file holds up the others: the way back goes over every
//! file that still holds what the run wrote, and names the rest. Only a file that cannot be
//! looked at keeps the run open, because its copy may still be there.

pub mod abandon;
pub mod copies;
pub mod left_file;
pub mod standing;
mod targets;
mod torn;

use crate::error::{FileError, FileErrorKind};
use crate::fs::Fs;
use crate::journal::Journal;
use crate::journal::records::{Record, RunState};
use crate::journal::run_record::RunRecord;
use crate::recover::copies::{clean, remove_copies};
use crate::recover::left_file::LeftFile;
use crate::recover::standing::{At, Direction, Known, Standing, sync_folders};
use crate::recover::targets::{leave_foreign, standings, turn_all};
use std::path::PathBuf;

/// A recovery that came to its end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Recovered {
    /// The way that was taken.
    pub way: Direction,
    /// Copies that could not be removed, or that another file has taken the place of.
    pub left: Vec<PathBuf>,
    /// On the way back, the files that another program changed, moved or removed meanwhile, and
    /// those whose old bytes are gone: they are as they were found.
    pub foreign: Vec<LeftFile>,
}

impl Recovered {
    fn all(way: Direction, left: Vec<PathBuf>) -> Self {
        Self {
            way,
            left,
            foreign: Vec::new(),
        }
    }
}

/// The way that is taken where nothing is said: forward if the run was decided and no file
/// was changed since, or else back.
pub fn open_way(fs: &dyn Fs, journal: &Journal<'_>, run: &RunRecord) -> Direction {
    let (all, trouble) = standings(fs, journal, run, &Known::new());
    match can_go_forward(run.state, (&all, trouble.as_ref())) {
        true => Direction::Forward,
        false => Direction::Back,
    }
}

fn can_go_forward(state: RunState, (all, trouble): (&[Standing], Option<&FileError>)) -> bool {
    state == RunState::Committed && trouble.is_none() && all.iter().all(|one| one.can_go_forward)
}

/// Finishes an interrupted run, and gives the way it took. Can be stopped and done again. Of a
/// complete run, removes what it has left over.
///
/// # Errors
///
/// When it is to be completed and a file was changed by another program
/// ([`FileErrorKind::NotForward`]): nothing is touched then. When a file cannot be looked at, or not
/// be written: all others have gone the same way, and the run is still interrupted.
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
        let way = match run.state {
            RunState::RolledBack => Direction::Back,
            RunState::Begun
            | RunState::Committed
            | RunState::Back
            | RunState::Done
            | RunState::Clean
            | RunState::Abandoned => Direction::Forward,
        };
        return Ok(Recovered::all(way, clean(fs, journal, run)));
    }
    if run.intent.is_none() {
        journal.discard(run.run);
        return Ok(Recovered::all(Direction::Back, Vec::new()));
    }
    let (mut all, trouble) = standings(fs, journal, run, known);
    let is_open = can_go_forward(run.state, (&all, trouble.as_ref()));
    let is_own = !known.is_empty();
    if let (Some(Direction::Forward), false) = (wanted, is_open) {
        let foreign = all.iter().find(|one| !one.can_go_forward);
        let path = foreign.map_or(journal.folder(run.run), |one| one.target.clone());
        return Err(FileError::new(&path, FileErrorKind::NotForward));
    }
    if is_open && wanted != Some(Direction::Back) {
        journal.repair(run)?;
        if turn_all(fs, journal, run, &mut all, (Direction::Forward, is_own))? {
            sync_folders(all.iter())?;
            journal.add(run.run, &Record::Done)?;
            let left = clean(fs, journal, &journal.load(run.run)?);
            return Ok(Recovered::all(Direction::Forward, left));
        }
        // Another program came in between: all goes back.
        let run = journal.load(run.run)?;
        let (all, trouble) = standings(fs, journal, &run, known);
        return go_back(fs, journal, &run, all, (trouble, is_own));
    }
    go_back(fs, journal, run, all, (trouble, is_own))
}

/// Takes every file back that still holds what the run wrote; the others are left as they are.
fn go_back(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    mut all: Vec<Standing>,
    (trouble, is_own): (Option<FileError>, bool),
) -> Result<Recovered, FileError> {
    let mut noted = journal.repair(run);
    if run.state == RunState::Committed {
        noted = noted.and_then(|()| journal.add(run.run, &Record::Back));
    }
    // Whoever made the run goes back even where the log is lost: nobody could do it later.
    if !is_own {
        noted?;
    }
    let turned = turn_all(fs, journal, run, &mut all, (Direction::Back, is_own));
    let synced = sync_folders(all.iter());
    turned?;
    synced?;
    if let Some(trouble) = trouble {
        return Err(trouble);
    }
    let foreign = leave_foreign(fs, journal, run, &all)?;
    let others: Vec<&Standing> = all.iter().filter(|one| !one.is_left()).collect();
    let (left, _) = remove_copies(fs, journal, run.run, &others, At::Old);
    let may_hold = all.iter().filter(|one| one.is_left());
    let may_hold: Vec<usize> = may_hold.map(|one| one.number).collect();
    let is_all_back = may_hold.is_empty();
    let undone = Record::Undone { left: may_hold };
    match journal.add(run.run, &undone) {
        // A full disk has no room for the record, and a lost log no place; where nothing
        // is left, the run may go altogether.
        Err(_) if left.is_empty() && is_all_back && (run.commit.is_none() || is_own) => {
            journal.discard(run.run);
        }
        added => added?,
    }
    journal.close(run.run);
    Ok(Recovered {
        way: Direction::Back,
        left,
        foreign,
    })
}
