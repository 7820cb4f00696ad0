//! Finishing what was interrupted: forward or back, as the journal decides.
//!
//! Note to the maintainer. A file is only removed, exchanged or renamed when its name *and* its
//! number are those that the journal recorded: whatever else has come to have such a name is left
//! alone. Numbers of devices are not compared, because they may change when the machine starts.

pub mod abandon;

use crate::error::{FileError, FileErrorKind};
use crate::fs::{FileId, Folder, Fs, Removal, Stat, folder_of, second_name};
use crate::hash::hash_of;
use crate::journal::Journal;
use crate::journal::records::{Record, RunState, Target};
use crate::journal::run_record::RunRecord;
use std::collections::{BTreeMap, HashMap};
use std::ffi::{OsStr, OsString};
use std::io;
use std::path::PathBuf;
use std::sync::Arc;

/// Which way an interrupted run is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Direction {
    /// Every file gets its new bytes.
    Forward,
    /// Every file gets its old bytes.
    Back,
}

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

/// Folders that are open, by the number of a target, and the copies that are known to be ours.
pub(crate) type Known = HashMap<usize, (Arc<dyn Folder>, Option<FileId>)>;

/// The state of a file of an interrupted run.
pub(crate) struct Standing {
    number: usize,
    target: PathBuf,
    name: OsString,
    /// `None` where it is gone, or another one has taken its place.
    folder: Option<Arc<dyn Folder>>,
    /// The name of the copy beside it, where one was meant.
    copy: Option<OsString>,
    in_place: bool,
    original: FileId,
    /// When it had last been written.
    written: (i64, i64),
    /// Its permission bits, and its owner and group, when the run began.
    attributes: (u32, (u32, u32)),
    made: Option<FileId>,
    at: At,
    can_go_forward: bool,
    can_go_back: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum At {
    Old,
    New,
    /// Overwritten where it stands, and torn.
    Torn,
    /// Changed by another program: before we came to it, or after.
    Theirs,
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

impl Standing {
    /// The hash of a file's bytes, and which file it is; `None` where there is no such file,
    /// or none that can be read.
    pub(crate) fn look(folder: &dyn Folder, name: &OsStr) -> io::Result<Option<(Stat, String)>> {
        match folder.read(name) {
            Ok(file) => {
                let found = file.stat()?;
                Ok(Some((found, hash_of(file)?)))
            }
            Err(error) => match error.kind() {
                // Something else has come to lie there, or nothing.
                io::ErrorKind::NotFound | io::ErrorKind::InvalidInput => Ok(None),
                _ => Err(error),
            },
        }
    }

    fn turn(&self, fs: &dyn Fs, journal: &Journal<'_>, run: u64, way: Direction) -> io::Result<()> {
        let folder = self.folder.as_ref().ok_or(io::ErrorKind::NotFound)?;
        match self.copy.as_ref().filter(|_| !self.in_place) {
            Some(copy) => {
                if let (Direction::Forward, Some(made)) = (way, self.made) {
                    // Another program may have changed the file's mode since.
                    folder.copy_attributes(&self.name, copy, made)?;
                }
                folder.exchange(copy, &self.name)
            }
            None => {
                let with = match way {
                    Direction::Forward => journal.new_copy(run, self.number),
                    Direction::Back => journal.old_copy(run, self.number),
                };
                folder.overwrite(&self.name, self.original, &mut fs.read(&with)?)
            }
        }
    }

    /// The names only.
    fn named(fs: &dyn Fs, run: &RunRecord, number: usize, target: &Target, known: &Known) -> Self {
        let path = target.path.path();
        let known = known.get(&number);
        let folder = match known {
            Some((folder, _)) => Some(Arc::clone(folder)),
            None => fs
                .folder(&folder_of(&path))
                .ok()
                .filter(|folder| folder.id().inode == target.folder.inode),
        };
        let recorded = run.made.get(number).copied().flatten();
        let copy = target.staged.as_ref().map(OsString::from);
        Self {
            number,
            name: path.file_name().unwrap_or_default().to_owned(),
            target: path,
            folder,
            in_place: copy.is_none() || run.in_place.contains(&number),
            copy,
            original: target.id,
            written: target.written,
            attributes: (target.mode, target.owner),
            made: recorded.or(known.and_then(|(_, made)| *made)),
            at: At::Theirs,
            can_go_forward: false,
            can_go_back: false,
        }
    }

    fn is_original(&self, found: &Stat) -> bool {
        found.id.inode == self.original.inode
    }

    fn is_made(&self, found: &Stat) -> bool {
        match self.made {
            Some(made) => found.id.inode == made.inode,
            // It was made, and had not been recorded: then nothing had been written to it.
            None => found.bytes == 0 && found.names == 1,
        }
    }

    /// The state of a file for which another is exchanged.
    fn judge_exchanged(
        &mut self,
        now: &Option<(Stat, String)>,
        copy: &Option<(Stat, String)>,
        (before, after): (&str, &str),
    ) {
        let has = |found: &Option<(Stat, String)>, made: bool, wanted: &str| {
            found.as_ref().is_some_and(|(stat, hash)| {
                let ours = match made {
                    true => self.is_made(stat),
                    false => self.is_original(stat),
                };
                ours && hash == wanted
            })
        };
        let copy_is_new = has(copy, true, after);
        let is_untouched = |(stat, _): &(Stat, String)| (stat.mode, stat.owner) == self.attributes;
        let copy_is_old = has(copy, false, before) && copy.as_ref().is_some_and(is_untouched);
        let judged = if has(now, false, before) {
            (At::Old, copy_is_new, true)
        } else if has(now, true, after) {
            // What came out of the exchange must be what was hashed, or it is the work of another program
            // and goes back where it was.
            (At::New, copy_is_old || copy.is_none(), copy.is_some())
        } else if copy_is_new {
            // Not yet reached: it is left as it is on the way back.
            (At::Theirs, false, true)
        } else {
            // Written to after it was ours: it is left as it is on the way forward.
            (At::Theirs, copy_is_old, false)
        };
        (self.at, self.can_go_forward, self.can_go_back) = judged;
    }

    /// The state of a file that is written in place.
    fn judge_in_place(
        &mut self,
        now: Option<(Stat, String)>,
        (has_old, has_new): (bool, bool),
        is_touched: bool,
        (before, after): (&str, &str),
    ) {
        let now = now.filter(|(stat, _)| self.is_original(stat));
        let judged = match now.as_ref().map(|(_, hash)| &**hash) {
            Some(hash) if hash == before => (At::Old, has_new, true),
            Some(hash) if hash == after => (At::New, true, has_old),
            Some(_) if is_touched => (At::Torn, has_new, has_old),
            // Replaced or edited by another program.
            _ => (At::Theirs, false, has_new),
        };
        (self.at, self.can_go_forward, self.can_go_back) = judged;
    }
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

/// Removes what a complete run has left over; gives what could not be removed.
///
/// What has gone meanwhile is done with. Another file that has come to have the name of a copy
/// is named, too, and left alone.
pub fn clean(fs: &dyn Fs, journal: &Journal<'_>, run: &RunRecord) -> Vec<PathBuf> {
    let keeps = match run.state {
        RunState::Done => At::New,
        RunState::RolledBack => At::Old,
        RunState::Clean | RunState::Abandoned => {
            journal.close(run.run);
            return Vec::new();
        }
        RunState::Begun | RunState::Committed | RunState::Back => return Vec::new(),
    };
    let targets = run.intent.iter().flat_map(|intent| &intent.targets);
    let all: Vec<Standing> = (targets.enumerate())
        .map(|(number, target)| Standing::named(fs, run, number, target, &Known::new()))
        .collect();
    let (left, is_through) = remove_copies(fs, journal, run.run, &all, keeps);
    if is_through {
        // That it is clean is only worth knowing.
        if run.state == RunState::Done {
            let noted = journal.repair(run);
            let _ = noted.and_then(|()| journal.add(run.run, &Record::Clean));
        }
        journal.close(run.run);
    }
    left
}

/// Removes the copies of a run whose targets hold what `keeps` says; gives those that are still
/// there, and whether trying again would be of no use.
fn remove_copies(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: u64,
    all: &[Standing],
    keeps: At,
) -> (Vec<PathBuf>, bool) {
    let (mut left, mut is_through) = (Vec::new(), true);
    for one in all {
        if one.in_place {
            for path in [
                journal.new_copy(run, one.number),
                journal.old_copy(run, one.number),
            ] {
                match fs.remove(&path) {
                    Err(error) if error.kind() != io::ErrorKind::NotFound => {
                        is_through = false;
                        left.push(path);
                    }
                    _ => {}
                }
            }
        }
        let Some(copy) = &one.copy else { continue };
        let folder = folder_of(&one.target);
        match &one.folder {
            Some(opened) => {
                let ours = |found: &Stat| match keeps {
                    // Another program may have written to it at the last moment; and a number is given
                    // again once its file has gone.
                    At::New if !one.in_place => {
                        one.is_original(found) && found.written == one.written
                    }
                    _ => one.is_made(found),
                };
                for name in [copy.clone(), second_name(copy)] {
                    match opened.remove(&name, &ours) {
                        Ok(Removal::Removed | Removal::Missing) => {}
                        Ok(Removal::NotOurs) => left.push(folder.join(name)),
                        Err(_) => {
                            is_through = false;
                            left.push(folder.join(name));
                        }
                    }
                }
            }
            // A folder that is gone took its copies along; one that cannot be opened kept them.
            None if fs.folder(&folder).is_err_and(|error| !is_gone(&error)) => {
                is_through = false;
                left.push(folder.join(copy));
            }
            None => {}
        }
    }
    // What was removed must stay removed before the run is called finished.
    is_through &= sync_folders(all).is_ok();
    if all.iter().any(|one| one.in_place) {
        is_through &= fs.sync_folder(&journal.folder(run)).is_ok();
    }
    (left, is_through)
}

fn is_gone(error: &io::Error) -> bool {
    matches!(
        error.kind(),
        io::ErrorKind::NotFound | io::ErrorKind::NotADirectory | io::ErrorKind::InvalidInput
    )
}

/// Brings the names of targets and copies to the disk.
fn sync_folders(all: &[Standing]) -> Result<(), FileError> {
    let with_copies = all.iter().filter(|one| one.copy.is_some());
    let folders: BTreeMap<PathBuf, &Arc<dyn Folder>> = with_copies
        .filter_map(|one| Some((folder_of(&one.target), one.folder.as_ref()?)))
        .collect();
    for (path, folder) in folders {
        let synced = folder.sync();
        synced.map_err(|error| FileError::io(&path, FileErrorKind::Write, error))?;
    }
    Ok(())
}
