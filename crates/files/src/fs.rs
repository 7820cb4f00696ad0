//! What the run protocol asks of a file system: few enough operations that a model in memory can
//! stand in for it and be stopped after each.
//!
//! Note to the maintainer: whatever the protocol does to files goes through [`Fs`], or the crash
//! tests do not see it.

use crate::early_sync::EarlySync;
use rustix::fs::{Access, AtFlags, Gid, RenameFlags, Uid};
use std::fs::{self, File, OpenOptions, Permissions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::os::unix::fs::{DirBuilderExt, MetadataExt, OpenOptionsExt, PermissionsExt};
use std::path::{Path, PathBuf};

/// What tells one file, and one state of it, from another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Stat {
    /// The device it lies on.
    pub device: u64,
    /// Its number there.
    pub inode: u64,
    /// Its length in bytes.
    pub bytes: u64,
    /// When it was last written, in seconds and nanoseconds.
    pub written: (i64, i64),
    /// How many names it has.
    pub names: u64,
}

/// A file system.
pub trait Fs: Sync {
    /// Where a name leads, links followed.
    fn resolve(&self, path: &Path) -> io::Result<PathBuf> {
        Ok(path.to_owned())
    }
    /// How many threads may sync at a time, at most `wanted`.
    fn sync_threads(&self, wanted: usize) -> usize {
        wanted
    }
    /// What is known of the file at `path`, links followed.
    fn stat(&self, path: &Path) -> io::Result<Stat>;
    /// The bytes of a file from its beginning.
    fn read(&self, path: &Path) -> io::Result<Box<dyn Read + '_>>;
    /// A new file, which must not be there, readable by the owner alone. It must be flushed:
    /// that may fail, too.
    fn create(&self, path: &Path) -> io::Result<Box<dyn Write + '_>>;
    /// A file to be written on at its end.
    fn append(&self, path: &Path) -> io::Result<Box<dyn Write + '_>>;
    /// Cuts a file to a length, and syncs it.
    fn truncate(&self, path: &Path, length: u64) -> io::Result<()>;
    /// Replaces the bytes of a file where it stands by those of another, and syncs it.
    fn overwrite(&self, path: &Path, with: &Path) -> io::Result<()>;
    /// Gives `copy` the owner, the mode and the attributes of `like`.
    fn dress(&self, copy: &Path, like: &Path) -> io::Result<()>;
    /// Brings a file's bytes to the disk.
    fn sync(&self, path: &Path) -> io::Result<()>;
    /// Brings a folder's names to the disk.
    fn sync_folder(&self, path: &Path) -> io::Result<()>;
    /// Exchanges two names in one step.
    fn exchange(&self, one: &Path, other: &Path) -> io::Result<()>;
    /// Removes a name.
    fn remove(&self, path: &Path) -> io::Result<()>;
    /// Makes a folder that must not be there, for the owner alone.
    fn make_folder(&self, path: &Path) -> io::Result<()>;
    /// The names in a folder.
    fn list(&self, path: &Path) -> io::Result<Vec<String>>;
    /// Whether a file must be written where it stands, because putting another in its place
    /// would lose something: it has several names, is a mount point, belongs to somebody else,
    /// or its folder cannot be written.
    fn must_stand(&self, path: &Path) -> io::Result<bool>;
    /// Whether a file may be written.
    fn check_writable(&self, path: &Path) -> io::Result<()>;
}

/// The folder a file lies in.
pub(crate) fn folder_of(path: &Path) -> PathBuf {
    match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.to_owned(),
        _ => PathBuf::from("."),
    }
}

/// The file system of this machine.
#[derive(Clone, Copy, Debug, Default)]
pub struct RealFs;

/// Ends the program at once, as a power cut would, at the operation whose number the environment
/// names.
#[cfg(feature = "stop-at")]
fn stop_point() {
    use std::sync::atomic::{AtomicU64, Ordering};
    static DONE: AtomicU64 = AtomicU64::new(0);
    let done = DONE.fetch_add(1, Ordering::SeqCst) + 1;
    let wanted = std::env::var("BQUILL_STOP_AT")
        .ok()
        .and_then(|n| n.parse().ok());
    if wanted == Some(done) {
        std::process::abort();
    }
}

#[cfg(not(feature = "stop-at"))]
fn stop_point() {}

impl Fs for RealFs {
    fn resolve(&self, path: &Path) -> io::Result<PathBuf> {
        path.canonicalize()
    }

    fn stat(&self, path: &Path) -> io::Result<Stat> {
        let found = fs::metadata(path)?;
        Ok(Stat {
            device: found.dev(),
            inode: found.ino(),
            bytes: found.size(),
            written: (found.mtime(), found.mtime_nsec()),
            names: found.nlink(),
        })
    }

    fn read(&self, path: &Path) -> io::Result<Box<dyn Read + '_>> {
        Ok(Box::new(File::open(path)?))
    }

    fn create(&self, path: &Path) -> io::Result<Box<dyn Write + '_>> {
        stop_point();
        let file = OpenOptions::new()
            .write(true)
            .create_new(true)
            .mode(0o600)
            .open(path)?;
        Ok(Box::new(EarlySync::new(file)))
    }

    fn append(&self, path: &Path) -> io::Result<Box<dyn Write + '_>> {
        stop_point();
        Ok(Box::new(OpenOptions::new().append(true).open(path)?))
    }

    fn truncate(&self, path: &Path, length: u64) -> io::Result<()> {
        stop_point();
        let file = OpenOptions::new().write(true).open(path)?;
        file.set_len(length)?;
        file.sync_all()
    }

    fn overwrite(&self, path: &Path, with: &Path) -> io::Result<()> {
        stop_point();
        let mut source = File::open(with)?;
        let mut target = OpenOptions::new().write(true).open(path)?;
        target.seek(SeekFrom::Start(0))?;
        let bytes = io::copy(&mut source, &mut target)?;
        target.set_len(bytes)?;
        target.sync_all()
    }

    fn dress(&self, copy: &Path, like: &Path) -> io::Result<()> {
        stop_point();
        let (wanted, made) = (fs::metadata(like)?, fs::metadata(copy)?);
        if (made.uid(), made.gid()) != (wanted.uid(), wanted.gid()) {
            let owner = (Uid::from_raw(wanted.uid()), Gid::from_raw(wanted.gid()));
            rustix::fs::chown(copy, Some(owner.0), Some(owner.1))?;
        }
        // After the owner, because changing that clears some mode bits.
        fs::set_permissions(copy, Permissions::from_mode(wanted.mode() & 0o7777))?;
        // Access lists are attributes too.
        let names = match xattr::list(like) {
            Ok(names) => names,
            Err(error) if error.kind() == io::ErrorKind::Unsupported => return Ok(()),
            Err(error) => return Err(error),
        };
        for name in names {
            if let Some(value) = xattr::get(like, &name)? {
                xattr::set(copy, &name, &value)?;
            }
        }
        Ok(())
    }

    fn sync(&self, path: &Path) -> io::Result<()> {
        stop_point();
        File::open(path)?.sync_all()
    }

    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        stop_point();
        File::open(path)?.sync_all()
    }

    fn exchange(&self, one: &Path, other: &Path) -> io::Result<()> {
        stop_point();
        let here = rustix::fs::CWD;
        let exchanged = rustix::fs::renameat_with(here, one, here, other, RenameFlags::EXCHANGE);
        match exchanged {
            // Where the file system cannot: a second name keeps what is replaced.
            Err(
                rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS | rustix::io::Errno::NOTSUP,
            ) => {
                let kept = second_name(one);
                rustix::fs::linkat(here, other, here, &kept, AtFlags::empty())?;
                fs::rename(one, other)?;
                fs::rename(&kept, one)
            }
            done => Ok(done?),
        }
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        stop_point();
        fs::remove_file(path)
    }

    fn make_folder(&self, path: &Path) -> io::Result<()> {
        stop_point();
        fs::DirBuilder::new().mode(0o700).create(path)
    }

    fn list(&self, path: &Path) -> io::Result<Vec<String>> {
        let names = fs::read_dir(path)?.map(|entry| Ok(entry?.file_name()));
        let names: io::Result<Vec<_>> = names.collect();
        Ok(names?
            .into_iter()
            .filter_map(|name| name.into_string().ok())
            .collect())
    }

    fn must_stand(&self, path: &Path) -> io::Result<bool> {
        let file = fs::metadata(path)?;
        let folder = folder_of(path);
        let around = fs::metadata(&folder)?;
        let me = rustix::process::geteuid();
        let strange = file.uid() != me.as_raw() && !me.is_root();
        Ok(file.nlink() > 1
            || file.dev() != around.dev()
            || strange
            || rustix::fs::access(&folder, Access::WRITE_OK).is_err())
    }

    fn check_writable(&self, path: &Path) -> io::Result<()> {
        // Renaming would need only the folder's permission; the file's own says what its owner
        // wants.
        Ok(rustix::fs::access(path, Access::WRITE_OK)?)
    }
}

/// The name under which a replaced file is kept for a moment, where names cannot be exchanged.
pub(crate) fn second_name(staged: &Path) -> PathBuf {
    let mut name = staged.as_os_str().to_owned();
    name.push("-kept");
    name.into()
}
