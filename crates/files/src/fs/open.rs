//! Opening files and folders without being led elsewhere, and without waiting.

use crate::fs::{FileId, LeadsElsewhere, NotRegular, Stat};
use rustix::fs::{CWD, FileType, Mode, OFlags, ResolveFlags};
use rustix::io::Errno;
use std::fs::File;
use std::io;
use std::os::fd::{AsFd, OwnedFd};
use std::path::{Component, Path, PathBuf};

/// Flags for opening a folder.
const FOLDER: OFlags = OFlags::RDONLY
    .union(OFlags::DIRECTORY)
    .union(OFlags::CLOEXEC);
/// Flags for opening a file, whatever it is: a pipe or a device must not hold us up.
pub(super) const AT_ONCE: OFlags = OFlags::CLOEXEC
    .union(OFlags::NOFOLLOW)
    .union(OFlags::NONBLOCK)
    .union(OFlags::NOCTTY);

/// The most times that a path is resolved again after a race.
const RESOLVED_MOST: usize = 64;

/// Resolves a path and opens what it leads to. While something is renamed elsewhere, the system
/// may be unable to say whether a `..` has left the folder, and asks to try again.
pub(super) fn openat2(
    folder: impl AsFd,
    path: &Path,
    flags: OFlags,
    mode: Mode,
    resolve: ResolveFlags,
) -> rustix::io::Result<OwnedFd> {
    for _ in 1..RESOLVED_MOST {
        match rustix::fs::openat2(&folder, path, flags, mode, resolve) {
            Err(Errno::AGAIN | Errno::INTR) => std::thread::yield_now(),
            opened => return opened,
        }
    }
    rustix::fs::openat2(&folder, path, flags, mode, resolve)
}

/// Opens a folder; a symbolic link anywhere in its path is an error. One that may not be read can
/// be neither listed nor synced.
pub(super) fn folder_without_links(path: &Path) -> io::Result<OwnedFd> {
    let resolve = ResolveFlags::NO_SYMLINKS | ResolveFlags::NO_MAGICLINKS;
    let open = |flags| openat2(CWD, path, flags, Mode::empty(), resolve);
    let opened = match open(FOLDER) {
        Err(Errno::ACCESS) => open(FOLDER | OFlags::PATH),
        opened => opened,
    };
    match opened {
        // A system, or a sandbox, that does not know the call.
        Err(Errno::NOSYS | Errno::PERM) => step_by_step(path),
        Err(Errno::LOOP) => Err(LeadsElsewhere::error()),
        opened => Ok(opened?),
    }
}

/// The same, each folder opened from the one before.
fn step_by_step(path: &Path) -> io::Result<OwnedFd> {
    let mut at: Option<OwnedFd> = None;
    for part in path.components() {
        let name = match part {
            Component::CurDir => Path::new("."),
            _ => Path::new(part.as_os_str()),
        };
        let flags = FOLDER | OFlags::NOFOLLOW;
        let next = match &at {
            Some(folder) => rustix::fs::openat(folder, name, flags, Mode::empty()),
            None => rustix::fs::openat(CWD, name, flags, Mode::empty()),
        };
        at = Some(match next {
            Err(Errno::LOOP | Errno::NOTDIR) => return Err(LeadsElsewhere::error()),
            opened => opened?,
        });
    }
    match at {
        Some(folder) => Ok(folder),
        None => Ok(rustix::fs::open(".", FOLDER, Mode::empty())?),
    }
}

/// The target of a path, absolute, if there is a symbolic link on the way to it; `None` where
/// there is none, and for what cannot be looked at.
pub fn links_on_the_way(path: &Path) -> Option<PathBuf> {
    let resolve = ResolveFlags::NO_SYMLINKS | ResolveFlags::NO_MAGICLINKS;
    let flags = OFlags::PATH | OFlags::CLOEXEC;
    match openat2(CWD, path, flags, Mode::empty(), resolve) {
        Ok(_) => None,
        Err(Errno::LOOP) => path.canonicalize().ok(),
        Err(Errno::NOSYS | Errno::PERM) => {
            let real = path.canonicalize().ok()?;
            (real != std::path::absolute(path).ok()?).then_some(real)
        }
        Err(_) => None,
    }
}

/// The state of an opened file, which must be a regular one.
pub(crate) fn regular(file: impl AsFd) -> io::Result<Stat> {
    state(&rustix::fs::fstat(file)?)
}

/// The state of a regular file as the system has it.
pub(super) fn state(found: &rustix::fs::Stat) -> io::Result<Stat> {
    match FileType::from_raw_mode(found.st_mode) {
        FileType::RegularFile => {}
        FileType::Symlink => return Err(LeadsElsewhere::error()),
        _ => return Err(NotRegular::error()),
    }
    // These have other types on some processors.
    #[allow(clippy::unnecessary_cast)]
    Ok(Stat {
        id: id(found),
        bytes: found.st_size as u64,
        written: (found.st_mtime as i64, found.st_mtime_nsec as i64),
        changed: (found.st_ctime as i64, found.st_ctime_nsec as i64),
        mode: found.st_mode & 0o7777,
        owner: (found.st_uid, found.st_gid),
        names: found.st_nlink as u64,
    })
}

/// Which file it is.
pub(super) fn id(found: &rustix::fs::Stat) -> FileId {
    FileId {
        device: found.st_dev,
        inode: found.st_ino,
    }
}

/// Opens a regular file below a folder, without waiting. Links are followed as long as they stay
/// below it.
///
/// # Errors
///
/// When it cannot be opened, does not lie below `root` ([`LeadsElsewhere`]), or is not a regular
/// file ([`NotRegular`]).
pub fn open_below(root: &Path, path: &Path) -> io::Result<File> {
    let flags = OFlags::RDONLY | AT_ONCE.difference(OFlags::NOFOLLOW);
    let below = match path.strip_prefix(root) {
        Ok(below) => below,
        Err(_) if path.is_absolute() => return Err(LeadsElsewhere::error()),
        Err(_) => path,
    };
    let folder = rustix::fs::open(root, FOLDER, Mode::empty())?;
    let resolve = ResolveFlags::BENEATH | ResolveFlags::NO_MAGICLINKS;
    let opened = match openat2(&folder, below, flags, Mode::empty(), resolve) {
        Err(Errno::XDEV | Errno::LOOP) => return Err(LeadsElsewhere::error()),
        Err(Errno::NOSYS | Errno::PERM) => {
            let (root, real) = (root.canonicalize()?, root.join(below).canonicalize()?);
            if !real.starts_with(root) {
                return Err(LeadsElsewhere::error());
            }
            let around = folder_without_links(&super::folder_of(&real))?;
            let name = real.file_name().ok_or(io::ErrorKind::InvalidInput)?;
            rustix::fs::openat(around, name, OFlags::RDONLY | AT_ONCE, Mode::empty())?
        }
        opened => opened?,
    };
    regular(&opened)?;
    Ok(opened.into())
}

/// Opens a file, links followed, without waiting; gives the length of a regular one, and `None` for any other.
pub(crate) fn open_at_once(path: &Path) -> io::Result<(OwnedFd, Option<u64>)> {
    let flags = OFlags::RDONLY | AT_ONCE.difference(OFlags::NOFOLLOW);
    let opened = rustix::fs::open(path, flags, Mode::empty())?;
    let found = rustix::fs::fstat(&opened)?;
    let is_regular = FileType::from_raw_mode(found.st_mode) == FileType::RegularFile;
    Ok((opened, is_regular.then_some(found.st_size as u64)))
}

/// Opens a file that must be a regular one, links followed, without waiting.
///
/// # Errors
///
/// When it cannot be opened, or is not a regular file ([`NotRegular`]).
pub fn open_regular(path: &Path) -> io::Result<File> {
    match open_at_once(path)? {
        (opened, Some(_)) => Ok(opened.into()),
        (_, None) => Err(NotRegular::error()),
    }
}

/// The same, to be written on at its end too, where that is allowed.
///
/// # Errors
///
/// As [`open_regular`].
pub(crate) fn open_to_append(path: &Path) -> io::Result<File> {
    let flags = OFlags::RDWR | OFlags::APPEND | AT_ONCE.difference(OFlags::NOFOLLOW);
    match rustix::fs::open(path, flags, Mode::empty()) {
        Ok(opened) => {
            regular(&opened)?;
            Ok(opened.into())
        }
        // It can at least be read; what it is matters more than why it cannot be written.
        Err(_) => open_regular(path),
    }
}

/// The error of a pipe without a writer.
#[derive(Debug, thiserror::Error)]
#[error("it is a pipe that nobody writes to")]
struct NoWriter;

/// Reads all of a file, or of a pipe with a writer, links followed; at most `most` bytes.
///
/// # Errors
///
/// When it cannot be read, is neither, is a pipe without a writer, or holds more.
pub fn read_all(path: &Path, most: u64) -> io::Result<Vec<u8>> {
    let (opened, length) = open_at_once(path)?;
    let mut bytes = Vec::new();
    if length.is_none() {
        let mode = rustix::fs::fstat(&opened)?.st_mode;
        if FileType::from_raw_mode(mode) != FileType::Fifo {
            return Err(NotRegular::error());
        }
        // Without a writer its end is met at once; with one there is nothing yet, or something.
        let mut first = [0; 4096];
        match rustix::io::read(&opened, &mut first) {
            Ok(0) => return Err(io::Error::new(io::ErrorKind::InvalidInput, NoWriter)),
            Ok(read) => bytes.extend_from_slice(&first[..read]),
            Err(Errno::AGAIN) => {}
            Err(error) => return Err(error.into()),
        }
        let flags = rustix::fs::fcntl_getfl(&opened)?;
        rustix::fs::fcntl_setfl(&opened, flags - OFlags::NONBLOCK)?;
    }
    let left = (most + 1).saturating_sub(bytes.len() as u64);
    io::Read::read_to_end(&mut io::Read::take(File::from(opened), left), &mut bytes)?;
    match bytes.len() as u64 > most {
        true => Err(io::Error::new(
            io::ErrorKind::FileTooLarge,
            format!(
                "it is larger than {} MiB, the most that is read",
                most >> 20
            ),
        )),
        false => Ok(bytes),
    }
}
