//! The state in which one file of a run is found.

use crate::error::{FileError, FileErrorKind};
use crate::fs::{FileId, Folder, Fs, Stat, folder_of};
use crate::hash::hash_of;
use crate::journal::Journal;
use crate::journal::records::Target;
use crate::journal::run_record::RunRecord;
use std::collections::{BTreeMap, HashMap};
use std::ffi::{OsStr, OsString};
use std::io;
use std::path::PathBuf;
use std::sync::Arc;

/// Folders that are open, by the number of a target, and the copies that are known to be ours.
pub(crate) type Known = HashMap<usize, (Arc<dyn Folder>, Option<FileId>)>;

/// The state of a file of an interrupted run.
pub(crate) struct Standing {
    pub(super) number: usize,
    pub(super) target: PathBuf,
    pub(super) name: OsString,
    /// `None` where it is gone, or another one has taken its place.
    pub(super) folder: Option<Arc<dyn Folder>>,
    /// The name of the copy beside it, where one was meant.
    pub(super) copy: Option<OsString>,
    pub(super) in_place: bool,
    pub(super) original: FileId,
    /// When it had last been written.
    pub(super) written: (i64, i64),
    /// The permission bits, and its owner and group, when the run began.
    pub(super) attributes: (u32, (u32, u32)),
    pub(super) made: Option<FileId>,
    pub(super) at: At,
    pub(super) can_go_forward: bool,
    pub(super) can_go_back: bool,
    /// The state of the target when it was looked at.
    pub(super) seen: Option<Stat>,
    /// The state of its copy, likewise.
    copy_seen: Option<Stat>,
    /// The state of the new file, under either name, where it held what the run wrote.
    new_seen: Option<Stat>,
    /// True if the run was decided, so that the bytes of the new file are known.
    after_is_known: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum At {
    Old,
    New,
    /// Overwritten where it stands, and torn.
    Torn,
    /// Changed, moved or removed by another program before the run came to it.
    TheirsBefore,
    /// Changed, moved or removed by another program after the run had written it.
    TheirsAfter,
    /// The file cannot be looked at: its folder is missing, or may not be read.
    Unreachable,
}

/// The outcome of turning one file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Turned {
    /// The file holds what it must.
    Done,
    /// Another program came first; the file is as that left it.
    Theirs,
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

    /// Gives the file its new or its old bytes.
    pub(super) fn turn(
        &self,
        fs: &dyn Fs,
        journal: &Journal<'_>,
        run: u64,
        way: Direction,
    ) -> io::Result<Turned> {
        let folder = self.folder.as_ref().ok_or(io::ErrorKind::NotFound)?;
        let turned = match self.copy.as_ref().filter(|_| !self.in_place) {
            Some(copy) => self.exchange(&**folder, copy, way),
            None => {
                // Another program may have come to it since it was looked at.
                let now = folder.stat(&self.name)?;
                if self.seen.is_none_or(|seen| !is_same(seen, now)) {
                    return Ok(Turned::Theirs);
                }
                let with = match way {
                    Direction::Forward => journal.new_copy(run, self.number),
                    Direction::Back => journal.old_copy(run, self.number),
                };
                let mut with = fs.read(&with)?;
                folder
                    .overwrite(&self.name, self.original, &mut with)
                    .map(|()| Turned::Done)
            }
        };
        match turned {
            // The target has gone, or something else has come to lie there.
            Err(error) if is_foreign(&error) => Ok(Turned::Theirs),
            turned => turned,
        }
    }

    /// Exchanges the file for its copy. What comes out must be what was looked at, or it is
    /// put back.
    fn exchange(&self, folder: &dyn Folder, copy: &OsStr, way: Direction) -> io::Result<Turned> {
        // Another program may have changed the file's mode since.
        if let (Direction::Forward, Some(made)) = (way, self.made) {
            folder.copy_attributes(&self.name, copy, made)?;
        }
        folder.exchange(copy, &self.name)?;
        let out = folder.stat(copy)?;
        if self.seen.is_none_or(|seen| is_same(seen, out)) {
            let is_old = self.copy_seen.is_some_and(|seen| self.is_original(&seen));
            if way == Direction::Back && is_old && (out.mode, out.owner) != self.attributes {
                // The bytes come first: a mode that cannot be kept does not hold them up.
                let _ = folder.copy_attributes(copy, &self.name, self.original);
            }
            return Ok(Turned::Done);
        }
        let put = folder.stat(&self.name)?;
        if self.copy_seen.is_some_and(|seen| is_same(seen, put)) {
            folder.exchange(copy, &self.name)?;
        }
        Ok(Turned::Theirs)
    }

    /// The names only.
    pub(super) fn named(
        fs: &dyn Fs,
        run: &RunRecord,
        number: usize,
        target: &Target,
        known: &Known,
    ) -> Self {
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
            at: At::Unreachable,
            can_go_forward: false,
            can_go_back: false,
            seen: None,
            copy_seen: None,
            new_seen: None,
            after_is_known: run.commit.is_some(),
        }
    }

    pub(super) fn is_original(&self, found: &Stat) -> bool {
        found.id.inode == self.original.inode
    }

    pub(super) fn is_made(&self, found: &Stat) -> bool {
        match self.made {
            Some(made) => found.id.inode == made.inode,
            // It was made, and had not been recorded: then nothing had been written to it.
            None => found.bytes == 0 && found.names == 1,
        }
    }

    /// True if this is the new file, and holds nothing that another program has written.
    pub(super) fn is_new(&self, found: &Stat) -> bool {
        match self.after_is_known {
            true => self.new_seen.is_some_and(|seen| is_same(seen, *found)),
            // It may be half written, and nobody else can know its name.
            false => self.is_made(found),
        }
    }

    /// True if the way back leaves the file as it is although the run may have written it.
    pub(super) fn is_left(&self) -> bool {
        match self.at {
            At::TheirsAfter => true,
            At::New | At::Torn => !self.can_go_back,
            At::Old | At::TheirsBefore | At::Unreachable => false,
        }
    }

    /// The state of a file for which another is exchanged.
    pub(super) fn judge_exchanged(
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
            (At::TheirsBefore, false, false)
        } else {
            // Written to after it was ours: it is left as it is on the way forward.
            (At::TheirsAfter, copy_is_old, false)
        };
        let stat = |found: &Option<(Stat, String)>| found.as_ref().map(|(stat, _)| *stat);
        let new = [now, copy]
            .into_iter()
            .find(|found| has(found, true, after));
        self.new_seen = new.and_then(stat);
        (self.at, self.can_go_forward, self.can_go_back) = judged;
        (self.seen, self.copy_seen) = (stat(now), stat(copy));
    }

    /// The state of a file that is written in place; `is_torn` reports one with other bytes than
    /// the old and the new ones whether a write that was cut off can have left it so.
    pub(super) fn judge_in_place(
        &mut self,
        now: Option<(Stat, String)>,
        (has_old, has_new): (bool, bool),
        (is_touched, is_torn): (bool, &dyn Fn() -> bool),
        (before, after): (&str, &str),
    ) {
        self.seen = now.as_ref().map(|(stat, _)| *stat);
        let now = now.filter(|(stat, _)| self.is_original(stat));
        let judged = match now.as_ref().map(|(_, hash)| &**hash) {
            Some(hash) if hash == before => (At::Old, has_new, true),
            Some(hash) if hash == after => (At::New, true, has_old),
            Some(_) if is_touched && is_torn() => (At::Torn, has_new, has_old),
            // Replaced or edited by another program.
            _ if is_touched => (At::TheirsAfter, false, false),
            _ => (At::TheirsBefore, false, false),
        };
        (self.at, self.can_go_forward, self.can_go_back) = judged;
    }
}

/// The same file with the same bytes, under whatever name.
fn is_same(one: Stat, other: Stat) -> bool {
    let bytes = |stat: Stat| (stat.id.inode, stat.bytes, stat.written);
    bytes(one) == bytes(other)
}

/// True if the error says that something else lies where a file was, or nothing.
fn is_foreign(error: &io::Error) -> bool {
    matches!(
        error.kind(),
        io::ErrorKind::NotFound | io::ErrorKind::InvalidInput
    )
}

/// Brings the names of targets and copies to the disk.
pub(super) fn sync_folders<'s>(all: impl Iterator<Item = &'s Standing>) -> Result<(), FileError> {
    let with_copies = all.filter(|one| one.copy.is_some());
    let folders: BTreeMap<PathBuf, &Arc<dyn Folder>> = with_copies
        .filter_map(|one| Some((folder_of(&one.target), one.folder.as_ref()?)))
        .collect();
    for (path, folder) in folders {
        let synced = folder.sync();
        synced.map_err(|error| FileError::io(&path, FileErrorKind::Write, error))?;
    }
    Ok(())
}

/// Which way an interrupted run is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Direction {
    /// Every file gets its new bytes.
    Forward,
    /// Every file gets its old bytes.
    Back,
}
