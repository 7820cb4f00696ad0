//! Files that another program has open, and what it keeps beside them.

use crate::store::{Store, Told};
use rustix::process::{Flock, FlockType, fcntl_getlk};
use std::ffi::OsString;
use std::fs::{self, File};
use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// Fails where a program keeps a part of the file at `path` in another one beside it.
///
/// # Errors
///
/// A sentence that goes on after the name of the file.
pub fn check_whole(store: &dyn Store, path: &Path) -> io::Result<()> {
    let other = store.beside().iter().map(|ending| {
        let mut name: OsString = path.as_os_str().to_owned();
        name.push(ending);
        PathBuf::from(name)
    });
    let mut others = other.filter(|other| other.metadata().is_ok_and(|found| found.len() > 0));
    let Some(other) = others.next() else {
        return Ok(());
    };
    let name = other
        .file_name()
        .unwrap_or_default()
        .to_string_lossy()
        .into_owned();
    Err(Told::error(format!(
        "a part of it is still in {name}: close the program that uses it, which puts that back"
    )))
}

/// Fails where another program has the file at `path` open, or has locked it, or keeps a part of it elsewhere: what it
/// wrote after the file was replaced would be lost.
///
/// Programs of other users can be seen only by their locks.
///
/// # Errors
///
/// A sentence that goes on after the name of the file.
pub fn check_alone(store: &dyn Store, path: &Path) -> io::Result<()> {
    if store.beside().is_empty() {
        return Ok(());
    }
    check_whole(store, path)?;
    let file = File::open(path)?;
    let wanted = Flock::from(FlockType::WriteLock);
    if let Some(lock) = fcntl_getlk(&file, &wanted)? {
        return Err(in_use(lock.pid.map(|pid| pid.as_raw_nonzero().get())));
    }
    let id = file.metadata().map(|found| (found.dev(), found.ino()))?;
    drop(file);
    match program_with(id) {
        Some(pid) => Err(in_use(Some(pid))),
        None => Ok(()),
    }
}

fn in_use(pid: Option<i32>) -> io::Error {
    let who = match pid {
        Some(pid) => match fs::read_to_string(format!("/proc/{pid}/comm")) {
            Ok(name) => format!("{} (process {pid})", name.trim()),
            Err(_) => format!("process {pid}"),
        },
        None => "another program".to_owned(),
    };
    Told::error(format!("{who} has it open: close that program first"))
}

/// Another process that has the file of this device and number open.
fn program_with(id: (u64, u64)) -> Option<i32> {
    let own = i32::try_from(std::process::id()).ok();
    let processes = fs::read_dir("/proc").ok()?.filter_map(Result::ok);
    let numbers = processes.filter_map(|entry| entry.file_name().to_str()?.parse().ok());
    let mut others = numbers.filter(|pid| Some(*pid) != own);
    others.find(|pid: &i32| {
        let open = fs::read_dir(format!("/proc/{pid}/fd"))
            .into_iter()
            .flatten();
        let mut files = open.filter_map(|entry| fs::metadata(entry.ok()?.path()).ok());
        files.any(|found| (found.dev(), found.ino()) == id)
    })
}
