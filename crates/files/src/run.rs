//! The run protocol: all files of a run hold their new bytes in the end, or all hold their old
//! ones, whatever happens in between.
//!
//! Note to the maintainer. The order is what makes it safe; every step names what it relies on.
//!
//! 1. INTENT is on the disk before any copy exists, with the name of each, which no one can
//!    guess. The copies are made empty; MADE, with their numbers, is on the disk before a byte
//!    is written to them. So every copy can be found, and distinguished from a file of another program.
//! 2. Copies are filled beside their targets, each spliced and hashed in one go from one
//!    descriptor; what must be written in place is copied into the journal, old and new. All
//!    copies, the changes and the folders are synced.
//! 3. COMMIT is the decision. Before it everything goes back, after it everything goes forward,
//!    unless a file turns out to have been changed by another program: then BACK is recorded first
//!    and everything goes back.
//! 4. Names are exchanged, so that what is replaced stays available, and is looked at again: it
//!    must be the file that was hashed, not written to since, and with the attributes that the
//!    new one was given.
//! 5. DONE is on the disk before what was replaced is removed.
//!
//! `recover.rs` finishes what was interrupted; the tests stop it after every operation.

mod change_log;
mod making;
pub mod request;
mod staged_file;

use crate::copy_name::is_copy_name;
use crate::error::{FileError, FileErrorKind};
use crate::fs::{Folder, Fs};
use crate::journal::{Journal, Lock};
use crate::recover::copies::clean;
use crate::run::making::Making;
use crate::run::request::{RunDone, RunFailed, RunNote, RunRequest};
use crate::run::staged_file::StagedFile;
use crate::source::Source;
use brisk_quill_core::escape::visible_path;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::io;
use std::path::PathBuf;
use std::sync::Arc;

/// Makes a run: writes every changed file of the plan where it stands, or none.
///
/// # Errors
///
/// When a file no longer holds the bytes the plan was made from, is reached under two names,
/// leads elsewhere, is not a regular file, cannot be read or written, or belongs to the journal;
/// when the user stopped it; or when an interrupted run touches the same folders. All files are as
/// they were then, but for those that another program changed meanwhile, which the error
/// names; where not even that could be done, the error says so
/// ([`FileErrorKind::NotRolledBack`]).
pub fn make_run(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    lock: &mut Lock,
    request: &RunRequest<'_>,
) -> Result<RunDone, RunFailed> {
    // What can be refused is refused before there is anything to roll back.
    let state = fs.resolve(journal.state()).ok();
    let mut files = Vec::new();
    for file in request.plan.changed() {
        if let Source::File(named) = &file.source {
            files.push(StagedFile::new(
                fs,
                state.as_deref(),
                files.len(),
                named,
                file,
            )?);
        }
    }
    check_identity(&files)?;
    for file in &mut files {
        file.lower(request.interrupted)?;
    }
    let notes = look_around(fs, journal, &files)?;
    let run = journal.begin(lock)?;
    let making = Making {
        fs,
        journal,
        run,
        interrupted: request.interrupted,
    };
    match making.make(request, &mut files) {
        Ok(()) => Ok(RunDone {
            run,
            files: files.len() as u64,
            changes: files.iter().map(|file| file.file.count()).sum(),
            can_undo: journal.can_undo(run),
            notes,
        }),
        Err(error) => making.roll_back(request, &files, error),
    }
}

/// One file may not be rewritten under two names: the second would undo the first.
fn check_identity(files: &[StagedFile<'_>]) -> Result<(), FileError> {
    let mut seen = HashMap::new();
    for file in files {
        if let Some(other) = seen.insert(file.seen.id, &file.named) {
            let other = visible_path(other);
            return Err(FileError::io(
                &file.named,
                FileErrorKind::SameFile,
                io::Error::other(format!("it is also {other}")),
            ));
        }
    }
    Ok(())
}

/// Looks for other runs in the folders of the files: an interrupted one of this journal is in
/// the way, and what a complete one has left over is removed.
fn look_around(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    files: &[StagedFile<'_>],
) -> Result<Vec<RunNote>, FileError> {
    let mut notes = Vec::new();
    let folders: BTreeMap<PathBuf, &Arc<dyn Folder>> = (files.iter())
        .map(|file| (file.place.folder.path().to_owned(), &file.place.folder))
        .collect();
    let ids: HashSet<crate::fs::FileId> = folders.values().map(|folder| folder.id()).collect();
    let mut own = BTreeSet::new();
    for run in journal.marked()? {
        let Ok(record) = journal.load(run) else {
            // What it was about is not known; `recover` tells of it.
            continue;
        };
        let Some(intent) = &record.intent else {
            journal.discard(run);
            continue;
        };
        let touches = intent.targets.iter().find(|target| {
            let folder = crate::fs::folder_of(&target.path.path());
            ids.contains(&target.folder) || folders.contains_key(&folder)
        });
        match (record.state.is_finished(), touches) {
            (false, Some(target)) => {
                return Err(FileError::io(
                    &target.path.path(),
                    FileErrorKind::Unfinished,
                    io::Error::other(format!("run {run}")),
                ));
            }
            (true, _) => {
                let left = clean(fs, journal, &record);
                let near = |path: &PathBuf| folders.contains_key(&crate::fs::folder_of(path));
                notes.extend(left.into_iter().filter(near).map(RunNote::LeftOver));
            }
            (false, None) => {}
        }
        own.extend(
            intent
                .targets
                .iter()
                .filter_map(|target| target.staged.clone()),
        );
    }
    for folder in folders.values() {
        // A folder that cannot be listed can still be written in.
        for name in folder.list().unwrap_or_default() {
            let is_own = name.to_str().is_some_and(|name| own.contains(name));
            if is_copy_name(&name) && !is_own {
                notes.push(RunNote::AnotherRun(folder.path().join(name)));
            }
        }
    }
    Ok(notes)
}
