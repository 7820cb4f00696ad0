//! Writing the rewritten files to another place, where the sources are left alone.
//!
//! All files are staged beside their targets before the first one is put in place. There is no
//! journal for them: what is there is not replaced unless the user says so. What is not put in
//! place is taken away again, with the folders that were made for it.

use crate::behind::WriteBehind;
use crate::early_sync::EarlySync;
use crate::fs::{folder_of, open_regular};
use crate::parallel::on_each;
use crate::splice::{CHUNK, splice_into};
use crate::{FileEdit, FileError, Plan, Source, Trouble};
use std::cmp::Reverse;
use std::collections::{BTreeSet, VecDeque};
use std::fs::{self, File};
use std::io::{self, Write};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use tempfile::{NamedTempFile, TempPath};

/// Files synced at a time: waiting for the disk takes no processor.
const SYNC_THREADS: usize = 8;

/// What was written.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Written {
    /// The files that were written, in order of path of their sources.
    pub files: Vec<PathBuf>,
    /// How many changes they hold.
    pub changes: u64,
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
) -> Result<Written, FileError> {
    let staging = Staging::new(replace);
    let mut staged = Vec::new();
    for file in &plan.files {
        let path = file.source.path();
        let source = open_regular(path).map_err(|e| FileError::io(path, Trouble::Read, e))?;
        let target = target(&file.source);
        let mut copy = staging.copy(&target)?;
        let spliced = splice_into(&source, file, &mut copy.out);
        spliced.map_err(|error| error.into_file_error(path))?;
        staged.push(copy.end(path, target, file.changes.len())?);
    }
    staging.put_in_place(staged)
}

/// Where files are staged, and what was made for them.
#[derive(Debug)]
pub struct Staging {
    replace: bool,
    /// Folders that were not there before.
    made: Mutex<Vec<PathBuf>>,
}

impl Staging {
    /// Files that are there are replaced only with `replace`.
    pub fn new(replace: bool) -> Self {
        Self {
            replace,
            made: Mutex::default(),
        }
    }

    /// An empty copy beside its target.
    fn copy(&self, target: &Path) -> Result<OpenCopy, FileError> {
        let writing = |error| FileError::io(target, Trouble::Write, error);
        if !self.replace && target.symlink_metadata().is_ok() {
            return Err(FileError::new(target, Trouble::Exists));
        }
        let folder = folder_of(target);
        self.make(&folder).map_err(writing)?;
        let made = tempfile::Builder::new()
            .prefix(".bquill-")
            .tempfile_in(folder);
        // The name of the copy would only puzzle whoever reads the message.
        let file = made.map_err(|error| writing(error.kind().into()))?;
        let out = EarlySync::new(file.as_file().try_clone().map_err(writing)?);
        Ok(OpenCopy {
            out: WriteBehind::new(CHUNK, out),
            file,
        })
    }

    /// Makes a folder, and those it lies in, where they are not there.
    fn make(&self, folder: &Path) -> io::Result<()> {
        if folder.as_os_str().is_empty() || folder.is_dir() {
            return Ok(());
        }
        if let Some(above) = folder.parent() {
            self.make(above)?;
        }
        match fs::create_dir(folder) {
            Ok(()) => {
                let mut made = self.made.lock().unwrap_or_else(PoisonError::into_inner);
                made.push(folder.to_owned());
                Ok(())
            }
            // Somebody else may have been faster.
            Err(_) if folder.is_dir() => Ok(()),
            Err(error) => Err(error),
        }
    }

    /// Syncs what is staged, and puts it in place.
    ///
    /// # Errors
    ///
    /// When that cannot be done, or a file has come to lie there in the meantime.
    pub fn put_in_place(self, staged: Vec<Staged>) -> Result<Written, FileError> {
        on_each(&staged, SYNC_THREADS, |staged| {
            let synced = File::open(&staged.copy).and_then(|copy| copy.sync_all());
            synced.map_err(|error| FileError::io(&staged.target, Trouble::Write, error))
        })?;
        let mut written = Written::default();
        for Staged {
            target,
            copy,
            changes,
        } in staged
        {
            let put = match self.replace {
                true => copy.persist(&target),
                false => copy.persist_noclobber(&target),
            };
            put.map_err(|failed| FileError::io(&target, Trouble::Write, failed.error))?;
            written.files.push(target);
            written.changes += changes;
        }
        let folders = written.files.iter().map(|file| folder_of(file));
        let folders = Vec::from_iter(folders.collect::<BTreeSet<_>>());
        on_each(&folders, SYNC_THREADS, |folder| {
            let synced = File::open(folder).and_then(|opened| opened.sync_all());
            synced.map_err(|error| FileError::io(folder, Trouble::Write, error))
        })?;
        Ok(written)
    }
}

impl Drop for Staging {
    fn drop(&mut self) {
        let made = self.made.get_mut().unwrap_or_else(PoisonError::into_inner);
        // What lies in another folder goes before it.
        made.sort_by_key(|folder| Reverse(folder.components().count()));
        for folder in made {
            // One that holds something stays.
            let _ = fs::remove_dir(folder);
        }
    }
}

/// A copy being written.
#[derive(Debug)]
struct OpenCopy {
    out: WriteBehind<EarlySync>,
    file: NamedTempFile,
}

impl OpenCopy {
    /// It has been written; gives it the mode of its source.
    fn end(self, source: &Path, target: PathBuf, changes: u64) -> Result<Staged, FileError> {
        let writing = |error| FileError::io(&target, Trouble::Write, error);
        let found = source.metadata();
        let found = found.map_err(|error| FileError::io(source, Trouble::Read, error))?;
        self.out.into_inner().map(drop).map_err(writing)?;
        let mode = fs::Permissions::from_mode(found.mode() & 0o777);
        let set = self.file.as_file().set_permissions(mode);
        set.map_err(writing)?;
        Ok(Staged {
            target,
            copy: self.file.into_temp_path(),
            changes,
        })
    }
}

/// A file that is ready to be put in place; dropped, it is gone.
#[derive(Debug)]
pub struct Staged {
    target: PathBuf,
    copy: TempPath,
    changes: u64,
}

/// A file that is staged while it is evaluated, so that it is read only once.
#[derive(Debug)]
pub struct Copying<'s> {
    staging: &'s Staging,
    source: PathBuf,
    target: PathBuf,
    copy: Option<OpenCopy>,
    /// Changes in bytes that have not been seen yet: their ranges and new texts.
    waiting: VecDeque<(u64, u64, Vec<u8>)>,
    /// Where the last change that has been written ends.
    replaced: u64,
    /// Bytes of the source seen.
    seen: u64,
    changes: u64,
    failed: Option<FileError>,
}

impl<'s> Copying<'s> {
    /// Of `source`, to `target`.
    pub fn new(staging: &'s Staging, source: &Path, target: PathBuf) -> Self {
        Self {
            staging,
            source: source.to_owned(),
            target,
            copy: None,
            waiting: VecDeque::new(),
            replaced: 0,
            seen: 0,
            changes: 0,
            failed: None,
        }
    }

    /// Takes the next change; it lies in bytes that follow.
    pub fn change(&mut self, edit: &FileEdit<'_>) {
        self.changes += 1;
        let text = edit.after.to_vec();
        self.waiting.push_back((edit.from, edit.to, text));
    }

    /// Takes the next bytes of the source; all changes in them are known.
    pub fn bytes(&mut self, raw: &[u8]) {
        if self.failed.is_none()
            && let Err(error) = self.write(raw)
        {
            self.failed = Some(error);
        }
        self.seen += raw.len() as u64;
    }

    fn write(&mut self, raw: &[u8]) -> Result<(), FileError> {
        let copy = match &mut self.copy {
            Some(copy) => copy,
            None => self.copy.insert(self.staging.copy(&self.target)?),
        };
        let out = &mut copy.out;
        let end = self.seen + raw.len() as u64;
        // Offsets that are no greater than the end lie in `raw`, so they fit.
        let local = |offset: u64| (offset.clamp(self.seen, end) - self.seen) as usize;
        let mut at = local(self.replaced);
        let mut write = || {
            while let Some((from, to, text)) = self.waiting.front()
                && *from < end
            {
                let (from, to) = (*from, *to);
                out.write_all(&raw[at..local(from)])?;
                out.write_all(text)?;
                self.replaced = to;
                at = local(to);
                self.waiting.pop_front();
            }
            out.write_all(&raw[at..])
        };
        write().map_err(|error| FileError::io(&self.target, Trouble::Write, error))
    }

    /// All of it has been seen; `None` where nothing has been read.
    ///
    /// # Errors
    ///
    /// When the copy could not be written, or there is already a file.
    pub fn end(self) -> Result<Option<Staged>, FileError> {
        if let Some(error) = self.failed {
            return Err(error);
        }
        let Some(mut copy) = self.copy else {
            return Ok(None);
        };
        // What is added behind the last byte lies in none.
        let mut rest = self.waiting.iter();
        let written = rest.try_for_each(|(.., text)| copy.out.write_all(text));
        written.map_err(|error| FileError::io(&self.target, Trouble::Write, error))?;
        copy.end(&self.source, self.target, self.changes).map(Some)
    }
}
