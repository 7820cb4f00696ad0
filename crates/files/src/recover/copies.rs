//! Removal of the copies that a run has made beside its files.

use crate::fs::{Fs, Removal, Stat, folder_of, second_name};
use crate::journal::Journal;
use crate::journal::records::{Record, RunState};
use crate::journal::run_record::RunRecord;
use crate::recover::standing::{At, Known, Standing, sync_folders};
use crate::recover::targets::standings;
use std::io;
use std::path::PathBuf;

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
    let all: Vec<Standing> = match keeps {
        // What was replaced is known by its number and its time.
        At::New => {
            let targets = run.intent.iter().flat_map(|intent| &intent.targets);
            let named = |(number, target)| Standing::named(fs, run, number, target, &Known::new());
            targets.enumerate().map(named).collect()
        }
        _ => standings(fs, journal, run, &Known::new()).0,
    };
    let is_mine = |one: &&Standing| !run.left.contains(&one.number);
    let all: Vec<&Standing> = all.iter().filter(is_mine).collect();
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
pub(super) fn remove_copies(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: u64,
    all: &[&Standing],
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
                    _ if one.in_place => one.is_made(found),
                    _ => one.is_new(found),
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
    is_through &= sync_folders(all.iter().copied()).is_ok();
    if all.iter().any(|one| one.in_place) {
        is_through &= fs.sync_folder(&journal.folder(run)).is_ok();
    }
    (left, is_through)
}

pub(super) fn is_gone(error: &io::Error) -> bool {
    matches!(
        error.kind(),
        io::ErrorKind::NotFound | io::ErrorKind::NotADirectory | io::ErrorKind::InvalidInput
    )
}
