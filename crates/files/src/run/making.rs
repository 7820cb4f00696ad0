//! The steps of a run, in the order that makes it safe.

use crate::error::{FileError, FileErrorKind};
use crate::fs::{Fs, Removal, Stat};
use crate::hash::Hashing;
use crate::hash::hash_of;
use crate::journal::Journal;
use crate::journal::records::{Commit, Intent, PathText, Record, RunState, VERSION};
use crate::journal::run_record::RunRecord;
use crate::parallel::on_each;
use crate::recover::copies::clean;
use crate::recover::recover_known;
use crate::recover::standing::{Direction, Known};
use crate::run::change_log::{ChangeLog, Recording};
use crate::run::request::{RunDone, RunFailed, RunRequest};
use crate::run::staged_file::{StagedFile, check_folders, folders};
use crate::splice::{CHUNK, SpliceError, splice_text};
use crate::stoppable::Stoppable;
use std::collections::BTreeSet;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Files synced at a time: waiting for the disk takes no processor.
const SYNC_THREADS: usize = 8;

pub(super) struct Making<'m> {
    pub(super) fs: &'m dyn Fs,
    pub(super) journal: &'m Journal<'m>,
    pub(super) run: u64,
    pub(super) interrupted: &'m AtomicBool,
}

impl Making<'_> {
    pub(super) fn make(
        &self,
        request: &RunRequest<'_>,
        files: &mut [StagedFile<'_>],
    ) -> Result<(), FileError> {
        let intent = intent(request, files);
        self.journal.add(self.run, &Record::Intent(intent))?;
        self.journal.sync_folders(self.run)?;
        let path = self.journal.folder(self.run).join("changes");
        let failed = |error| FileError::io(&path, FileErrorKind::Journal, error);
        let mut log = ChangeLog::new(self.fs.create(&path).map_err(failed)?, CHUNK);
        self.create(files)?;
        for file in files.iter_mut() {
            self.stop_if_interrupted(&file.named)?;
            self.stage(file, &mut log)?;
        }
        let logged = log.end().and_then(|()| self.fs.sync(&path));
        logged.map_err(failed)?;
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
    pub(super) fn roll_back(
        &self,
        request: &RunRequest<'_>,
        files: &[StagedFile<'_>],
        error: FileError,
    ) -> Result<RunDone, RunFailed> {
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
                Err(RunFailed {
                    error,
                    run: self.run,
                    foreign: done.foreign,
                })
            }
            Err(stuck) => Err(RunFailed::from(FileError {
                path: stuck.path,
                kind: FileErrorKind::NotRolledBack,
                source: Some(io::Error::other(error.to_string())),
            })),
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
            left: BTreeSet::new(),
            torn_at: None,
        }
    }

    fn stop_if_interrupted(&self, path: &Path) -> Result<(), FileError> {
        match self.interrupted.load(Ordering::Relaxed) {
            true => Err(FileError::new(path, FileErrorKind::Interrupted)),
            false => Ok(()),
        }
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
    fn stage(&self, file: &mut StagedFile<'_>, log: &mut ChangeLog<'_>) -> Result<(), FileError> {
        self.splice(file, Some(log))?;
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
                // Its changes are recorded already.
                self.splice(file, None)?;
                self.keep_old(file)
            }
            copied => {
                file.attributes = Some(copied.map_err(file.failing(FileErrorKind::Write))?);
                Ok(())
            }
        }
    }

    fn splice(
        &self,
        file: &mut StagedFile<'_>,
        log: Option<&mut ChangeLog<'_>>,
    ) -> Result<(), FileError> {
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
        let spliced = match log {
            None => splice_text(&mut source, &file.file, &mut out),
            Some(log) => {
                let changes = (file.number, &file.file.changes);
                let mut recording = Recording::new(&mut out, log, changes).map_err(&writing)?;
                splice_text(&mut source, &file.file, &mut recording)
                    .and_then(|()| recording.end().map(drop).map_err(SpliceError::Write))
            }
        };
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
        file.check_alone(&file.place.path())?;
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
        // Whoever opened the old file at the last moment would go on with that.
        file.check_alone(&folder.path().join(&file.copy))?;
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
