//! Writing a plan: every file is staged beside its target and checked before the first one is
//! put in place.
//!
//! Note to the maintainer. The order is: stage all (splice, sync, read back), check that no
//! source has changed, rename all, sync the folders. A failure before the first rename leaves
//! nothing behind. A failure after it is reported with what has been written; a journal, whose
//! INTENT belongs before the staging and whose COMMIT belongs between staging and renaming, will
//! make that all or nothing too.

use crate::{Change, FileError, Plan, PlannedFile, Source, Trouble};
use rustix::fs::{Gid, Uid};
use std::collections::BTreeSet;
use std::fs::{self, File, Metadata};
use std::io::{self, BufWriter, Read, Write};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use tempfile::NamedTempFile;

/// How much is copied at a time, in bytes.
const CHUNK: usize = 1 << 18;

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
            staged.push(stage(path, file)?);
        }
    }
    for file in &staged {
        file.check_unchanged()?;
    }
    let mut written = Written::default();
    let mut folders = BTreeSet::new();
    for file in staged {
        let (path, target) = (file.path.clone(), file.target.clone());
        match file.put_in_place() {
            Ok(changes) => {
                folders.insert(folder_of(&target));
                written.files.push(path);
                written.changes += changes;
            }
            Err(error) => return Err(RunError { error, written }),
        }
    }
    for folder in folders {
        if let Err(error) = sync_folder(&folder) {
            return Err(RunError { error, written });
        }
    }
    Ok(written)
}

/// A new copy beside its target, complete and synced.
struct Staged {
    /// As the user knows it.
    path: PathBuf,
    /// With symbolic links followed.
    target: PathBuf,
    copy: NamedTempFile,
    source: File,
    seen: Metadata,
    changes: u64,
}

fn stage(path: &Path, file: &PlannedFile) -> Result<Staged, FileError> {
    let reading = |error| FileError::io(path, Trouble::Read, error);
    let writing = |error| FileError::io(path, Trouble::Write, error);
    let target = path.canonicalize().map_err(reading)?;
    let source = File::open(&target).map_err(reading)?;
    let seen = source.metadata().map_err(reading)?;
    if seen.nlink() > 1 {
        return Err(FileError::new(path, Trouble::SeveralNames));
    }
    if seen.permissions().readonly()
        || rustix::fs::access(&target, rustix::fs::Access::WRITE_OK).is_err()
    {
        let denied = io::Error::from(io::ErrorKind::PermissionDenied);
        return Err(writing(denied));
    }
    let copy = new_copy(&folder_of(&target)).map_err(writing)?;
    let mut hashing = Hashing::new(BufWriter::with_capacity(CHUNK, copy.as_file()));
    splice_into(&source, file, &mut hashing).map_err(|error| error.into_file_error(path))?;
    let (buffered, wanted) = hashing.finish();
    buffered
        .into_inner()
        .map_err(|error| writing(error.into_error()))?;
    keep_attributes(copy.as_file(), &seen).map_err(writing)?;
    copy.as_file().sync_all().map_err(writing)?;
    read_back(copy.path(), path, wanted)?;
    Ok(Staged {
        path: path.to_owned(),
        target,
        copy,
        source,
        seen,
        changes: file.changes.len() as u64,
    })
}

impl Staged {
    /// The name still leads to the file that was read, and nobody has written to it since.
    fn check_unchanged(&self) -> Result<(), FileError> {
        let reading = |error| FileError::io(&self.path, Trouble::Read, error);
        let named = fs::metadata(&self.target).map_err(reading)?;
        let open = self.source.metadata().map_err(reading)?;
        let key = |m: &Metadata| (m.dev(), m.ino(), m.size(), m.mtime(), m.mtime_nsec());
        if key(&named) == key(&self.seen) && key(&open) == key(&self.seen) {
            Ok(())
        } else {
            Err(FileError::new(&self.path, Trouble::Changed))
        }
    }

    fn put_in_place(self) -> Result<u64, FileError> {
        self.check_unchanged()?;
        self.copy
            .persist(&self.target)
            .map_err(|failed| FileError::io(&self.path, Trouble::Write, failed.error))?;
        Ok(self.changes)
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

fn read_back(copy: &Path, path: &Path, wanted: blake3::Hash) -> Result<(), FileError> {
    let reading = |error| FileError::io(path, Trouble::ReadBack, error);
    let mut hasher = blake3::Hasher::new();
    let mut file = File::open(copy).map_err(reading)?;
    hasher.update_reader(&mut file).map_err(reading)?;
    if hasher.finalize() == wanted {
        Ok(())
    } else {
        Err(FileError::new(path, Trouble::ReadBack))
    }
}

/// An empty file to be filled and put in place; it vanishes if it is not.
fn new_copy(folder: &Path) -> io::Result<NamedTempFile> {
    let made = tempfile::Builder::new()
        .prefix(".bquill-")
        .tempfile_in(folder);
    // The name of the copy would only puzzle whoever reads the message.
    made.map_err(|error| io::Error::from(error.kind()))
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
        let place = target(&file.source);
        let writing = |error| FileError::io(&place, Trouble::Write, error);
        if place.exists() && !replace {
            return Err(FileError::new(&place, Trouble::Exists).into());
        }
        let folder = folder_of(&place);
        fs::create_dir_all(&folder).map_err(writing)?;
        let copy = new_copy(&folder).map_err(writing)?;
        let path = file.source.path();
        let source = File::open(path).map_err(|e| FileError::io(path, Trouble::Read, e))?;
        let mut out = BufWriter::with_capacity(CHUNK, copy.as_file());
        splice_into(&source, file, &mut out).map_err(|error| error.into_file_error(path))?;
        out.into_inner()
            .map_err(|error| writing(error.into_error()))?;
        let mode = source.metadata().map_err(writing)?.mode() & 0o777;
        copy.as_file()
            .set_permissions(fs::Permissions::from_mode(mode))
            .map_err(writing)?;
        copy.as_file().sync_all().map_err(writing)?;
        staged.push((copy, place, file.changes.len() as u64));
    }
    let mut written = Written::default();
    for (copy, place, changes) in staged {
        let persisted = if replace {
            copy.persist(&place)
        } else {
            copy.persist_noclobber(&place)
        };
        if let Err(failed) = persisted {
            let error = FileError::io(&place, Trouble::Write, failed.error);
            return Err(RunError { error, written });
        }
        written.files.push(place);
        written.changes += changes;
    }
    for folder in written
        .files
        .iter()
        .map(|f| folder_of(f))
        .collect::<BTreeSet<_>>()
    {
        if let Err(error) = sync_folder(&folder) {
            return Err(RunError { error, written });
        }
    }
    Ok(written)
}

/// Why splicing stopped.
#[derive(Debug)]
pub enum SpliceError {
    /// The source is not what the changes were made from.
    Changed,
    /// The source could not be read.
    Read(io::Error),
    /// The output could not be written.
    Write(io::Error),
}

impl SpliceError {
    fn into_file_error(self, path: &Path) -> FileError {
        match self {
            Self::Changed => FileError::new(path, Trouble::Changed),
            Self::Read(error) => FileError::io(path, Trouble::Read, error),
            Self::Write(error) => FileError::io(path, Trouble::Write, error),
        }
    }
}

/// Copies `source` to `out` with the changes of `file` made, computing nothing anew.
///
/// # Errors
///
/// When the source does not hold the bytes that the plan was made from; what has been written to
/// `out` is void then.
pub fn splice_into(
    source: impl Read,
    file: &PlannedFile,
    out: &mut dyn Write,
) -> Result<(), SpliceError> {
    let mut source = Hashing::new(source);
    let mut buffer = vec![0; CHUNK];
    let mut at = 0;
    for change in &file.changes {
        copy(&mut source, &mut buffer, change.from - at, out)?;
        replace_one(&mut source, &mut buffer, change, out)?;
        at = change.to;
    }
    copy(&mut source, &mut buffer, file.facts.bytes - at, out)?;
    let extra = source.read(&mut [0]).map_err(SpliceError::Read)?;
    let (_, hash) = source.finish();
    if extra == 0 && Some(hash) == file.facts.hash {
        Ok(())
    } else {
        Err(SpliceError::Changed)
    }
}

fn replace_one(
    source: &mut impl Read,
    buffer: &mut [u8],
    change: &Change,
    out: &mut dyn Write,
) -> Result<(), SpliceError> {
    for expected in change.before.chunks(buffer.len()) {
        let found = &mut buffer[..expected.len()];
        source.read_exact(found).map_err(ended_early)?;
        if found != expected {
            return Err(SpliceError::Changed);
        }
    }
    out.write_all(&change.after).map_err(SpliceError::Write)
}

fn copy(
    source: &mut impl Read,
    buffer: &mut [u8],
    length: u64,
    out: &mut dyn Write,
) -> Result<(), SpliceError> {
    let mut left = length;
    while left > 0 {
        let size = usize::try_from(left)
            .unwrap_or(usize::MAX)
            .min(buffer.len());
        let chunk = &mut buffer[..size];
        source.read_exact(chunk).map_err(ended_early)?;
        out.write_all(chunk).map_err(SpliceError::Write)?;
        left -= size as u64;
    }
    Ok(())
}

fn ended_early(error: io::Error) -> SpliceError {
    match error.kind() {
        io::ErrorKind::UnexpectedEof => SpliceError::Changed,
        _ => SpliceError::Read(error),
    }
}

/// Hashes all that passes through.
struct Hashing<T> {
    inner: T,
    hasher: blake3::Hasher,
}

impl<T> Hashing<T> {
    fn new(inner: T) -> Self {
        Self {
            inner,
            hasher: blake3::Hasher::new(),
        }
    }

    fn finish(self) -> (T, blake3::Hash) {
        (self.inner, self.hasher.finalize())
    }
}

impl<T: Read> Read for Hashing<T> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let n = self.inner.read(buffer)?;
        self.hasher.update(&buffer[..n]);
        Ok(n)
    }
}

impl<T: Write> Write for Hashing<T> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let n = self.inner.write(bytes)?;
        self.hasher.update(&bytes[..n]);
        Ok(n)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.inner.flush()
    }
}
