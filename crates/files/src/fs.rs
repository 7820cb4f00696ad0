//! The operations that the run protocol needs of a file system: few enough that a model in memory
//! can are in for it and be stopped after each.
//!
//! Files that a run rewrites are reached through a [`Folder`] that was opened once, and by a
//! name in it: nothing that happens to the path afterwards can lead elsewhere. A file is the
//! same file when its [`FileId`] is the same, whatever it is called.
//!
//! Note to the maintainer: whatever the protocol does to files goes through [`Fs`] and
//! [`Folder`], or the crash tests do not see it.

pub mod attributes;
pub mod open;
pub mod real;

use serde::{Deserialize, Serialize};
use std::ffi::OsStr;
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Identifies a file or folder, whatever its name.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize,
)]
pub struct FileId {
    /// The device it lies on.
    pub device: u64,
    /// The number there.
    pub inode: u64,
}

/// One state of one file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Stat {
    /// Which file it is.
    pub id: FileId,
    /// The length in bytes.
    pub bytes: u64,
    /// When its bytes were last written, in seconds and nanoseconds since 1970.
    pub written: (i64, i64),
    /// When its bytes, owner, mode, names or attributes last changed, likewise.
    pub changed: (i64, i64),
    /// The permission bits.
    pub mode: u32,
    /// The numbers of its owner and its group.
    pub owner: (u32, u32),
    /// The number of its names.
    pub names: u64,
}

impl Stat {
    /// The state without the time of its last change, which renaming a file also sets.
    pub fn before_renaming(self) -> Self {
        Self {
            changed: (0, 0),
            ..self
        }
    }
}

/// The symbolic links that may lie on the way to a file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Confinement {
    /// None; or those that led exactly here, absolute, when the file was evaluated.
    AsEvaluated(Option<PathBuf>),
    /// Any, as long as the file lies below this folder in the end.
    Below(PathBuf),
}

/// A file by its name in an opened folder.
#[derive(Clone)]
pub struct Place {
    /// The folder.
    pub folder: Arc<dyn Folder>,
    /// The name in it.
    pub name: std::ffi::OsString,
}

impl Place {
    /// The absolute path, without links.
    pub fn path(&self) -> PathBuf {
        self.folder.path().join(&self.name)
    }

    /// Facts about the file.
    ///
    /// # Errors
    ///
    /// When it is not there, or is not a regular file ([`NotRegular`]).
    pub fn stat(&self) -> io::Result<Stat> {
        self.folder.stat(&self.name)
    }
}

/// The error of an operation that is for regular files only.
#[derive(Debug, thiserror::Error)]
#[error("it is not a regular file")]
pub struct NotRegular;

impl NotRegular {
    /// As an I/O error.
    pub fn error() -> io::Error {
        io::Error::new(io::ErrorKind::InvalidInput, Self)
    }
}

/// The error of a path that leads to another place than it may.
#[derive(Debug, thiserror::Error)]
#[error("a symbolic link, or another folder, stands in its path now")]
pub struct LeadsElsewhere;

impl LeadsElsewhere {
    /// As an I/O error.
    pub fn error() -> io::Error {
        io::Error::new(io::ErrorKind::InvalidInput, Self)
    }
}

/// The result of removing a name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Removal {
    /// The file is gone.
    Removed,
    /// The file was not there.
    Missing,
    /// Another file has this name, and is left alone.
    NotOurs,
}

/// The reason why a file must be written in place, or cannot be written at all.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Replacing {
    /// Another file may take its place.
    Exchange,
    /// The file has several names, is a mount point, belongs to another user, or its folder cannot be
    /// written: another file in its place would lose something.
    InPlace,
    /// The file is marked so that it may not be changed, or only be added to.
    Marked,
    /// The file has capabilities that every write takes away, and this user cannot give back.
    Capability,
}

/// A file that is being read.
pub trait ReadFile: Read {
    /// The state of the opened file, whatever its name is by now.
    fn stat(&self) -> io::Result<Stat>;
}

/// A file system.
pub trait Fs: Sync {
    /// The number of threads that may sync at a time, at most `wanted`.
    fn sync_threads(&self, wanted: usize) -> usize {
        wanted
    }
    /// The absolute path that a path leads to, without links.
    fn resolve(&self, path: &Path) -> io::Result<PathBuf> {
        Ok(path.to_owned())
    }
    /// 128 bits that no one can guess.
    fn random(&self) -> io::Result<u128>;
    /// Opens a folder by its absolute path, following no link.
    fn folder(&self, path: &Path) -> io::Result<Arc<dyn Folder>>;
    /// Finds a file, and opens its folder.
    fn locate(&self, path: &Path, confinement: &Confinement) -> io::Result<Place>;

    // The journal's own files, by their paths.

    /// The bytes of a file from its beginning.
    fn read(&self, path: &Path) -> io::Result<Box<dyn Read + '_>>;
    /// A new file, which must not be there, readable by the owner alone. It must be flushed:
    /// that may fail, too.
    fn create(&self, path: &Path) -> io::Result<Box<dyn Write + '_>>;
    /// A file to be written on at its end.
    fn append(&self, path: &Path) -> io::Result<Box<dyn Write + '_>>;
    /// Cuts a file to a length, and syncs it.
    fn truncate(&self, path: &Path, length: u64) -> io::Result<()>;
    /// Brings a file's bytes to the disk.
    fn sync(&self, path: &Path) -> io::Result<()>;
    /// Brings a folder's names to the disk.
    fn sync_folder(&self, path: &Path) -> io::Result<()>;
    /// Removes a name.
    fn remove(&self, path: &Path) -> io::Result<()>;
    /// Makes a folder that must not be there, for the owner alone.
    fn make_folder(&self, path: &Path) -> io::Result<()>;
    /// Removes an empty folder.
    fn remove_folder(&self, path: &Path) -> io::Result<()>;
    /// The names in a folder.
    fn list(&self, path: &Path) -> io::Result<Vec<String>>;
}

/// An opened folder. No name in it is followed if it is a link.
pub trait Folder: Send + Sync {
    /// The absolute path it was opened by, without links.
    fn path(&self) -> &Path;
    /// Which folder it is.
    fn id(&self) -> FileId;
    /// True if its path still leads to it.
    fn is_at_its_path(&self) -> bool;
    /// The state of a regular file.
    fn stat(&self, name: &OsStr) -> io::Result<Stat>;
    /// Opens a regular file, without waiting for anything.
    fn read(&self, name: &OsStr) -> io::Result<Box<dyn ReadFile + '_>>;
    /// Makes an empty file, which must not be there, for the owner alone and without any
    /// attribute that the folder would hand down.
    fn create(&self, name: &OsStr) -> io::Result<FileId>;
    /// Opens such a file to write to it. It must be flushed: that may fail, too.
    fn write(&self, name: &OsStr, id: FileId) -> io::Result<Box<dyn Write + '_>>;
    /// Gives a file of ours the owner, mode, attributes and flags of another, no more and no
    /// less; gives their hash. Fails with [`io::ErrorKind::PermissionDenied`] where this user may
    /// not.
    fn copy_attributes(&self, from: &OsStr, to: &OsStr, id: FileId) -> io::Result<blake3::Hash>;
    /// The hash of a file's owner, mode, attributes and flags.
    fn attributes(&self, name: &OsStr) -> io::Result<blake3::Hash>;
    /// Brings a file's bytes to the disk.
    fn sync_file(&self, name: &OsStr) -> io::Result<()>;
    /// Brings the folder's names to the disk.
    fn sync(&self) -> io::Result<()>;
    /// Replaces the bytes of the file `id` where it stands by what `with` holds, and syncs it;
    /// its owner, mode and attributes stay.
    fn overwrite(&self, name: &OsStr, id: FileId, with: &mut dyn Read) -> io::Result<()>;
    /// Exchanges two names in one step.
    fn exchange(&self, one: &OsStr, other: &OsStr) -> io::Result<()>;
    /// Removes a name if it is that of one of these files.
    fn remove(&self, name: &OsStr, ours: &dyn Fn(&Stat) -> bool) -> io::Result<Removal>;
    /// The names in it.
    fn list(&self) -> io::Result<Vec<std::ffi::OsString>>;
    /// The way a file can be replaced.
    fn replacing(&self, name: &OsStr) -> io::Result<Replacing>;
    /// True if a file may be written.
    fn check_writable(&self, name: &OsStr) -> io::Result<()>;
}

/// The folder a file lies in.
pub(crate) fn folder_of(path: &Path) -> PathBuf {
    match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.to_owned(),
        _ => PathBuf::from("."),
    }
}

/// The name under which a replaced file is kept for a moment, where names cannot be exchanged.
pub(crate) fn second_name(staged: &OsStr) -> std::ffi::OsString {
    let mut name = staged.to_owned();
    name.push("-kept");
    name
}
