//! The place that copies are written to.

use crate::error::{FileError, FileErrorKind};
use crate::fs::folder_of;
use std::os::fd::AsFd;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::{fs, io};

/// The destination of a rewritten file.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Destination {
    /// To a file that is not there.
    New(PathBuf),
    /// To a regular file that is there: its place without links.
    Existing(PathBuf),
    /// Into a pipe or a device.
    Stream(PathBuf),
    /// To standard output.
    Stdout,
}

impl Destination {
    /// The target of `path`, links followed; `-`, or a path that leads to it, is standard output.
    ///
    /// # Errors
    ///
    /// When there is a folder, or a file stands where a folder is needed, or it cannot be looked
    /// at.
    pub fn of(path: &Path) -> Result<Self, FileError> {
        if path.as_os_str() == "-" {
            return Ok(Self::Stdout);
        }
        let fail = |error| FileError::io(path, FileErrorKind::Write, error);
        match path.metadata() {
            Ok(found) if is_stdout(&found) => Ok(Self::Stdout),
            Ok(found) if found.is_dir() => Err(FileError::new(path, FileErrorKind::IsFolder)),
            Ok(found) if found.is_file() => path.canonicalize().map(Self::Existing).map_err(fail),
            Ok(_) => Ok(Self::Stream(path.to_owned())),
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                let place = end_of_links(path).map_err(fail)?;
                check_above(&place)?;
                Ok(Self::New(place))
            }
            Err(error) if error.kind() == io::ErrorKind::NotADirectory => {
                Err(FileError::new(path, FileErrorKind::NotAFolder))
            }
            Err(error) => Err(fail(error)),
        }
    }

    /// The path; `-` is standard output.
    pub fn path(&self) -> &Path {
        match self {
            Self::New(path) | Self::Existing(path) | Self::Stream(path) => path,
            Self::Stdout => Path::new("-"),
        }
    }
}

/// True if a file is the one that standard output goes to, and no terminal or file that would be
/// meant by its own name.
fn is_stdout(found: &fs::Metadata) -> bool {
    rustix::fs::fstat(io::stdout().as_fd())
        .is_ok_and(|out| (out.st_dev, out.st_ino) == (found.dev(), found.ino()))
}

/// The place where a file would be made that a link leads to.
fn end_of_links(path: &Path) -> io::Result<PathBuf> {
    let mut place = path.to_owned();
    for _ in 0..LINKS_MOST {
        match fs::read_link(&place) {
            Ok(to) => place = folder_of(&place).join(to),
            Err(_) => return Ok(place),
        }
    }
    Err(rustix::io::Errno::LOOP.into())
}

/// The folders that a new file would lie in must be folders, as far as they exist.
fn check_above(place: &Path) -> Result<(), FileError> {
    let above = place.ancestors().skip(1);
    let mut there = above.filter(|folder| !folder.as_os_str().is_empty() && folder.exists());
    match there.next() {
        Some(folder) if !folder.is_dir() => Err(FileError::new(folder, FileErrorKind::NotAFolder)),
        _ => Ok(()),
    }
}

/// Links that are followed to a file that is not there.
const LINKS_MOST: usize = 16;
