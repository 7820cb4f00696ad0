//! Files that a recovery leaves as another program made them, and the bytes that are kept of them.

use crate::fs::{Folder, Fs, Removal, Stat, folder_of};
use crate::hash::hash_of;
use crate::journal::Journal;
use crate::recover::standing::Standing;
use std::ffi::OsStr;
use std::io::{self, Write};
use std::path::PathBuf;
use std::sync::Arc;

/// The bytes that a file holds.
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
    /// The file cannot be read.
    Unreadable,
}

/// A file that a recovery has left as it was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LeftFile {
    /// The number among the targets, from 0.
    pub number: usize,
    /// As the user named it.
    pub named: PathBuf,
    /// The contents.
    pub holds: Holds,
    /// The place of its old bytes, as far as they were found.
    pub old: Option<PathBuf>,
    /// The place of its new bytes, likewise.
    pub new: Option<PathBuf>,
    /// The copy beside it, where that holds something else and was left there.
    pub left: Option<PathBuf>,
}

/// A file that is being left as it is.
pub(super) struct Leaving<'c> {
    pub(super) fs: &'c dyn Fs,
    pub(super) journal: &'c Journal<'c>,
    pub(super) run: u64,
    pub(super) one: &'c Standing,
    /// Of the bytes before, and after where that was decided.
    pub(super) hashes: (&'c str, Option<&'c str>),
}

/// A file that was found, and the hash of its bytes.
struct Found<'n> {
    folder: Arc<dyn Folder>,
    name: &'n OsStr,
    hash: String,
}

impl Leaving<'_> {
    /// Says what the file holds, keeps its old and its new bytes in the journal as far as they are
    /// found, and removes its copy where nothing is lost by that.
    ///
    /// # Errors
    ///
    /// When the bytes cannot be kept in the journal.
    pub(super) fn file(&self, named: PathBuf) -> io::Result<LeftFile> {
        let (before, after) = self.hashes;
        // Where the path leads through another folder now, that is only read.
        let there = match &self.one.folder {
            Some(folder) => Some(Arc::clone(folder)),
            None => self.fs.folder(&folder_of(&self.one.target)).ok(),
        };
        let beside = self.one.copy.as_ref().filter(|_| !self.one.in_place);
        let target = self.look(there.as_ref(), &self.one.name);
        let copy = beside.and_then(|copy| self.look(self.one.folder.as_ref(), copy).ok()?);
        let holds = self.holds(&target);
        let target = target.ok().flatten();
        let found: Vec<&Found<'_>> = [&target, &copy].into_iter().flatten().collect();
        let (run, number) = (self.run, self.one.number);
        let old = self.keep(Some(before), &found, self.journal.old_copy(run, number))?;
        let new = self.keep(after, &found, self.journal.new_copy(run, number))?;
        let is_kept = copy.is_some_and(|copy| {
            copy.hash == before && old.is_some() || Some(&*copy.hash) == after && new.is_some()
        });
        Ok(LeftFile {
            number: self.one.number,
            named,
            holds,
            old,
            new,
            left: self.remove_copy(is_kept),
        })
    }

    /// The same of a file that the run did not come to: the journal needs nothing of it.
    pub(super) fn untouched(&self, named: PathBuf) -> LeftFile {
        let target = self.look(self.one.folder.as_ref(), &self.one.name);
        LeftFile {
            number: self.one.number,
            named,
            holds: self.holds(&target),
            old: None,
            new: None,
            left: None,
        }
    }

    fn holds(&self, target: &io::Result<Option<Found<'_>>>) -> Holds {
        let (before, after) = self.hashes;
        match target {
            Err(_) => Holds::Unreadable,
            Ok(None) => Holds::Missing,
            Ok(Some(found)) if found.hash == before => Holds::Old,
            Ok(Some(found)) if Some(&*found.hash) == after => Holds::New,
            Ok(Some(_)) => Holds::Other,
        }
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
        // Its name must be there before the copy beside the file is removed.
        self.fs.sync_folder(&self.journal.folder(self.run))?;
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
