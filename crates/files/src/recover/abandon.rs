//! Closing a run as it stands: the way out where it can be neither completed nor rolled back.

use crate::error::{FileError, FileErrorKind};
use crate::fs::{Folder, Fs, Removal, Stat, folder_of};
use crate::hash::hash_of;
use crate::journal::Journal;
use crate::journal::records::Record;
use crate::journal::run_record::RunRecord;
use crate::recover::standing::{Known, Standing};
use std::ffi::OsStr;
use std::io;
use std::path::PathBuf;
use std::sync::Arc;

/// The bytes that a file of an abandoned run holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Holds {
    /// The bytes it held before the run.
    Old,
    /// The bytes that the run wrote.
    New,
    /// Others.
    Other,
    /// There is no such file.
    Missing,
}

/// A file of a run that was abandoned.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AbandonedFile {
    /// As the user named it.
    pub named: PathBuf,
    /// Its contents.
    pub holds: Holds,
    /// The place of its old bytes, as far as they were found.
    pub old: Option<PathBuf>,
    /// The place of its new bytes, likewise.
    pub new: Option<PathBuf>,
    /// The copy beside it, where that holds something else and was left there.
    pub left: Option<PathBuf>,
}

/// Closes a run and leaves every file of it as it is. The old and the new bytes are kept in the
/// journal, as far as they are found, until the run is forgotten.
///
/// # Errors
///
/// When the journal cannot be written; the run is as it was then.
pub fn abandon(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
) -> Result<Vec<AbandonedFile>, FileError> {
    let targets = run.intent.iter().flat_map(|intent| &intent.targets);
    let mut files = Vec::new();
    for (number, target) in targets.enumerate() {
        let one = Standing::named(fs, run, number, target, &Known::new());
        let after = run
            .commit
            .as_ref()
            .and_then(|commit| commit.after.get(number));
        let after = after.map(|(hash, _)| hash.as_str());
        let closing = Closing {
            fs,
            journal,
            run: run.run,
            one: &one,
            hashes: (&target.before, after),
        };
        let file = closing.file(target.named.path());
        files.push(file.map_err(|error| {
            FileError::io(&journal.folder(run.run), FileErrorKind::Journal, error)
        })?);
    }
    journal.repair(run)?;
    journal.add(run.run, &Record::Abandoned)?;
    journal.close(run.run);
    Ok(files)
}

/// A file whose run is being closed.
struct Closing<'c> {
    fs: &'c dyn Fs,
    journal: &'c Journal<'c>,
    run: u64,
    one: &'c Standing,
    /// Of the bytes before, and after where that was decided.
    hashes: (&'c str, Option<&'c str>),
}

/// A file that was found, and the hash of its bytes.
struct Found<'n> {
    folder: Arc<dyn Folder>,
    name: &'n OsStr,
    hash: String,
}

impl Closing<'_> {
    fn file(&self, named: PathBuf) -> io::Result<AbandonedFile> {
        let (before, after) = self.hashes;
        // Where the path leads through another folder now, that is only read.
        let there = match &self.one.folder {
            Some(folder) => Some(Arc::clone(folder)),
            None => self.fs.folder(&folder_of(&self.one.target)).ok(),
        };
        let beside = self.one.copy.as_ref().filter(|_| !self.one.in_place);
        let target = self.look(there.as_ref(), &self.one.name)?;
        let copy = match beside {
            Some(copy) => self.look(self.one.folder.as_ref(), copy)?,
            None => None,
        };
        let holds = match &target {
            None => Holds::Missing,
            Some(found) if found.hash == before => Holds::Old,
            Some(found) if Some(&*found.hash) == after => Holds::New,
            Some(_) => Holds::Other,
        };
        let found: Vec<&Found<'_>> = [&target, &copy].into_iter().flatten().collect();
        let (run, number) = (self.run, self.one.number);
        let old = self.keep(Some(before), &found, self.journal.old_copy(run, number))?;
        let new = self.keep(after, &found, self.journal.new_copy(run, number))?;
        let is_kept = copy.is_some_and(|copy| {
            copy.hash == before && old.is_some() || Some(&*copy.hash) == after && new.is_some()
        });
        Ok(AbandonedFile {
            named,
            holds,
            old,
            new,
            left: self.remove_copy(is_kept),
        })
    }

    fn look<'n>(
        &self,
        folder: Option<&Arc<dyn Folder>>,
        name: &'n OsStr,
    ) -> io::Result<Option<Found<'n>>> {
        let Some(folder) = folder else {
            return Ok(None);
        };
        let found = Standing::look(&**folder, name)?;
        Ok(found.map(|(_, hash)| Found {
            folder: Arc::clone(folder),
            name,
            hash,
        }))
    }

    /// Keeps the bytes with a hash at `place` in the journal; gives it where they were found.
    fn keep(
        &self,
        wanted: Option<&str>,
        found: &[&Found<'_>],
        place: PathBuf,
    ) -> io::Result<Option<PathBuf>> {
        let Some(wanted) = wanted else {
            return Ok(None);
        };
        // What is written in place has its copies in the journal already.
        let kept = self.fs.read(&place).and_then(hash_of);
        if kept.is_ok_and(|hash| hash == wanted) {
            return Ok(Some(place));
        }
        let Some(found) = found.iter().find(|found| found.hash == wanted) else {
            return Ok(None);
        };
        match self.fs.remove(&place) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error),
            _ => {}
        }
        let mut kept = self.fs.create(&place)?;
        io::copy(&mut found.folder.read(found.name)?, &mut kept)?;
        kept.flush()?;
        drop(kept);
        self.fs.sync(&place)?;
        Ok(Some(place))
    }

    /// Removes the copy beside the target, where it holds nothing that would be lost; gives it
    /// where it was left.
    fn remove_copy(&self, is_kept: bool) -> Option<PathBuf> {
        let (folder, copy) = (self.one.folder.as_ref()?, self.one.copy.as_ref()?);
        let is_undecided = self.hashes.1.is_none();
        let ours = |found: &Stat| match is_undecided {
            // It is ours, and may be half written.
            true => self.one.is_made(found),
            false => is_kept && (self.one.is_original(found) || self.one.is_made(found)),
        };
        match folder.remove(copy, &ours) {
            Ok(Removal::Removed | Removal::Missing) => None,
            Ok(Removal::NotOurs) | Err(_) => Some(folder.path().join(copy)),
        }
    }
}
