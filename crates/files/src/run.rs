//! The run protocol: all files of a run hold their new bytes in the end, or all hold their old
//! ones, whatever happens in between.
//!
//! Note to the maintainer. The order is what makes it safe; every step names what it relies on.
//!
//! 1. INTENT is on the disk before any copy exists, with the name of each, which nobody can
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

use crate::copy_name::{copy_name, is_copy_name};
use crate::error::{FileError, FileErrorKind};
use crate::fs::{Folder, Fs, Place, Removal, Replacing, Stat};
use crate::hash::hash_of;
use crate::journal::records::{
    ChangeRecord, Commit, Intent, PathText, Record, RunState, Target, VERSION,
};
use crate::journal::run_record::RunRecord;
use crate::journal::{Journal, Lock, sealed};
use crate::parallel::on_each;
use crate::plan::{Plan, PlannedFile};
use crate::recover::{Direction, Known, clean, recover_known};
use crate::source::Source;
use crate::splice::{CHUNK, Hashing, splice_into};
use crate::stoppable::Stoppable;
use brisk_quill_core::escape::visible_path;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::ffi::OsString;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Files synced at a time: waiting for the disk takes no processor.
const SYNC_THREADS: usize = 8;

/// A run to be made.
pub struct RunRequest<'a> {
    /// The text that is written.
    pub plan: &'a Plan,
    /// The rewrite, for the journal.
    pub rewrite: serde_json::Value,
    /// The run that this one undoes.
    pub undoes: Option<u64>,
    /// When, in seconds since 1970.
    pub at: u64,
    /// In which folder.
    pub folder: &'a Path,
    /// Set when the user wants it stopped.
    pub interrupted: &'a AtomicBool,
}

/// A run that was completed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RunDone {
    /// Its number in the journal.
    pub run: u64,
    /// The number of files that hold new bytes.
    pub files: u64,
    /// The number of changes they got.
    pub changes: u64,
    /// True if the journal holds what is needed to revert it.
    pub can_undo: bool,
    /// Notes made on the way.
    pub notes: Vec<RunNote>,
}

/// Something noticed in the folders of a run, which does not stand in its way.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RunNote {
    /// A copy that another journal's run has made, or has left.
    AnotherRun(PathBuf),
    /// A copy of an earlier run, which could not be removed.
    LeftOver(PathBuf),
}

/// One file on its way.
struct StagedFile<'a> {
    file: &'a PlannedFile,
    number: usize,
    named: PathBuf,
    place: Place,
    /// The name of the copy beside it.
    copy: OsString,
    /// Which file the copy is, once it has been made.
    made: Option<crate::fs::FileId>,
    in_place: bool,
    seen: Stat,
    /// The hash of the attributes that the copy was given.
    attributes: Option<blake3::Hash>,
    /// True if it may have been overwritten where it stands.
    overwritten: bool,
    /// The hash and the length of the copy.
    after: Option<(String, u64)>,
}

/// Makes a run: writes every changed file of the plan where it stands, or none.
///
/// # Errors
///
/// When a file no longer holds the bytes the plan was made from, is reached under two names,
/// leads elsewhere, is not a regular file, cannot be read or written, or belongs to the journal;
/// when the user stopped it; or when an interrupted run touches the same folders. All files are as
/// they were then; where not even that could be done, the error says so
/// ([`FileErrorKind::Unfinished`]).
pub fn make_run(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    lock: &mut Lock,
    request: &RunRequest<'_>,
) -> Result<RunDone, FileError> {
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
            changes: files.iter().map(|file| file.file.changes.len()).sum(),
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

/// Looks for other runs in the folders of the files: an interrupted one of this journal stands in
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

impl<'a> StagedFile<'a> {
    fn new(
        fs: &dyn Fs,
        own_state: Option<&Path>,
        number: usize,
        named: &Path,
        file: &'a PlannedFile,
    ) -> Result<Self, FileError> {
        let fail = |error| FileError::io(named, FileErrorKind::Read, error);
        let place = fs.locate(named, &file.confinement).map_err(fail)?;
        if own_state.is_some_and(|state| place.folder.path().starts_with(state)) {
            return Err(FileError::new(named, FileErrorKind::OwnState));
        }
        let seen = place.stat().map_err(fail)?;
        let in_place = match place.folder.replacing(&place.name).map_err(fail)? {
            Replacing::Exchange => false,
            Replacing::InPlace => true,
            Replacing::Marked => return Err(FileError::new(named, FileErrorKind::Marked)),
            Replacing::Capability => return Err(FileError::new(named, FileErrorKind::Capability)),
        };
        place
            .folder
            .check_writable(&place.name)
            .map_err(|error| FileError::io(named, FileErrorKind::Write, error))?;
        let copy = copy_name(fs).map_err(fail)?;
        Ok(Self {
            file,
            number,
            named: named.to_owned(),
            place,
            copy,
            made: None,
            in_place,
            seen,
            attributes: None,
            overwritten: false,
            after: None,
        })
    }

    fn failing(&self, kind: FileErrorKind) -> impl Fn(io::Error) -> FileError + use<> {
        let named = self.named.clone();
        move |error| FileError::io(&named, kind, error)
    }

    fn record(&self) -> Target {
        let facts = &self.file.facts;
        Target {
            path: PathText::from(&*self.place.path()),
            named: PathText::from(&*self.named),
            folder: self.place.folder.id(),
            id: self.seen.id,
            written: self.seen.written,
            mode: self.seen.mode,
            owner: self.seen.owner,
            staged: (!self.in_place).then(|| self.copy.to_string_lossy().into_owned()),
            before: facts
                .hash
                .map(|hash| hash.to_hex().to_string())
                .unwrap_or_default(),
            bytes: facts.bytes,
            changes: self.file.changes.len(),
        }
    }

    /// True if the copy has taken the place of the file.
    fn is_new_there(&self) -> bool {
        let found = self.place.stat();
        found.is_ok_and(|found| Some(found.id) == self.made)
    }

    fn check_unchanged(&self) -> Result<(), FileError> {
        let now = self
            .place
            .stat()
            .map_err(self.failing(FileErrorKind::Read))?;
        self.compare(now)
    }

    /// Says what of the file is no longer as it was when it was first looked at.
    fn compare(&self, now: Stat) -> Result<(), FileError> {
        let bytes = |stat: Stat| (stat.id, stat.bytes, stat.written);
        match now == self.seen {
            true => Ok(()),
            false if bytes(now) != bytes(self.seen) => {
                Err(FileError::new(&self.named, FileErrorKind::Changed))
            }
            false => Err(FileError::new(
                &self.named,
                FileErrorKind::AttributesChanged,
            )),
        }
    }
}

fn intent(request: &RunRequest<'_>, files: &[StagedFile<'_>]) -> Intent {
    Intent {
        version: VERSION,
        at: request.at,
        folder: PathText::from(request.folder),
        rewrite: request.rewrite.clone(),
        undoes: request.undoes,
        targets: files.iter().map(StagedFile::record).collect(),
    }
}

struct Making<'m> {
    fs: &'m dyn Fs,
    journal: &'m Journal<'m>,
    run: u64,
    interrupted: &'m AtomicBool,
}

impl Making<'_> {
    fn make(
        &self,
        request: &RunRequest<'_>,
        files: &mut [StagedFile<'_>],
    ) -> Result<(), FileError> {
        let intent = intent(request, files);
        self.journal.add(self.run, &Record::Intent(intent))?;
        self.journal.sync_folders(self.run)?;
        self.write_changes(files)?;
        self.create(files)?;
        for file in files.iter_mut() {
            self.stop_if_interrupted(&file.named)?;
            self.stage(file)?;
        }
        self.sync(files)?;
        self.sync_folders(files)?;
        self.journal.sync_folders(self.run)?;
        for file in files.iter() {
            file.check_unchanged()?;
            self.stop_if_interrupted(&file.named)?;
        }
        check_folders(files)?;
        let after = files.iter().filter_map(|file| file.after.clone()).collect();
        self.journal
            .add(self.run, &Record::Commit(Commit { after }))?;
        for file in files.iter_mut() {
            self.put_in_place(file)?;
        }
        self.sync_folders(files)?;
        check_folders(files)?;
        self.journal.add(self.run, &Record::Done)?;
        // From here on nothing can fail that matters: what is left over is removed next time.
        let record = RunRecord {
            state: RunState::Done,
            ..self.remembered(request, files)
        };
        clean(self.fs, self.journal, &record);
        Ok(())
    }

    /// Rolls everything back, by the way of a recovery, from whatever point.
    fn roll_back(
        &self,
        request: &RunRequest<'_>,
        files: &[StagedFile<'_>],
        error: FileError,
    ) -> Result<RunDone, FileError> {
        let known: Known = (files.iter())
            .map(|file| (file.number, (Arc::clone(&file.place.folder), file.made)))
            .collect();
        let record = match self.journal.load(self.run) {
            // A record that was cut off is not lost: it had not been made.
            Ok(record) if record.intent.is_some() || files.iter().all(|f| f.made.is_none()) => {
                record
            }
            // Another program has removed the log, or damaged it.
            _ => self.remembered(request, files),
        };
        let back = recover_known(
            self.fs,
            self.journal,
            &record,
            Some(Direction::Back),
            &known,
        );
        match back {
            Ok(done) => {
                // A run that was refused before it was decided has not been one.
                if record.commit.is_none() && done.left.is_empty() {
                    self.journal.discard(self.run);
                }
                Err(error)
            }
            Err(stuck) => Err(FileError {
                path: stuck.path,
                kind: FileErrorKind::NotRolledBack,
                source: Some(io::Error::other(error.to_string())),
            }),
        }
    }

    /// The record of this run as its log should hold it.
    fn remembered(&self, request: &RunRequest<'_>, files: &[StagedFile<'_>]) -> RunRecord {
        let after = files.iter().map(|file| file.after.clone());
        let targets = files.iter().filter(|file| file.in_place);
        let overwritten = files.iter().filter(|file| file.overwritten);
        let commit = after.collect::<Option<_>>().map(|after| Commit { after });
        RunRecord {
            run: self.run,
            state: match commit {
                Some(_) => RunState::Committed,
                None => RunState::Begun,
            },
            intent: Some(intent(request, files)),
            commit,
            made: files.iter().map(|file| file.made).collect(),
            in_place: targets.map(|file| file.number).collect(),
            overwritten: overwritten.map(|file| file.number).collect(),
            torn_at: None,
        }
    }

    fn stop_if_interrupted(&self, path: &Path) -> Result<(), FileError> {
        match self.interrupted.load(Ordering::Relaxed) {
            true => Err(FileError::new(path, FileErrorKind::Interrupted)),
            false => Ok(()),
        }
    }

    /// All changes of the run, one a line.
    fn write_changes(&self, files: &[StagedFile<'_>]) -> Result<(), FileError> {
        let path = self.journal.folder(self.run).join("changes");
        let fail = |error| FileError::io(&path, FileErrorKind::Journal, error);
        let mut out = BufWriter::with_capacity(CHUNK, self.fs.create(&path).map_err(fail)?);
        for file in files {
            for change in file.file.changes.iter() {
                let record = ChangeRecord::new(file.number, &change.map_err(fail)?);
                let json = serde_json::to_string(&record).map_err(|error| fail(error.into()))?;
                out.write_all(sealed(&json).as_bytes()).map_err(fail)?;
            }
        }
        out.flush().map_err(fail)?;
        drop(out);
        self.fs.sync(&path).map_err(fail)
    }

    /// Makes the copies beside the targets, and records which files they are.
    fn create(&self, files: &mut [StagedFile<'_>]) -> Result<(), FileError> {
        for file in files.iter_mut().filter(|file| !file.in_place) {
            let made = file.place.folder.create(&file.copy);
            file.made = Some(made.map_err(file.failing(FileErrorKind::Write))?);
        }
        let ids: Vec<_> = files.iter().map(|file| file.made).collect();
        match ids.iter().any(Option::is_some) {
            true => self.journal.add(self.run, &Record::Made { ids }),
            false => Ok(()),
        }
    }

    /// The place of the new bytes of a file that is written in place.
    fn new_copy(&self, file: &StagedFile<'_>) -> PathBuf {
        self.journal.new_copy(self.run, file.number)
    }

    fn old_copy(&self, file: &StagedFile<'_>) -> PathBuf {
        self.journal.old_copy(self.run, file.number)
    }

    /// Splices the new copy, and keeps the old one where the file is written in place.
    fn stage(&self, file: &mut StagedFile<'_>) -> Result<(), FileError> {
        self.splice(file)?;
        if file.in_place {
            return self.keep_old(file);
        }
        let made = file.made.unwrap_or_default();
        let (folder, name) = (&file.place.folder, &file.place.name);
        match folder.copy_attributes(name, &file.copy, made) {
            Err(error) if error.kind() == io::ErrorKind::PermissionDenied => {
                let record = Record::InPlace { file: file.number };
                self.journal.add(self.run, &record)?;
                let ours = |found: &Stat| found.id == made;
                match folder.remove(&file.copy, &ours) {
                    Ok(Removal::Removed | Removal::Missing) => {}
                    Ok(Removal::NotOurs) => {
                        return Err(FileError::new(&file.named, FileErrorKind::LeadsElsewhere));
                    }
                    Err(error) => return Err(file.failing(FileErrorKind::Write)(error)),
                }
                file.in_place = true;
                self.splice(file)?;
                self.keep_old(file)
            }
            copied => {
                file.attributes = Some(copied.map_err(file.failing(FileErrorKind::Write))?);
                Ok(())
            }
        }
    }

    fn splice(&self, file: &mut StagedFile<'_>) -> Result<(), FileError> {
        let (reading, writing) = (
            file.failing(FileErrorKind::Read),
            file.failing(FileErrorKind::Write),
        );
        let folder = &file.place.folder;
        let source = folder.read(&file.place.name).map_err(&reading)?;
        file.compare(source.stat().map_err(&reading)?)?;
        let copy = match (file.in_place, file.made) {
            (false, Some(made)) => folder.write(&file.copy, made),
            _ => self.fs.create(&self.new_copy(file)),
        };
        // Hashing goes fast only in large parts.
        let mut out = BufWriter::with_capacity(CHUNK, Hashing::new(copy.map_err(&writing)?));
        let mut source = Stoppable {
            inner: source,
            stopped: self.interrupted,
        };
        let spliced = splice_into(&mut source, file.file, &mut out);
        self.stop_if_interrupted(&file.named)?;
        spliced.map_err(|error| error.into_file_error(&file.named))?;
        file.compare(source.inner.stat().map_err(&reading)?)?;
        out.flush().map_err(&writing)?;
        let (hash, bytes) = out.get_ref().hash();
        drop(out);
        file.after = Some((hash.to_hex().to_string(), bytes));
        Ok(())
    }

    fn keep_old(&self, file: &StagedFile<'_>) -> Result<(), FileError> {
        let source = file.place.folder.read(&file.place.name);
        let mut source = Stoppable {
            inner: source.map_err(file.failing(FileErrorKind::Read))?,
            stopped: self.interrupted,
        };
        let old = self.fs.create(&self.old_copy(file));
        let mut old = old.map_err(file.failing(FileErrorKind::Write))?;
        let kept = io::copy(&mut source, &mut old).and_then(|_| old.flush());
        self.stop_if_interrupted(&file.named)?;
        kept.map_err(file.failing(FileErrorKind::Write))
    }

    /// Brings every copy to the disk and reads it back, several at a time.
    fn sync(&self, files: &[StagedFile<'_>]) -> Result<(), FileError> {
        on_each(files, self.fs.sync_threads(SYNC_THREADS), |file| {
            let syncing = file.failing(FileErrorKind::Write);
            let folder = &file.place.folder;
            let found = if file.in_place {
                let (old, new) = (self.old_copy(file), self.new_copy(file));
                let synced = self.fs.sync(&new).and_then(|()| self.fs.sync(&old));
                synced.map_err(&syncing)?;
                self.fs.read(&new).and_then(hash_of)
            } else {
                folder.sync_file(&file.copy).map_err(&syncing)?;
                folder.read(&file.copy).and_then(hash_of)
            };
            let found = found.map_err(file.failing(FileErrorKind::ReadBack))?;
            match file.after.as_ref().is_some_and(|(hash, _)| *hash == found) {
                true => Ok(()),
                false => Err(FileError::new(&file.named, FileErrorKind::ReadBack)),
            }
        })
    }

    fn sync_folders(&self, files: &[StagedFile<'_>]) -> Result<(), FileError> {
        for folder in folders(files.iter().filter(|file| !file.in_place)) {
            let synced = folder.sync();
            synced.map_err(|error| FileError::io(folder.path(), FileErrorKind::Write, error))?;
        }
        Ok(())
    }

    fn put_in_place(&self, file: &mut StagedFile<'_>) -> Result<(), FileError> {
        file.check_unchanged()?;
        let (folder, name) = (&file.place.folder, &file.place.name);
        if file.in_place {
            file.overwritten = true;
            // From here on what the file holds may be torn, and is ours to restore.
            let record = Record::Overwrite { file: file.number };
            self.journal.add(self.run, &record)?;
            file.check_unchanged()?;
            let writing = file.failing(FileErrorKind::Write);
            let mut new = self.fs.read(&self.new_copy(file)).map_err(&writing)?;
            return folder
                .overwrite(name, file.seen.id, &mut new)
                .map_err(writing);
        }
        let copy = folder
            .stat(&file.copy)
            .map_err(file.failing(FileErrorKind::Write))?;
        if Some(copy.id) != file.made {
            let path = folder.path().join(&file.copy);
            return Err(FileError::new(&path, FileErrorKind::Changed));
        }
        folder
            .exchange(&file.copy, name)
            .map_err(file.failing(FileErrorKind::Write))?;
        self.check_exchanged(file).or_else(|error| {
            // What another program has put there since is not ours to move.
            if file.is_new_there() {
                let back = folder.exchange(&file.copy, name);
                back.map_err(file.failing(FileErrorKind::Write))?;
            }
            Err(error)
        })
    }

    /// The new file must have the hash that was computed, with the attributes that it was given:
    /// another program may have been at work at the last moment. Whoever changes the new file is late,
    /// and does no harm.
    fn check_exchanged(&self, file: &StagedFile<'_>) -> Result<(), FileError> {
        let changed = |_| FileError::new(&file.named, FileErrorKind::Changed);
        let folder = &file.place.folder;
        let out = folder.stat(&file.copy).map_err(changed)?;
        let before = (file.seen.before_renaming(), file.attributes);
        let attributes = folder.attributes(&file.copy).map_err(changed)?;
        match (out.before_renaming(), Some(attributes)) == before {
            true => Ok(()),
            false => file.compare(Stat {
                changed: (0, 0),
                ..out
            }),
        }
    }
}

/// The folders of some files, each once, in order of path.
fn folders<'f>(
    files: impl Iterator<Item = &'f StagedFile<'f>>,
) -> impl Iterator<Item = &'f Arc<dyn Folder>> {
    let folders: BTreeMap<&Path, &Arc<dyn Folder>> = files
        .map(|file| (file.place.folder.path(), &file.place.folder))
        .collect();
    folders.into_values()
}

/// Every folder must still be where its path says, or the run would write to another place than
/// it says, and could not be undone.
fn check_folders(files: &[StagedFile<'_>]) -> Result<(), FileError> {
    match folders(files.iter()).find(|folder| !folder.is_at_its_path()) {
        Some(folder) => Err(FileError::new(folder.path(), FileErrorKind::LeadsElsewhere)),
        None => Ok(()),
    }
}
