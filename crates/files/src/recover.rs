//! Finishing what was stopped: forward or back, as the journal decides.

use crate::fs::{Fs, folder_of, second_name};
use crate::journal::{Journal, Record, RunRecord, RunState, Target};
use crate::run::hash_of;
use crate::{FileError, Trouble};
use std::collections::BTreeSet;
use std::io;
use std::path::PathBuf;

/// Which way an unfinished run is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Direction {
    /// Every file gets its new bytes.
    Forward,
    /// Every file gets its old bytes.
    Back,
}

/// What can be done with an unfinished run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Open {
    /// It can be completed.
    pub forward: bool,
    /// It can be taken back.
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

/// Where a file of an unfinished run stands.
struct Place {
    target: PathBuf,
    in_place: bool,
    /// Where the new bytes are as long as the target has the old ones.
    copy: PathBuf,
    /// Where the old bytes are once the target has the new ones.
    old: PathBuf,
    at: At,
    can_go_forward: bool,
    can_go_back: bool,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum At {
    Old,
    New,
    /// Overwritten where it stands, and torn.
    Torn,
    /// Changed by somebody else: before we came to it, or after.
    Theirs,
}

/// Which ways are open for an unfinished run.
///
/// # Errors
///
/// When its files cannot be looked at.
pub fn open_ways(fs: &dyn Fs, journal: &Journal<'_>, run: &RunRecord) -> Result<Open, FileError> {
    let places = places(fs, journal, run)?;
    Ok(ways(run.state, &places))
}

fn ways(state: RunState, places: &[Place]) -> Open {
    Open {
        forward: state == RunState::Committed && places.iter().all(|place| place.can_go_forward),
        back: places.iter().all(|place| place.can_go_back),
    }
}

/// Finishes an unfinished run, and gives the way it took. Can be stopped and done again.
///
/// # Errors
///
/// When the way is not open: a file was changed by somebody else. Nothing is touched then.
pub fn recover(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    wanted: Option<Direction>,
) -> Result<Direction, FileError> {
    let places = places(fs, journal, run)?;
    let open = ways(run.state, &places);
    let way = wanted.or(open.way()).filter(|way| match way {
        Direction::Forward => open.forward,
        Direction::Back => open.back,
    });
    let Some(way) = way else {
        let stuck = places.iter().find(|place| place.at == At::Theirs);
        let stuck = stuck
            .or(places.first())
            .map_or(journal.folder(run.run), |p| p.target.clone());
        return Err(FileError::new(&stuck, Trouble::Stuck));
    };
    journal.mend(run)?;
    if way == Direction::Back && run.state == RunState::Committed {
        journal.add(run.run, &Record::Back)?;
    }
    let from = match way {
        Direction::Forward => At::Old,
        Direction::Back => At::New,
    };
    for (number, place) in places.iter().enumerate() {
        if place.at != from && place.at != At::Torn {
            continue;
        }
        if place.in_place && !run.overwritten.contains(&number) {
            journal.add(run.run, &Record::Overwrite { file: number })?;
        }
        place.turn(fs, way)?;
    }
    sync_folders(fs, &places)?;
    match way {
        Direction::Forward => journal.add(run.run, &Record::Done)?,
        Direction::Back => {
            remove_copies(fs, &places)?;
            journal.add(run.run, &Record::Undone)?;
        }
    }
    if way == Direction::Forward {
        clean(fs, journal, &journal.load(run.run)?)?;
    }
    Ok(way)
}

impl Place {
    fn turn(&self, fs: &dyn Fs, way: Direction) -> Result<(), FileError> {
        let with = match way {
            Direction::Forward => &self.copy,
            Direction::Back => &self.old,
        };
        let turned = match self.in_place {
            true => fs.overwrite(&self.target, with),
            false => fs.exchange(with, &self.target),
        };
        turned.map_err(|error| FileError::io(&self.target, Trouble::Write, error))
    }
}

/// Removes what a complete run has left over.
///
/// # Errors
///
/// When it cannot be removed.
pub fn clean(fs: &dyn Fs, journal: &Journal<'_>, run: &RunRecord) -> Result<(), FileError> {
    if run.state != RunState::Done {
        return Ok(());
    }
    let targets = run
        .intent
        .iter()
        .flat_map(|intent| &intent.targets)
        .enumerate();
    let places: Vec<Place> = targets
        .map(|(number, target)| Place::named(journal, run.run, number, target))
        .collect();
    remove_copies(fs, &places)?;
    journal.mend(run)?;
    journal.add(run.run, &Record::Clean)
}

fn remove_copies(fs: &dyn Fs, places: &[Place]) -> Result<(), FileError> {
    for place in places {
        let mut names = vec![place.copy.clone(), second_name(&place.copy)];
        if place.in_place {
            names.push(place.old.clone());
        }
        for name in names {
            match fs.remove(&name) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => {
                    return Err(FileError::io(&name, Trouble::Write, error));
                }
                _ => {}
            }
        }
    }
    sync_folders(fs, places)
}

/// Brings the names of targets and copies to the disk.
fn sync_folders(fs: &dyn Fs, places: &[Place]) -> Result<(), FileError> {
    // A copy lies beside its target, or in the journal.
    let folders: BTreeSet<PathBuf> = places.iter().map(|place| folder_of(&place.copy)).collect();
    for folder in folders {
        match fs.sync_folder(&folder) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => {
                return Err(FileError::io(&folder, Trouble::Write, error));
            }
            _ => {}
        }
    }
    Ok(())
}

impl Place {
    /// The names only.
    fn named(journal: &Journal<'_>, run: u64, number: usize, target: &Target) -> Self {
        let folder = journal.folder(run);
        let staged = target.staged.as_ref().map(|path| path.path());
        let in_place = staged.is_none();
        let copy = staged.unwrap_or_else(|| folder.join(format!("{number}.new")));
        Self {
            target: target.path.path(),
            in_place,
            old: if in_place {
                folder.join(format!("{number}.old"))
            } else {
                copy.clone()
            },
            copy,
            at: At::Theirs,
            can_go_forward: false,
            can_go_back: false,
        }
    }
}

fn places(fs: &dyn Fs, journal: &Journal<'_>, run: &RunRecord) -> Result<Vec<Place>, FileError> {
    let targets = run.intent.iter().flat_map(|intent| &intent.targets);
    let after = run.commit.iter().flat_map(|commit| &commit.after);
    let mut after = after.map(|(hash, _)| hash.as_str());
    let mut places = Vec::new();
    for (number, target) in targets.enumerate() {
        let mut place = Place::named(journal, run.run, number, target);
        let hash = |path: &PathBuf| {
            hash_of(fs, path).map_err(|error| FileError::io(path, Trouble::Read, error))
        };
        let Some(after) = after.next() else {
            // Nothing was decided, so nothing was touched.
            place.at = At::Old;
            place.can_go_back = true;
            places.push(place);
            continue;
        };
        let (now, copy) = (hash(&place.target)?, hash(&place.copy)?);
        let (before, now) = (&*target.before, now.as_deref());
        let has_new = copy.as_deref() == Some(after);
        let touched = !place.in_place || run.overwritten.contains(&number);
        let has_old = hash(&place.old)?.as_deref() == Some(before);
        (place.at, place.can_go_forward, place.can_go_back) = match now {
            Some(now) if now == before => (At::Old, has_new, true),
            Some(now) if now == after && place.in_place => (At::New, true, has_old),
            // What came out of the exchange must be what was hashed, or it is somebody's work
            // and goes back where it was.
            Some(now) if now == after => (At::New, has_old || copy.is_none(), copy.is_some()),
            _ if place.in_place && touched => (At::Torn, has_new, has_old),
            // Not yet reached: it is left as it is on the way back.
            _ if has_new => (At::Theirs, false, true),
            // Written to after it was ours: it is left as it is on the way forward.
            _ => (At::Theirs, has_old, false),
        };
        places.push(place);
    }
    Ok(places)
}
