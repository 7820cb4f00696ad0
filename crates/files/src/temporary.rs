//! Temporary files beside those they will replace, which do not outlast a killed program.
//!
//! A program records every temporary file in a list of its own, `STATE/temporary/LIST`, which it
//! holds locked as long as it runs: first its name, which no one can guess, then its number. A
//! list that is not locked belongs to a program that was killed; the next program removes what
//! it names, and nothing else.

use crate::copy_name::copy_name;
use crate::fs::real::RealFs;
use crate::fs::{FileId, Fs, Removal, Stat, folder_of};
use crate::journal::records::PathText;
use serde::{Deserialize, Serialize};
use std::fs::{self, File, OpenOptions};
use std::io::{self, BufRead, BufReader, Write};
use std::os::unix::fs::{DirBuilderExt, MetadataExt, OpenOptionsExt};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// The temporary files of this program.
#[derive(Debug, Default)]
pub struct Temporaries {
    /// The folder of the lists; `None` where nothing can be recorded.
    lists: Option<PathBuf>,
    list: Mutex<Option<List>>,
}

/// The list of one program; it is removed with the last file on it.
#[derive(Debug)]
struct List {
    file: File,
    path: PathBuf,
    /// The number of its files that are still temporary.
    left: usize,
}

/// A line of a list.
#[derive(Serialize, Deserialize)]
struct Line {
    path: PathText,
    id: Option<FileId>,
}

/// A temporary file; dropped, it is removed.
#[derive(Debug)]
pub struct Temporary {
    file: Option<File>,
    path: PathBuf,
    id: FileId,
    is_kept: bool,
    of: Arc<Temporaries>,
}

impl Temporaries {
    /// The files that are recorded in the folder `state`, if there is one. What killed programs have
    /// left is removed.
    pub fn new(state: Option<&Path>) -> Arc<Self> {
        let lists = state.map(|state| state.join("temporary"));
        if let Some(lists) = &lists {
            sweep(lists);
        }
        Arc::new(Self {
            lists,
            list: Mutex::default(),
        })
    }

    /// An empty temporary file in the folder of `path`, for its owner alone.
    ///
    /// # Errors
    ///
    /// When it, or the record of it, cannot be written.
    pub fn beside(self: &Arc<Self>, path: &Path) -> io::Result<Temporary> {
        let folder = std::path::absolute(folder_of(path))?;
        let path = folder.join(copy_name(&RealFs)?);
        self.record(&path, None)?;
        let how = OpenOptions::new()
            .read(true)
            .write(true)
            .create_new(true)
            .mode(0o600)
            .open(&path);
        let file = how?;
        let found = file.metadata()?;
        let id = FileId {
            device: found.dev(),
            inode: found.ino(),
        };
        let made = Temporary {
            file: Some(file),
            path,
            id,
            is_kept: false,
            of: Arc::clone(self),
        };
        self.record(&made.path, Some(id))?;
        Ok(made)
    }

    fn record(&self, path: &Path, id: Option<FileId>) -> io::Result<()> {
        let Some(lists) = &self.lists else {
            return Ok(());
        };
        let mut list = self.list.lock().unwrap_or_else(PoisonError::into_inner);
        let list = match &mut *list {
            Some(list) => list,
            none => none.insert(List::new(lists)?),
        };
        let line = Line {
            path: PathText::from(path),
            id,
        };
        let mut line = serde_json::to_vec(&line)?;
        line.push(b'\n');
        list.left += usize::from(id.is_some());
        list.file.write_all(&line)
    }

    /// One file less is temporary.
    fn forget(&self) {
        let mut list = self.list.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(open) = &mut *list {
            open.left = open.left.saturating_sub(1);
        }
        drop(list.take_if(|open| open.left == 0));
    }
}

impl List {
    fn new(lists: &Path) -> io::Result<Self> {
        let mut make = fs::DirBuilder::new();
        make.recursive(true).mode(0o700).create(lists)?;
        loop {
            let path = lists.join(format!("{:032x}", RealFs.random()?));
            let mut how = OpenOptions::new();
            let file = how.append(true).create_new(true).mode(0o600).open(&path)?;
            file.lock()?;
            // Another program may have taken it for that of a killed program before it was locked.
            if fs::metadata(&path)
                .is_ok_and(|found| found.ino() == file.metadata().map_or(0, |f| f.ino()))
            {
                return Ok(Self {
                    file,
                    path,
                    left: 0,
                });
            }
        }
    }
}

impl Drop for List {
    fn drop(&mut self) {
        let _ = fs::remove_file(&self.path);
    }
}

/// Removes what killed programs have left.
fn sweep(lists: &Path) {
    for entry in fs::read_dir(lists).into_iter().flatten().flatten() {
        let path = entry.path();
        let Ok(file) = crate::fs::open::open_regular(&path) else {
            continue;
        };
        if file.try_lock().is_ok() {
            let lines = BufReader::new(file).lines().map_while(Result::ok);
            let lines: Vec<Line> = lines
                .filter_map(|line| serde_json::from_str(&line).ok())
                .collect();
            lines.iter().for_each(remove_left);
            let _ = fs::remove_file(&path);
        }
    }
}

/// Removes a file that a killed program has left, if it is that file.
fn remove_left(line: &Line) {
    let path = line.path.path();
    let ours = |found: &Stat| match line.id {
        Some(id) => found.id.inode == id.inode,
        // It had been made, and nothing had been written to it.
        None => found.bytes == 0 && found.names == 1,
    };
    // What cannot be removed now will not be missed.
    let _ = remove(&path, &ours);
}

fn remove(path: &Path, ours: &dyn Fn(&Stat) -> bool) -> io::Result<Removal> {
    let folder = RealFs.folder(&folder_of(path).canonicalize()?)?;
    folder.remove(path.file_name().unwrap_or_default(), ours)
}

impl Temporary {
    /// The file, to be written to, until it is closed.
    ///
    /// # Errors
    ///
    /// When it is closed.
    pub fn file(&self) -> io::Result<&File> {
        self.file.as_ref().ok_or(io::ErrorKind::NotFound.into())
    }

    /// Closes it: nothing more is written to it.
    pub fn close(&mut self) {
        self.file = None;
    }

    /// The path, absolute.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Gives it the name `path`, in the same folder, and replaces nothing.
    ///
    /// # Errors
    ///
    /// When that cannot be done, or something has this name; it is removed then.
    pub fn keep_as(mut self, path: &Path) -> io::Result<FileId> {
        use rustix::fs::{CWD, RenameFlags, renameat_with};
        use rustix::io::Errno;
        match renameat_with(CWD, &self.path, CWD, path, RenameFlags::NOREPLACE) {
            Err(Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) => {
                // A second name, where the file system can do no better.
                fs::hard_link(&self.path, path)?;
                return Ok(self.id);
            }
            renamed => renamed?,
        }
        self.is_kept = true;
        Ok(self.id)
    }

    /// Gives it the name `path`, in the same folder, in the place of what has this name.
    ///
    /// # Errors
    ///
    /// When that cannot be done; it is removed then.
    pub fn replace(mut self, path: &Path) -> io::Result<FileId> {
        fs::rename(&self.path, path)?;
        self.is_kept = true;
        Ok(self.id)
    }
}

impl Write for Temporary {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.file()?.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Drop for Temporary {
    fn drop(&mut self) {
        if !self.is_kept {
            let _ = remove(&self.path, &|found| found.id == self.id);
        }
        self.of.forget();
    }
}
