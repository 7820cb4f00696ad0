//! Writing the rewritten files to another place, where the sources are left alone.
//!
//! All destinations are looked at, and all files staged, before the first one is put in place.
//! New files need no journal: what is put in place is removed again when another cannot be, with
//! the folders that were made. A file that is there is overwritten by a run of its own, for
//! which [`Staging::put_new`] gives the plan. Into pipes and devices the new bytes are written in
//! the end, for that cannot be undone.

pub mod destination;

use crate::background_writer::BackgroundWriter;
use crate::blocks::{BlockError, changes_between};
use crate::changes::Spooler;
use crate::early_sync::EarlySync;
use crate::edit::FileEdit;
use crate::error::{FileError, FileErrorKind};
use crate::fs::open::open_regular;
use crate::fs::real::RealFs;
use crate::fs::{FileId, Fs, folder_of};
use crate::parallel::on_each;
use crate::plan::{Plan, PlannedFile};
use crate::read::facts::Facts;
use crate::source::Source;
use crate::splice::{CHUNK, splice_into};
use crate::splicer::Splicer;
use crate::staging::destination::Destination;
use crate::store::Pack;
use crate::store::store_of::Packing;
use crate::temporary::{Temporaries, Temporary};
use std::cmp::Reverse;
use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io::{self, BufWriter, Seek, Write};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// Files synced at a time: waiting for the disk takes no processor.
const SYNC_THREADS: usize = 8;

/// The bytes that were written.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Written {
    /// The number of files that were written.
    pub files: u64,
    /// The number of changes they hold.
    pub changes: u64,
}

/// Stages every file of the plan, changed or not, for `destination`; the sources are left alone.
///
/// # Errors
///
/// When a source has changed since, or a copy cannot be written.
pub fn stage_all(
    staging: &Staging,
    plan: &Plan,
    destination: &dyn Fn(&Source) -> Destination,
) -> Result<Vec<Staged>, FileError> {
    let mut staged = Vec::new();
    for file in &plan.files {
        let path = file.source.path();
        let source = open_regular(&file.source.place())
            .map_err(|e| FileError::io(path, FileErrorKind::Read, e))?;
        let destination = destination(&file.source);
        let mut copy = staging.copy(&destination)?;
        let spliced = splice_into(&source, file, &mut copy.out);
        spliced.map_err(|error| error.into_file_error(path))?;
        staged.push(copy.end(&file.source, destination, file.count())?);
    }
    Ok(staged)
}

/// The staging of files, and what was made for them.
#[derive(Debug)]
pub struct Staging {
    temporaries: Arc<Temporaries>,
    /// Folders that were not there before.
    made: Mutex<Vec<PathBuf>>,
}

/// New files that were put in place, and what is left to be done with the others.
#[derive(Debug)]
pub struct Put {
    /// The staged files, all of them.
    pub written: Written,
    /// The files that are there, as a run would overwrite them.
    pub overwrites: Plan,
    /// Copies for pipes, devices and standard output.
    pub streams: Vec<(Destination, File)>,
    /// The files that were put in place.
    new: Vec<(PathBuf, FileId)>,
}

impl Put {
    /// Removes the new files again, because the others cannot be written.
    pub fn take_back(self) {
        take_back(&self.new);
    }
}

fn take_back(new: &[(PathBuf, FileId)]) {
    for (path, id) in new {
        let folder = folder_of(path).canonicalize();
        let folder = folder.and_then(|folder| RealFs.folder(&folder));
        let name = path.file_name().unwrap_or_default();
        // One that cannot be removed is a copy like any other.
        let _ = folder.and_then(|folder| folder.remove(name, &|found| found.id == *id));
    }
}

impl Staging {
    /// Records its files in `temporaries`.
    pub fn new(temporaries: Arc<Temporaries>) -> Self {
        Self {
            temporaries,
            made: Mutex::default(),
        }
    }

    /// An empty copy: beside a file that is to be made, else without a name.
    fn copy(&self, destination: &Destination) -> Result<OpenCopy, FileError> {
        let path = destination.path();
        let writing = |error| FileError::io(path, FileErrorKind::Write, error);
        let file = match destination {
            Destination::New(path) => {
                self.make(&folder_of(path)).map_err(writing)?;
                let made = self.temporaries.beside(path);
                // The name of the copy would only puzzle whoever reads the message.
                CopyFile::Beside(made.map_err(|error| writing(error.kind().into()))?)
            }
            Destination::Existing(path) => match self.temporaries.beside(path) {
                Ok(made) => CopyFile::Beside(made),
                // Its folder may not be written in, and it is written in place.
                Err(_) => CopyFile::Unnamed(tempfile::tempfile().map_err(writing)?),
            },
            _ => CopyFile::Unnamed(tempfile::tempfile().map_err(writing)?),
        };
        let out = EarlySync::new(file.again().map_err(writing)?);
        Ok(OpenCopy {
            out: CopyOut::Plain(BackgroundWriter::new(CHUNK, out)),
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
            // Another program may have been faster.
            Err(_) if folder.is_dir() => Ok(()),
            Err(error) => Err(error),
        }
    }

    /// Syncs what is staged, puts the new files in place, all or none, and says what is left to
    /// be done.
    ///
    /// # Errors
    ///
    /// When that cannot be done, or a file has come to lie there in the meantime.
    pub fn put_new(self, staged: Vec<Staged>) -> Result<Put, FileError> {
        on_each(&staged, SYNC_THREADS, |staged| {
            match (&staged.copy, &staged.destination) {
                (CopyFile::Beside(copy), Destination::New(_)) => {
                    let synced = File::open(copy.path()).and_then(|copy| copy.sync_all());
                    synced.map_err(|error| staged.fail(error))
                }
                // These are read again, and written by others.
                _ => Ok(()),
            }
        })?;
        let mut put = Put {
            written: Written::default(),
            overwrites: Plan::default(),
            streams: Vec::new(),
            new: Vec::new(),
        };
        let mut spooler = Spooler::default();
        for staged in staged {
            put.written.files += 1;
            put.written.changes += staged.changes;
            let done = match (staged.copy, staged.destination) {
                (copy, Destination::Existing(path)) => {
                    let planned = copy
                        .read()
                        .map_err(|error| FileError::io(&path, FileErrorKind::Read, error))
                        .and_then(|new| overwrite(&path, &new, &mut spooler));
                    planned.map(|file| put.overwrites.files.push(file))
                }
                (CopyFile::Beside(copy), destination) => {
                    let path = destination.path().to_owned();
                    copy.keep_as(&path)
                        .map(|id| put.new.push((path.clone(), id)))
                        .map_err(|error| FileError::io(&path, FileErrorKind::Write, error))
                }
                (CopyFile::Unnamed(copy), destination) => {
                    put.streams.push((destination, copy));
                    Ok(())
                }
            };
            if let Err(error) = done {
                put.take_back();
                return Err(error);
            }
        }
        let folders = put.new.iter().map(|(path, _)| folder_of(path));
        let folders = Vec::from_iter(folders.collect::<BTreeSet<_>>());
        let synced = on_each(&folders, SYNC_THREADS, |folder| {
            let synced = File::open(folder).and_then(|opened| opened.sync_all());
            synced.map_err(|error| FileError::io(folder, FileErrorKind::Write, error))
        });
        match synced {
            Ok(()) => Ok(put),
            Err(error) => {
                put.take_back();
                Err(error)
            }
        }
    }
}

/// The changes that make a file hold what `new` does.
fn overwrite(path: &Path, new: &File, spooler: &mut Spooler) -> Result<PlannedFile, FileError> {
    let reading = |error| FileError::io(path, FileErrorKind::Read, error);
    let old = open_regular(path).map_err(reading)?;
    let compared = changes_between(old, new, spooler);
    let (changes, hash, bytes) = compared.map_err(|error| match error {
        BlockError::Read(error) => reading(error),
        BlockError::Keep(error) => FileError::io(path, FileErrorKind::Spool, error),
    })?;
    let source = Source::file(path);
    Ok(PlannedFile::evaluated(
        source,
        Facts::of_bytes(hash, bytes),
        changes,
    ))
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

/// The file that a copy is written to.
#[derive(Debug)]
enum CopyFile {
    Beside(Temporary),
    Unnamed(File),
}

impl CopyFile {
    /// The same file, opened again.
    fn again(&self) -> io::Result<File> {
        match self {
            Self::Beside(file) => file.file()?.try_clone(),
            Self::Unnamed(file) => file.try_clone(),
        }
    }
}

impl CopyFile {
    /// The bytes written to it, from the beginning.
    fn read(&self) -> io::Result<File> {
        match self {
            Self::Beside(file) => File::open(file.path()),
            Self::Unnamed(file) => {
                let mut again = file.try_clone()?;
                again.rewind()?;
                Ok(again)
            }
        }
    }
}

/// A copy being written.
struct OpenCopy {
    out: CopyOut,
    file: CopyFile,
}

/// The way into the file of a copy.
enum CopyOut {
    Plain(BackgroundWriter<EarlySync>),
    Packed(Box<dyn Pack>),
}

impl CopyOut {
    fn end(self) -> io::Result<()> {
        match self {
            Self::Plain(out) => out.into_inner().map(drop),
            Self::Packed(out) => out.end(),
        }
    }
}

impl Write for CopyOut {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self {
            Self::Plain(out) => out.write(bytes),
            Self::Packed(out) => out.write(bytes),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        match self {
            Self::Plain(out) => out.flush(),
            Self::Packed(out) => out.flush(),
        }
    }
}

impl OpenCopy {
    /// The text that is written to it from here on is packed.
    fn pack(&mut self, packing: &Packing) -> io::Result<()> {
        let out = BufWriter::with_capacity(CHUNK, self.file.again()?);
        self.out = CopyOut::Packed(packing.pack(out)?);
        Ok(())
    }

    /// Called once the copy is written: gives a new file the mode of its source.
    fn end(
        self,
        source: &Source,
        destination: Destination,
        changes: u64,
    ) -> Result<Staged, FileError> {
        let writing = |error| FileError::io(destination.path(), FileErrorKind::Write, error);
        let found = source.place().metadata();
        let found =
            found.map_err(|error| FileError::io(source.path(), FileErrorKind::Read, error))?;
        self.out.end().map_err(writing)?;
        let mut file = self.file;
        if let CopyFile::Beside(copy) = &mut file {
            let mode = fs::Permissions::from_mode(found.mode() & 0o777);
            let set = copy.file().and_then(|file| file.set_permissions(mode));
            set.map_err(writing)?;
            copy.close();
        }
        Ok(Staged {
            destination,
            copy: file,
            changes,
        })
    }
}

/// A file that is ready to be put in place; dropped, it is gone.
#[derive(Debug)]
pub struct Staged {
    destination: Destination,
    copy: CopyFile,
    changes: u64,
}

impl Staged {
    fn fail(&self, error: io::Error) -> FileError {
        FileError::io(self.destination.path(), FileErrorKind::Write, error)
    }
}

/// A file that is staged while it is evaluated, so that it is read only once.
pub struct Copying<'s> {
    staging: &'s Staging,
    source: Source,
    destination: Destination,
    copy: Option<OpenCopy>,
    packing: Option<Packing>,
    splicer: Splicer,
    changes: u64,
    failed: Option<FileError>,
}

impl<'s> Copying<'s> {
    /// Of `source`, to `destination`.
    pub fn new(staging: &'s Staging, source: &Source, destination: Destination) -> Self {
        Self {
            staging,
            source: source.clone(),
            destination,
            copy: None,
            packing: None,
            splicer: Splicer::default(),
            changes: 0,
            failed: None,
        }
    }

    /// Takes the next change; it lies in bytes that follow.
    pub fn change(&mut self, edit: &FileEdit<'_>) {
        self.changes += 1;
        self.splicer.change(edit);
    }

    /// The bytes that follow are packed in this way in the source, and so they are in the copy.
    pub fn packed(&mut self, packing: &Packing) {
        self.packing = Some(packing.clone());
    }

    /// Takes the next bytes of the source; all changes in them are known.
    pub fn bytes(&mut self, raw: &[u8]) {
        if self.failed.is_none()
            && let Err(error) = self.write(raw)
        {
            self.failed = Some(error);
        }
        self.splicer.done(raw);
    }

    fn write(&mut self, raw: &[u8]) -> Result<(), FileError> {
        let writing = |error| FileError::io(self.destination.path(), FileErrorKind::Write, error);
        let copy = match &mut self.copy {
            Some(copy) => copy,
            None => {
                let mut copy = self.staging.copy(&self.destination)?;
                if let Some(packing) = &self.packing {
                    copy.pack(packing).map_err(writing)?;
                }
                self.copy.insert(copy)
            }
        };
        self.splicer.write(raw, &mut copy.out).map_err(writing)
    }

    /// All of it has been seen; `None` where nothing has been read.
    ///
    /// # Errors
    ///
    /// When the copy could not be written.
    pub fn end(self) -> Result<Option<Staged>, FileError> {
        if let Some(error) = self.failed {
            return Err(error);
        }
        let Some(mut copy) = self.copy else {
            return Ok(None);
        };
        // What is added behind the last byte lies in none.
        let written = copy.out.write_all(self.splicer.rest());
        written
            .map_err(|error| FileError::io(self.destination.path(), FileErrorKind::Write, error))?;
        copy.end(&self.source, self.destination, self.changes)
            .map(Some)
    }
}
