//! The run protocol: all files of a run hold their new bytes in the end, or all hold their old
//! ones, whatever happens in between.
//!
//! Note to the maintainer. The order is what makes it safe; every step names what it relies on.
//!
//! 1. INTENT is on the disk before any copy exists, so that every copy can be found.
//! 2. Copies are staged beside their targets, each spliced and hashed in one go; what must be
//!    written where it stands is copied into the journal, old and new. All copies, the changes
//!    and the folders are synced.
//! 3. COMMIT is the decision. Before it everything goes back, after it everything goes forward,
//!    unless a file turns out to have been changed by somebody else: then BACK is recorded first
//!    and everything goes back.
//! 4. Names are exchanged, so that what is replaced stays at hand, and is looked at again: it
//!    must be the file that was hashed, not written to since.
//! 5. DONE is on the disk before what was replaced is removed.
//!
//! `recover.rs` finishes what was stopped; the tests stop it after every operation.

use crate::fs::{Fs, Stat, folder_of};
use crate::journal::{ChangeRecord, Commit, Intent, Journal, Lock, Record, Target, sealed};
use crate::parallel::on_each;
use crate::splice::{CHUNK, Hashing, splice_into};
use crate::{FileError, PathText, Plan, PlannedFile, Source, Trouble, journal};
use std::collections::BTreeSet;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};

/// Files synced at a time: waiting for the disk takes no processor.
const SYNC_THREADS: usize = 8;

/// What a run is made of.
pub struct RunRequest<'a> {
    /// What is written.
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
    /// How many files hold new bytes.
    pub files: u64,
    /// How many changes they got.
    pub changes: u64,
}

/// One file on its way.
struct Way<'a> {
    file: &'a PlannedFile,
    named: PathBuf,
    target: PathBuf,
    /// Where the new copy is.
    copy: PathBuf,
    in_place: bool,
    seen: Stat,
    /// The hash and the length of the copy.
    after: Option<(String, u64)>,
}

/// Makes a run: writes every changed file of the plan where it stands, or none.
///
/// # Errors
///
/// When a file no longer holds the bytes the plan was made from, something cannot be read or
/// written, the user stopped it, or an earlier run is unfinished. All files are as they were
/// then; where not even that could be done, the error says so ([`Trouble::Unfinished`]).
pub fn make_run(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    lock: &mut Lock,
    request: &RunRequest<'_>,
) -> Result<RunDone, FileError> {
    if let Some(last) = journal.numbers()?.pop() {
        let last = journal.load(last)?;
        if !last.state.is_finished() {
            return Err(FileError::new(
                &journal.folder(last.run),
                Trouble::Unfinished,
            ));
        }
        crate::recover::clean(fs, journal, &last)?;
    }
    // What can be refused is refused before there is anything to take back.
    let mut ways = Vec::new();
    for file in request.plan.changed() {
        if let Source::File(named) = &file.source {
            ways.push(Way::new(fs, named, file)?);
        }
    }
    let run = journal.begin(lock)?;
    for (number, way) in ways.iter_mut().enumerate() {
        way.copy = match way.in_place {
            true => journal.folder(run).join(format!("{number}.new")),
            false => folder_of(&way.target).join(format!(".bquill-{run}-{number}")),
        };
    }
    let making = Making {
        fs,
        journal,
        run,
        interrupted: request.interrupted,
    };
    match making.make(request, &mut ways) {
        Ok(()) => Ok(RunDone {
            run,
            files: ways.len() as u64,
            changes: ways.iter().map(|way| way.file.changes.len()).sum(),
        }),
        Err(error) => {
            // The way back is that of a recovery, from whatever point.
            let back = journal.load(run).and_then(|record| {
                crate::recover::recover(fs, journal, &record, Some(crate::Direction::Back))
            });
            match back {
                Ok(_) => Err(error),
                Err(stuck) => Err(FileError {
                    path: stuck.path,
                    trouble: Trouble::Unfinished,
                    source: Some(io::Error::other(error.to_string())),
                }),
            }
        }
    }
}

impl<'a> Way<'a> {
    fn new(fs: &dyn Fs, named: &Path, file: &'a PlannedFile) -> Result<Self, FileError> {
        let fail = |error| FileError::io(named, Trouble::Read, error);
        let target = fs.resolve(named).map_err(fail)?;
        let seen = fs.stat(&target).map_err(fail)?;
        let in_place = fs.must_stand(&target).map_err(fail)?;
        fs.check_writable(&target)
            .map_err(|error| FileError::io(named, Trouble::Write, error))?;
        Ok(Self {
            file,
            named: named.to_owned(),
            target,
            copy: PathBuf::new(),
            in_place,
            seen,
            after: None,
        })
    }

    fn old_copy(&self) -> PathBuf {
        self.copy.with_extension("old")
    }

    fn failing(&self, trouble: Trouble) -> impl Fn(io::Error) -> FileError + use<> {
        let named = self.named.clone();
        move |error| FileError::io(&named, trouble, error)
    }

    fn record(&self) -> Target {
        let facts = &self.file.facts;
        Target {
            path: PathText::from(&*self.target),
            named: PathText::from(&*self.named),
            staged: (!self.in_place).then(|| PathText::from(&*self.copy)),
            before: facts
                .hash
                .map(|hash| hash.to_hex().to_string())
                .unwrap_or_default(),
            bytes: facts.bytes,
            changes: self.file.changes.len(),
        }
    }

    fn check_unchanged(&self, fs: &dyn Fs) -> Result<(), FileError> {
        let now = fs.stat(&self.target).map_err(self.failing(Trouble::Read))?;
        match now == self.seen {
            true => Ok(()),
            false => Err(FileError::new(&self.named, Trouble::Changed)),
        }
    }
}

struct Making<'m> {
    fs: &'m dyn Fs,
    journal: &'m Journal<'m>,
    run: u64,
    interrupted: &'m AtomicBool,
}

impl Making<'_> {
    fn make(&self, request: &RunRequest<'_>, ways: &mut [Way<'_>]) -> Result<(), FileError> {
        let intent = Intent {
            version: journal::VERSION,
            at: request.at,
            folder: PathText::from(request.folder),
            rewrite: request.rewrite.clone(),
            undoes: request.undoes,
            targets: ways.iter().map(Way::record).collect(),
        };
        self.journal.add(self.run, &Record::Intent(intent))?;
        self.journal.sync_folders(self.run)?;
        self.write_changes(ways)?;
        for way in ways.iter_mut() {
            self.stop_if_interrupted(&way.named)?;
            self.stage(way)?;
        }
        self.sync(ways)?;
        self.sync_folders(ways)?;
        self.journal.sync_folders(self.run)?;
        for way in ways.iter() {
            way.check_unchanged(self.fs)?;
            self.stop_if_interrupted(&way.named)?;
        }
        let after = ways.iter().filter_map(|way| way.after.clone()).collect();
        self.journal
            .add(self.run, &Record::Commit(Commit { after }))?;
        for (number, way) in ways.iter().enumerate() {
            self.put_in_place(number, way)?;
        }
        self.sync_folders(ways)?;
        self.journal.add(self.run, &Record::Done)?;
        // From here on nothing can fail that matters: what is left over is removed next time.
        if let Ok(record) = self.journal.load(self.run) {
            let _ = crate::recover::clean(self.fs, self.journal, &record);
        }
        Ok(())
    }

    fn stop_if_interrupted(&self, path: &Path) -> Result<(), FileError> {
        match self.interrupted.load(Ordering::Relaxed) {
            true => Err(FileError::new(path, Trouble::Interrupted)),
            false => Ok(()),
        }
    }

    /// All changes of the run, one a line.
    fn write_changes(&self, ways: &[Way<'_>]) -> Result<(), FileError> {
        let path = self.journal.folder(self.run).join("changes");
        let fail = |error| FileError::io(&path, Trouble::Journal, error);
        let mut out = BufWriter::with_capacity(CHUNK, self.fs.create(&path).map_err(fail)?);
        for (number, way) in ways.iter().enumerate() {
            for change in way.file.changes.iter() {
                let record = ChangeRecord::new(number, &change.map_err(fail)?);
                let json = serde_json::to_string(&record).map_err(|error| fail(error.into()))?;
                out.write_all(sealed(&json).as_bytes()).map_err(fail)?;
            }
        }
        out.flush().map_err(fail)?;
        drop(out);
        self.fs.sync(&path).map_err(fail)
    }

    /// Splices the new copy, and keeps the old one where the file is written in place.
    fn stage(&self, way: &mut Way<'_>) -> Result<(), FileError> {
        let writing = way.failing(Trouble::Write);
        let source = self
            .fs
            .read(&way.target)
            .map_err(way.failing(Trouble::Read))?;
        let copy = self.fs.create(&way.copy).map_err(&writing)?;
        // Hashing goes fast only in large parts.
        let mut out = BufWriter::with_capacity(CHUNK, Hashing::new(copy));
        splice_into(source, way.file, &mut out).map_err(|e| e.into_file_error(&way.named))?;
        out.flush().map_err(&writing)?;
        let (hash, bytes) = out.get_ref().hash();
        if way.in_place {
            let mut source = self
                .fs
                .read(&way.target)
                .map_err(way.failing(Trouble::Read))?;
            let mut old = self.fs.create(&way.old_copy()).map_err(&writing)?;
            io::copy(&mut source, &mut old)
                .and_then(|_| old.flush())
                .map_err(&writing)?;
        } else {
            self.fs.dress(&way.copy, &way.target).map_err(&writing)?;
        }
        way.after = Some((hash.to_hex().to_string(), bytes));
        Ok(())
    }

    /// Brings every copy to the disk and reads it back, several at a time.
    fn sync(&self, ways: &[Way<'_>]) -> Result<(), FileError> {
        on_each(ways, self.fs.sync_threads(SYNC_THREADS), |way| {
            let syncing = way.failing(Trouble::Write);
            self.fs.sync(&way.copy).map_err(&syncing)?;
            if way.in_place {
                self.fs.sync(&way.old_copy()).map_err(&syncing)?;
            }
            let wanted = way.after.as_ref().map(|(hash, _)| hash.as_str());
            let found = hash_of(self.fs, &way.copy).map_err(way.failing(Trouble::ReadBack))?;
            match found.as_deref() == wanted {
                true => Ok(()),
                false => Err(FileError::new(&way.named, Trouble::ReadBack)),
            }
        })
    }

    fn sync_folders(&self, ways: &[Way<'_>]) -> Result<(), FileError> {
        let folders: BTreeSet<PathBuf> = (ways.iter())
            .filter(|way| !way.in_place)
            .map(|way| folder_of(&way.target))
            .collect();
        for folder in folders {
            let synced = self.fs.sync_folder(&folder);
            synced.map_err(|error| FileError::io(&folder, Trouble::Write, error))?;
        }
        Ok(())
    }

    fn put_in_place(&self, number: usize, way: &Way<'_>) -> Result<(), FileError> {
        way.check_unchanged(self.fs)?;
        if way.in_place {
            // From here on what the file holds may be torn, and is ours to restore.
            let record = Record::Overwrite { file: number };
            self.journal.add(self.run, &record)?;
            way.check_unchanged(self.fs)?;
            let written = self.fs.overwrite(&way.target, &way.copy);
            return written.map_err(way.failing(Trouble::Write));
        }
        self.fs
            .exchange(&way.copy, &way.target)
            .map_err(way.failing(Trouble::Write))?;
        // What came out must be what was hashed: somebody may have written at the last moment.
        let out = self
            .fs
            .stat(&way.copy)
            .map_err(way.failing(Trouble::Read))?;
        match out == way.seen {
            true => Ok(()),
            false => {
                self.fs
                    .exchange(&way.copy, &way.target)
                    .map_err(way.failing(Trouble::Write))?;
                Err(FileError::new(&way.named, Trouble::Changed))
            }
        }
    }
}

/// The hash of a file's bytes; `None` where it is not there.
pub(crate) fn hash_of(fs: &dyn Fs, path: &Path) -> io::Result<Option<String>> {
    let file = match fs.read(path) {
        Ok(file) => file,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        Err(error) => return Err(error),
    };
    let mut hasher = blake3::Hasher::new();
    hasher.update_reader(file)?;
    Ok(Some(hasher.finalize().to_hex().to_string()))
}
