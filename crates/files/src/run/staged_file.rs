//! One file of a run on its way to its new bytes.

use crate::blocks::{BlockError, changes_between};
use crate::changes::Spooler;
use crate::copy_name::copy_name;
use crate::error::{FileError, FileErrorKind};
use crate::fs::{Folder, Fs, Place, Replacing, Stat};
use crate::journal::records::{PathText, Target};
use crate::plan::PlannedFile;
use crate::read::facts::Facts;
use crate::source::FilePath;
use crate::splice::{CHUNK, splice_into};
use crate::stoppable::Stoppable;
use crate::store::in_use::check_alone;
use crate::store::store_of::StoreOf;
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io::{self, BufWriter, Seek, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// One file on its way.
pub(super) struct StagedFile<'a> {
    /// As its bytes on disk change.
    pub(super) file: Cow<'a, PlannedFile>,
    /// The name of its store, where its text is not the file.
    pub(super) store: Option<&'static str>,
    pub(super) number: usize,
    pub(super) named: PathBuf,
    pub(super) place: Place,
    /// The name of the copy beside it.
    pub(super) copy: OsString,
    /// Which file the copy is, once it has been made.
    pub(super) made: Option<crate::fs::FileId>,
    pub(super) in_place: bool,
    pub(super) seen: Stat,
    /// The hash of the attributes that the copy was given.
    pub(super) attributes: Option<blake3::Hash>,
    /// True if it may have been overwritten where it stands.
    pub(super) overwritten: bool,
    /// The hash and the length of the copy.
    pub(super) after: Option<(String, u64)>,
}

impl<'a> StagedFile<'a> {
    pub(super) fn new(
        fs: &dyn Fs,
        own_state: Option<&Path>,
        number: usize,
        source: &FilePath,
        file: &'a PlannedFile,
    ) -> Result<Self, FileError> {
        let named = source.path();
        let fail = |error| FileError::io(named, FileErrorKind::Read, error);
        let place = fs
            .locate(&source.place(), &file.confinement)
            .map_err(fail)?;
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
            file: Cow::Borrowed(file),
            store: file.facts.store.name(),
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

    /// Turns the changes of a text that is not the file into those of the file, which is then written and
    /// reverted as any other, to the byte.
    pub(super) fn lower(&mut self, stopped: &AtomicBool) -> Result<(), FileError> {
        if self.file.facts.store.is_plain() {
            return Ok(());
        }
        self.check_alone(&self.place.path())?;
        let (reading, writing) = (
            self.failing(FileErrorKind::Read),
            self.failing(FileErrorKind::Spool),
        );
        let open = || {
            let source = self.place.folder.read(&self.place.name);
            source.map(|inner| Stoppable { inner, stopped })
        };
        let new = tempfile::tempfile().map_err(&writing)?;
        let mut out = BufWriter::with_capacity(CHUNK, &new);
        let packed = splice_into(open().map_err(&reading)?, &self.file, &mut out);
        if stopped.load(Ordering::Relaxed) {
            return Err(FileError::new(&self.named, FileErrorKind::Interrupted));
        }
        packed.map_err(|error| error.into_file_error(&self.named))?;
        out.flush().map_err(&writing)?;
        drop(out);
        (&new).rewind().map_err(&writing)?;
        let compared = changes_between(open().map_err(&reading)?, &new, &mut Spooler::default());
        let (changes, hash, bytes) = compared.map_err(|error| match error {
            BlockError::Read(error) => reading(error),
            BlockError::Keep(error) => writing(error),
        })?;
        let count = self.file.count();
        let file = self.file.to_mut();
        if file.facts.hash != Some(hash) {
            return Err(FileError::new(&self.named, FileErrorKind::Changed));
        }
        file.facts = Facts::of_bytes(hash, bytes);
        (file.changes, file.stands_for) = (changes, Some(count));
        Ok(())
    }

    /// Fails where another program uses the file, now at `path`, and could go on with what has been replaced.
    pub(super) fn check_alone(&self, path: &Path) -> Result<(), FileError> {
        let store = StoreOf::named(self.store).unwrap_or(StoreOf::PLAIN);
        match store.packed() {
            Some(store) => check_alone(store, path).map_err(self.failing(FileErrorKind::Write)),
            None => Ok(()),
        }
    }

    pub(super) fn failing(&self, kind: FileErrorKind) -> impl Fn(io::Error) -> FileError + use<> {
        let named = self.named.clone();
        move |error| FileError::io(&named, kind, error)
    }

    pub(super) fn record(&self) -> Target {
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
            changes: self.file.count(),
            store: self.store.map(Into::into),
        }
    }

    /// True if the copy has taken the place of the file.
    pub(super) fn is_new_there(&self) -> bool {
        let found = self.place.stat();
        found.is_ok_and(|found| Some(found.id) == self.made)
    }

    pub(super) fn check_unchanged(&self) -> Result<(), FileError> {
        let now = self
            .place
            .stat()
            .map_err(self.failing(FileErrorKind::Read))?;
        self.compare(now)
    }

    /// Says what of the file is no longer as it was when it was first looked at.
    pub(super) fn compare(&self, now: Stat) -> Result<(), FileError> {
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

/// The folders of some files, each once, in order of path.
pub(super) fn folders<'f>(
    files: impl Iterator<Item = &'f StagedFile<'f>>,
) -> impl Iterator<Item = &'f Arc<dyn Folder>> {
    let folders: BTreeMap<&Path, &Arc<dyn Folder>> = files
        .map(|file| (file.place.folder.path(), &file.place.folder))
        .collect();
    folders.into_values()
}

/// Every folder must still be where its path says, or the run would write to another place than
/// it says, and could not be undone.
pub(super) fn check_folders(files: &[StagedFile<'_>]) -> Result<(), FileError> {
    match folders(files.iter()).find(|folder| !folder.is_at_its_path()) {
        Some(folder) => Err(FileError::new(folder.path(), FileErrorKind::LeadsElsewhere)),
        None => Ok(()),
    }
}
