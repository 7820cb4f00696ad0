//! Writing a plan: every file is staged beside its target and checked before the first one is
//! put in place.
//!
//! Note to the maintainer. The order is: stage all (splice into a sibling), sync and read back
//! all, check that no source has changed, rename all, sync the folders. A failure before the
//! first rename leaves nothing behind. A failure after it is reported with what has been
//! written; a journal, whose INTENT belongs before the staging and whose COMMIT belongs between
//! syncing and renaming, will make that all or nothing too.

use crate::splice::{CHUNK, Hashing, splice_into};
use crate::{FileError, Plan, PlannedFile, Source, Trouble};
use rustix::fs::{Access, Gid, Uid};
use std::collections::BTreeSet;
use std::fs::{self, File, Metadata};
use std::io::{self, BufWriter};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use tempfile::TempPath;

/// Files synced at a time: waiting for the disk takes no processor.
const SYNC_THREADS: usize = 8;

/// What was written.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Written {
    /// The files that now hold new bytes, in order of path.
    pub files: Vec<PathBuf>,
    /// How many changes they hold.
    pub changes: u64,
}

/// A run that was not completed.
#[derive(Debug, thiserror::Error)]
#[error("{error}")]
pub struct RunError {
    /// What stopped it.
    pub error: FileError,
    /// What had been written by then; empty unless putting in place failed half-way.
    pub written: Written,
}

impl From<FileError> for RunError {
    fn from(error: FileError) -> Self {
        Self {
            error,
            written: Written::default(),
        }
    }
}

/// Rewrites every changed file of the plan where it stands. Mode and owner stay.
///
/// # Errors
///
/// When a file no longer holds the bytes the plan was made from, or cannot be written. Nothing
/// has been written then, unless the error says so.
pub fn write_in_place(plan: &Plan) -> Result<Written, RunError> {
    let mut staged = Vec::new();
    for file in plan.changed() {
        if let Source::File(path) = &file.source {
            staged.push(stage_in_place(path, file)?);
        }
    }
    put_all_in_place(staged, true)
}

/// Writes every file of the plan, changed or not, as `target` says, and leaves the sources alone.
///
/// `target` gives the place of each file. Folders are made as needed; a file that is already
/// there is replaced only with `replace`.
///
/// # Errors
///
/// When a source has changed since, or a target cannot be written or is already there. Targets
/// are put in place only after all of them have been staged.
pub fn write_elsewhere(
    plan: &Plan,
    target: &dyn Fn(&Source) -> PathBuf,
    replace: bool,
) -> Result<Written, RunError> {
    let mut staged = Vec::new();
    for file in &plan.files {
        staged.push(stage_elsewhere(target(&file.source), file, replace)?);
    }
    put_all_in_place(staged, replace)
}

/// A new, complete copy beside its target. No file is held open, for there may be many.
struct Staged {
    /// As the user knows it.
    path: PathBuf,
    /// With symbolic links followed.
    target: PathBuf,
    copy: TempPath,
    hash: blake3::Hash,
    /// The target as it was when it was read, where it is to be replaced.
    seen: Option<Metadata>,
    changes: u64,
}

fn stage_in_place(path: &Path, file: &PlannedFile) -> Result<Staged, FileError> {
    let reading = |error| FileError::io(path, Trouble::Read, error);
    let target = path.canonicalize().map_err(reading)?;
    let source = File::open(&target).map_err(reading)?;
    let seen = source.metadata().map_err(reading)?;
    if seen.nlink() > 1 {
        return Err(FileError::new(path, Trouble::SeveralNames));
    }
    // Renaming needs only the folder's permission; the file's own says what its owner wants.
    if let Err(refused) = rustix::fs::access(&target, Access::WRITE_OK) {
        return Err(FileError::io(path, Trouble::Write, refused.into()));
    }
    let (copy, hash) = stage(path, &target, &source, file, &|copy| {
        keep_attributes(copy, &seen)
    })?;
    Ok(Staged {
        path: path.to_owned(),
        target,
        copy,
        hash,
        seen: Some(seen),
        changes: file.changes.len() as u64,
    })
}

fn stage_elsewhere(
    target: PathBuf,
    file: &PlannedFile,
    replace: bool,
) -> Result<Staged, FileError> {
    if !replace && target.symlink_metadata().is_ok() {
        return Err(FileError::new(&target, Trouble::Exists));
    }
    let path = file.source.path();
    let reading = |error| FileError::io(path, Trouble::Read, error);
    let source = File::open(path).map_err(reading)?;
    let mode = source.metadata().map_err(reading)?.mode() & 0o777;
    fs::create_dir_all(folder_of(&target))
        .map_err(|error| FileError::io(&target, Trouble::Write, error))?;
    let (copy, hash) = stage(path, &target, &source, file, &|copy| {
        copy.set_permissions(fs::Permissions::from_mode(mode))
    })?;
    Ok(Staged {
        path: target.clone(),
        target,
        copy,
        hash,
        seen: None,
        changes: file.changes.len() as u64,
    })
}

/// Splices `source` into a new file beside `target`; gives its hash.
fn stage(
    path: &Path,
    target: &Path,
    source: &File,
    file: &PlannedFile,
    dress: &dyn Fn(&File) -> io::Result<()>,
) -> Result<(TempPath, blake3::Hash), FileError> {
    let writing = |error| FileError::io(path, Trouble::Write, error);
    let made = tempfile::Builder::new()
        .prefix(".bquill-")
        .tempfile_in(folder_of(target));
    // The name of the copy would only puzzle whoever reads the message.
    let copy = made.map_err(|error| writing(error.kind().into()))?;
    let mut out = Hashing::new(BufWriter::with_capacity(CHUNK, copy.as_file()));
    splice_into(source, file, &mut out).map_err(|error| error.into_file_error(path))?;
    let (buffered, hash) = out.finish();
    buffered
        .into_inner()
        .map_err(|error| writing(error.into_error()))?;
    dress(copy.as_file()).map_err(writing)?;
    Ok((copy.into_temp_path(), hash))
}

fn put_all_in_place(staged: Vec<Staged>, replace: bool) -> Result<Written, RunError> {
    sync_and_read_back(&staged)?;
    for file in &staged {
        file.check_unchanged()?;
    }
    let mut written = Written::default();
    let mut folders = BTreeSet::new();
    for file in staged {
        let (path, target, changes) = (file.path.clone(), file.target.clone(), file.changes);
        if let Err(error) = file.put_in_place(replace) {
            return Err(RunError { error, written });
        }
        folders.insert(folder_of(&target));
        written.files.push(path);
        written.changes += changes;
    }
    for folder in folders {
        if let Err(error) = sync_folder(&folder) {
            return Err(RunError { error, written });
        }
    }
    Ok(written)
}

/// Brings every copy to the disk and reads it back, several at a time.
fn sync_and_read_back(staged: &[Staged]) -> Result<(), FileError> {
    let next = AtomicUsize::new(0);
    let work = || {
        while let Some(file) = staged.get(next.fetch_add(1, Ordering::Relaxed)) {
            file.sync_and_read_back()?;
        }
        Ok(())
    };
    std::thread::scope(|scope| {
        let threads: Vec<_> = (0..SYNC_THREADS.min(staged.len()))
            .map(|_| scope.spawn(work))
            .collect();
        threads.into_iter().try_for_each(|thread| {
            // A panic in a thread goes on here.
            thread
                .join()
                .unwrap_or_else(|panic| std::panic::resume_unwind(panic))
        })
    })
}

impl Staged {
    fn sync_and_read_back(&self) -> Result<(), FileError> {
        let writing = |error| FileError::io(&self.path, Trouble::Write, error);
        let mut copy = File::open(&self.copy).map_err(writing)?;
        copy.sync_all().map_err(writing)?;
        let mut hasher = blake3::Hasher::new();
        hasher
            .update_reader(&mut copy)
            .map_err(|error| FileError::io(&self.path, Trouble::ReadBack, error))?;
        if hasher.finalize() == self.hash {
            Ok(())
        } else {
            Err(FileError::new(&self.path, Trouble::ReadBack))
        }
    }

    /// The name still leads to the file that was read, and nobody has written to it since.
    fn check_unchanged(&self) -> Result<(), FileError> {
        let Some(seen) = &self.seen else {
            return Ok(());
        };
        let now = fs::metadata(&self.target)
            .map_err(|error| FileError::io(&self.path, Trouble::Read, error))?;
        let key = |m: &Metadata| (m.dev(), m.ino(), m.size(), m.mtime(), m.mtime_nsec());
        if key(&now) == key(seen) {
            Ok(())
        } else {
            Err(FileError::new(&self.path, Trouble::Changed))
        }
    }

    fn put_in_place(self, replace: bool) -> Result<(), FileError> {
        self.check_unchanged()?;
        let put = if replace {
            self.copy.persist(&self.target)
        } else {
            self.copy.persist_noclobber(&self.target)
        };
        put.map_err(|failed| FileError::io(&self.path, Trouble::Write, failed.error))
    }
}

fn keep_attributes(copy: &File, seen: &Metadata) -> io::Result<()> {
    let made = copy.metadata()?;
    if (made.uid(), made.gid()) != (seen.uid(), seen.gid()) {
        let (owner, group) = (Uid::from_raw(seen.uid()), Gid::from_raw(seen.gid()));
        rustix::fs::fchown(copy, Some(owner), Some(group))?;
    }
    // After the owner, because changing that clears some mode bits.
    copy.set_permissions(fs::Permissions::from_mode(seen.mode() & 0o7777))
}

fn folder_of(path: &Path) -> PathBuf {
    match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.to_owned(),
        _ => PathBuf::from("."),
    }
}

fn sync_folder(folder: &Path) -> Result<(), FileError> {
    File::open(folder)
        .and_then(|opened| opened.sync_all())
        .map_err(|error| FileError::io(folder, Trouble::Write, error))
}
