//! The journal: one folder a run, with what it was and what it needs to go back.
//!
//! ```text
//! STATE/lock              held while a run is made; holds the number of the last run
//! STATE/runs/7.open       an empty file, there until run 7 needs no more care
//! STATE/runs/7/log        records, a line each, append-only, each with its own checksum
//! STATE/runs/7/changes    every change, a line each, in order of file and place
//! STATE/runs/7/3.old      the bytes of the third file before, where it is written in place
//! STATE/runs/7/3.new      and after
//! ```
//!
//! Note to the maintainer: a record is only ever added; a new kind of record needs a new
//! [`VERSION`](records::VERSION) if an older program would go wrong without knowing it.

pub mod records;
pub mod reverts;
pub mod run_record;

use crate::error::{FileError, FileErrorKind};
use crate::fs::Fs;
use crate::journal::records::{ChangeRecord, Record, RunState};
use crate::journal::run_record::RunRecord;
use std::collections::BTreeSet;
use std::fs::{File, TryLockError};
use std::io::{self, BufRead, BufReader, Read, Write};
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt};
use std::path::{Path, PathBuf};

/// The longest log that is read, in bytes.
const LOG_MOST: u64 = 1 << 30;

/// The journal of one user.
pub struct Journal<'f> {
    fs: &'f dyn Fs,
    state: PathBuf,
}

/// Held while a run is made, so that no other begins.
pub struct Lock {
    file: Option<File>,
}

impl<'f> Journal<'f> {
    /// The journal in the folder `state`, which is made when it is first written.
    pub fn new(fs: &'f dyn Fs, state: PathBuf) -> Self {
        Self { fs, state }
    }

    /// The folder it lies in.
    pub fn state(&self) -> &Path {
        &self.state
    }

    fn fail(&self, error: io::Error) -> FileError {
        FileError::io(&self.state, FileErrorKind::Journal, error)
    }

    fn runs(&self) -> PathBuf {
        self.state.join("runs")
    }

    /// The folder of a run.
    pub fn folder(&self, run: u64) -> PathBuf {
        self.runs().join(run.to_string())
    }

    /// The place of the old bytes of a target that is written in place.
    pub(crate) fn old_copy(&self, run: u64, number: usize) -> PathBuf {
        self.folder(run).join(format!("{number}.old"))
    }

    /// The place of its new bytes.
    pub(crate) fn new_copy(&self, run: u64, number: usize) -> PathBuf {
        self.folder(run).join(format!("{number}.new"))
    }

    /// Makes the journal's folders and takes its lock.
    ///
    /// # Errors
    ///
    /// When it cannot be written, or another run is being made.
    pub fn lock(&self) -> Result<Lock, FileError> {
        let mut make = std::fs::DirBuilder::new();
        make.recursive(true).mode(0o700);
        make.create(self.runs()).map_err(|error| self.fail(error))?;
        let path = self.state.join("lock");
        let mut options = File::options();
        options
            .read(true)
            .write(true)
            .create(true)
            .truncate(false)
            .mode(0o600);
        let file = options.open(&path).map_err(|error| self.fail(error))?;
        match file.try_lock() {
            Ok(()) => Ok(Lock { file: Some(file) }),
            Err(TryLockError::WouldBlock) => Err(FileError::new(&path, FileErrorKind::Busy)),
            Err(TryLockError::Error(error)) => Err(self.fail(error)),
        }
    }

    /// A lock that locks nothing, for a file system of its own.
    pub fn no_lock() -> Lock {
        Lock { file: None }
    }

    /// True if a run is being made at this moment.
    pub fn is_busy(&self) -> bool {
        let path = self.state.join("lock");
        let Ok(file) = File::open(path) else {
            return false;
        };
        matches!(file.try_lock_shared(), Err(TryLockError::WouldBlock))
    }

    /// The numbers of all runs, in order.
    ///
    /// # Errors
    ///
    /// When the journal is there and cannot be read.
    pub fn numbers(&self) -> Result<Vec<u64>, FileError> {
        let names = self.names()?;
        let mut numbers: Vec<u64> = names.iter().filter_map(|name| name.parse().ok()).collect();
        numbers.sort_unstable();
        Ok(numbers)
    }

    fn names(&self) -> Result<Vec<String>, FileError> {
        match self.fs.list(&self.runs()) {
            Ok(names) => Ok(names),
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(Vec::new()),
            Err(error) => Err(self.fail(error)),
        }
    }

    /// The marker that a run needs care, beside its folder.
    fn marker(&self, run: u64) -> PathBuf {
        self.runs().join(format!("{run}.open"))
    }

    /// The numbers of the runs that may need care, in order: that were interrupted, or have left
    /// something over.
    ///
    /// # Errors
    ///
    /// When the journal is there and cannot be read.
    pub fn marked(&self) -> Result<Vec<u64>, FileError> {
        let number = |name: &String| name.strip_suffix(".open")?.parse().ok();
        let mut marked: Vec<u64> = self.names()?.iter().filter_map(number).collect();
        marked.sort_unstable();
        Ok(marked)
    }

    /// The runs that were interrupted, and neither completed nor rolled back, in order; with
    /// them those whose log is damaged.
    ///
    /// # Errors
    ///
    /// When the journal is there and cannot be read.
    pub fn interrupted(&self) -> Result<Vec<Result<RunRecord, FileError>>, FileError> {
        let runs = self.marked()?.into_iter().map(|run| self.load(run));
        // Before its intent is on the disk, a run has touched nothing and is none.
        let wants_care = |run: &RunRecord| run.intent.is_some() && !run.state.is_finished();
        Ok(runs
            .filter(|run| run.as_ref().map_or(true, wants_care))
            .collect())
    }

    /// Makes the folder of a new run, and gives its number.
    pub(crate) fn begin(&self, lock: &mut Lock) -> Result<u64, FileError> {
        let fail = |error| self.fail(error);
        let last = self.numbers()?.pop().unwrap_or(0).max(lock.last());
        let run = last + 1;
        lock.remember(run).map_err(fail)?;
        let log = self.folder(run).join("log");
        let made = (self.fs.make_folder(&self.folder(run)))
            .and_then(|()| self.fs.create(&self.marker(run))?.flush())
            .and_then(|()| self.fs.create(&log)?.flush());
        made.map_err(|error| {
            self.discard(run);
            fail(error)
        })?;
        Ok(run)
    }

    /// Removes a run that has touched nothing, as far as that can be done; what stays is not a run.
    pub(crate) fn discard(&self, run: u64) {
        let folder = self.folder(run);
        for name in self.fs.list(&folder).unwrap_or_default() {
            let _ = self.fs.remove(&folder.join(name));
        }
        let _ = self.fs.remove_folder(&folder);
        self.close(run);
    }

    /// A run needs no more care. Where the marker cannot be removed, its log says so.
    pub fn close(&self, run: u64) {
        let _ = self.fs.remove(&self.marker(run));
    }

    /// Adds a record to a run's log and brings it to the disk.
    pub(crate) fn add(&self, run: u64, record: &Record) -> Result<(), FileError> {
        let log = self.folder(run).join("log");
        let fail = |error| self.fail(error);
        let json = serde_json::to_string(record).map_err(|error| fail(error.into()))?;
        let line = sealed(&json);
        let mut file = self.fs.append(&log).map_err(fail)?;
        let written = file.write_all(line.as_bytes());
        written.and_then(|()| file.flush()).map_err(fail)?;
        drop(file);
        self.fs.sync(&log).map_err(fail)
    }

    /// Cuts off the record that was never finished, so that others can be added.
    pub(crate) fn repair(&self, run: &RunRecord) -> Result<(), FileError> {
        let Some(length) = run.torn_at else {
            return Ok(());
        };
        let log = self.folder(run.run).join("log");
        self.fs
            .truncate(&log, length)
            .map_err(|error| self.fail(error))
    }

    /// Brings the names in a run's folder, and the folder itself, to the disk.
    pub(crate) fn sync_folders(&self, run: u64) -> Result<(), FileError> {
        for folder in [self.folder(run), self.runs()] {
            self.fs
                .sync_folder(&folder)
                .map_err(|error| self.fail(error))?;
        }
        Ok(())
    }

    fn log_bytes(&self, run: u64) -> Result<Vec<u8>, FileError> {
        let mut bytes = Vec::new();
        match self.fs.read(&self.folder(run).join("log")) {
            Ok(file) => {
                let read = file.take(LOG_MOST).read_to_end(&mut bytes);
                read.map_err(|error| self.fail(error))?;
            }
            // The run stopped before it had a log.
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            Err(error) => return Err(self.fail(error)),
        }
        Ok(bytes)
    }

    /// Reads a run's log. A record cut off at the end was never finished and does not count.
    ///
    /// # Errors
    ///
    /// When it cannot be read, is damaged, or was written by a newer program.
    pub fn load(&self, run: u64) -> Result<RunRecord, FileError> {
        let log = self.folder(run).join("log");
        let damaged = |line: usize| {
            let reason = format!("line {line} does not fit its checksum");
            FileError::io(&log, FileErrorKind::Damaged, io::Error::other(reason))
        };
        let bytes = self.log_bytes(run)?;
        let mut found = RunRecord {
            run,
            intent: None,
            commit: None,
            made: Vec::new(),
            in_place: BTreeSet::new(),
            overwritten: BTreeSet::new(),
            left: BTreeSet::new(),
            torn_at: None,
            state: RunState::Begun,
        };
        let whole = bytes
            .iter()
            .rposition(|b| *b == b'\n')
            .map_or(0, |at| at + 1);
        found.torn_at = (whole < bytes.len()).then_some(whole as u64);
        for (number, line) in (1..).zip(bytes[..whole].split_inclusive(|b| *b == b'\n')) {
            let line = line.strip_suffix(b"\n").unwrap_or(line);
            let record = unsealed(line).ok_or_else(|| damaged(number))?;
            found.take(record).map_err(|reason| {
                FileError::io(&log, FileErrorKind::Damaged, io::Error::other(reason))
            })?;
        }
        Ok(found)
    }

    /// True if a run is complete and its changes are there.
    pub(crate) fn can_undo(&self, run: u64) -> bool {
        let is_done = |run: RunRecord| matches!(run.state, RunState::Done | RunState::Clean);
        let changes = self.fs.read(&self.folder(run).join("changes"));
        self.load(run).is_ok_and(is_done) && changes.is_ok()
    }

    /// The changes of a run one by one, those of each file together, in order of file.
    ///
    /// # Errors
    ///
    /// When they cannot be read; an item is an error where they are damaged.
    pub fn changes(
        &self,
        run: u64,
    ) -> Result<impl Iterator<Item = Result<ChangeRecord, FileError>> + use<'f>, FileError> {
        let path = self.folder(run).join("changes");
        let file = self.fs.read(&path).map_err(|error| self.fail(error))?;
        let mut file = BufReader::new(file);
        let mut number = 0;
        let mut line = Vec::new();
        Ok(std::iter::from_fn(move || {
            number += 1;
            line.clear();
            match file.read_until(b'\n', &mut line) {
                Ok(0) => None,
                Ok(_) => {
                    let change = line.strip_suffix(b"\n").and_then(unsealed);
                    Some(change.ok_or_else(|| {
                        let reason = format!("line {number} does not fit its checksum");
                        FileError::io(&path, FileErrorKind::Damaged, io::Error::other(reason))
                    }))
                }
                Err(error) => Some(Err(FileError::io(&path, FileErrorKind::Journal, error))),
            }
        }))
    }

    /// Forgets a finished run: it can no longer be undone.
    ///
    /// # Errors
    ///
    /// When its folder cannot be removed.
    pub fn forget(&self, run: u64) -> Result<(), FileError> {
        std::fs::remove_dir_all(self.folder(run)).map_err(|error| self.fail(error))?;
        self.close(run);
        Ok(())
    }

    /// The size of a run's record in bytes.
    pub fn size_of(&self, run: u64) -> u64 {
        let folder = self.folder(run);
        let names = self.fs.list(&folder).unwrap_or_default();
        let length = |name: &String| folder.join(name).metadata().map_or(0, |found| found.len());
        names.iter().map(length).sum()
    }

    /// The size of the journal in bytes.
    pub fn size(&self) -> u64 {
        let numbers = self.numbers().unwrap_or_default();
        numbers.into_iter().map(|run| self.size_of(run)).sum()
    }
}

impl Lock {
    fn last(&mut self) -> u64 {
        let mut text = String::new();
        let read = self
            .file
            .as_mut()
            .map(|file| file.read_to_string(&mut text));
        match read {
            Some(Ok(_)) => text.trim().parse().unwrap_or(0),
            _ => 0,
        }
    }

    /// So that the number of a forgotten run is not given again.
    fn remember(&mut self, run: u64) -> io::Result<()> {
        if let Some(file) = &mut self.file {
            let number = format!("{run}\n");
            io::Seek::rewind(file)?;
            file.write_all(number.as_bytes())?;
            file.set_len(number.len() as u64)?;
        }
        Ok(())
    }
}

/// A line of the journal: its content behind its checksum.
pub(crate) fn sealed(json: &str) -> String {
    format!("{} {json}\n", checksum(json.as_bytes()))
}

fn unsealed<T: serde::de::DeserializeOwned>(line: &[u8]) -> Option<T> {
    let (sum, json) = line.split_at_checked(16)?;
    let json = json.strip_prefix(b" ")?;
    if checksum(json).as_bytes() != sum {
        return None;
    }
    serde_json::from_slice(json).ok()
}

fn checksum(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex()[..16].to_owned()
}
