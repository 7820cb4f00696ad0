//! One file of a run on its way to its new bytes.

use crate::copy_name::copy_name;
use crate::error::{FileError, FileErrorKind};
use crate::fs::{Folder, Fs, Place, Replacing, Stat};
use crate::journal::records::{PathText, Target};
use crate::plan::PlannedFile;
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// One file on its way.
pub(super) struct StagedFile<'a> {
    pub(super) file: &'a PlannedFile,
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
            changes: self.file.changes.len(),
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
