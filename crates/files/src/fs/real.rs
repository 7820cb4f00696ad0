//! The file system of this machine.

use crate::early_sync::EarlySync;
use crate::fs::attributes::{Attributes, is_marked, without_inherited};
use crate::fs::open::{AT_ONCE, folder_without_links, id, regular, state};
use crate::fs::{
    Confinement, FileId, Folder, Fs, LeadsElsewhere, Place, ReadFile, Removal, Replacing, Stat,
    folder_of, second_name,
};
use rustix::fs::{Access, AtFlags, Mode, OFlags, RawDir, RenameFlags, StatxFlags};
use rustix::io::Errno;
use std::ffi::{OsStr, OsString};
use std::fs::{self, File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::mem::MaybeUninit;
use std::os::fd::{AsFd, BorrowedFd, OwnedFd};
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Folders that are kept open at a time; the others are opened again for each operation.
const OPEN_MOST: usize = 64;

/// The file system of this machine.
#[derive(Clone, Copy, Debug, Default)]
pub struct RealFs;

/// The operation to stop at, from 1; 0 is none.
#[cfg(feature = "stop-at")]
static STOP_AT: std::sync::atomic::AtomicU64 = std::sync::atomic::AtomicU64::new(0);

/// Makes the program end at an operation of this file system, from 1, as a power cut would. Without the feature
/// `stop-at`, which only tests have, nothing happens.
pub fn stop_at(operation: u64) {
    #[cfg(feature = "stop-at")]
    STOP_AT.store(operation, Ordering::SeqCst);
    #[cfg(not(feature = "stop-at"))]
    let _ = operation;
}

#[cfg(feature = "stop-at")]
fn stop_point() {
    use std::sync::atomic::AtomicU64;
    static DONE: AtomicU64 = AtomicU64::new(0);
    let done = DONE.fetch_add(1, Ordering::SeqCst) + 1;
    if STOP_AT.load(Ordering::SeqCst) == done {
        std::process::abort();
    }
}

#[cfg(not(feature = "stop-at"))]
fn stop_point() {}

impl Fs for RealFs {
    fn resolve(&self, path: &Path) -> io::Result<PathBuf> {
        path.canonicalize()
    }

    fn random(&self) -> io::Result<u128> {
        let mut bytes = [0; 16];
        let flags = rustix::rand::GetRandomFlags::empty();
        let filled = rustix::rand::getrandom(bytes.as_mut_slice(), flags)?;
        match filled == bytes.len() {
            true => Ok(u128::from_le_bytes(bytes)),
            false => Err(io::ErrorKind::UnexpectedEof.into()),
        }
    }

    fn folder(&self, path: &Path) -> io::Result<Arc<dyn Folder>> {
        Ok(Arc::new(RealFolder::open(path)?))
    }

    fn locate(&self, path: &Path, confinement: &Confinement) -> io::Result<Place> {
        let (real, exact) = match confinement {
            Confinement::AsEvaluated(Some(real)) => (real.clone(), true),
            Confinement::AsEvaluated(None) => {
                // Whoever puts a link there later is found out here.
                folder_without_links(&folder_of(path))?;
                let name = path.file_name().ok_or(io::ErrorKind::InvalidInput)?;
                (folder_of(path).canonicalize()?.join(name), false)
            }
            Confinement::Below(root) => {
                let real = root.join(path).canonicalize()?;
                match real.starts_with(root.canonicalize()?) {
                    true => (real, false),
                    false => return Err(LeadsElsewhere::error()),
                }
            }
        };
        if exact && path.canonicalize()? != real {
            return Err(LeadsElsewhere::error());
        }
        let name = real.file_name().ok_or(io::ErrorKind::InvalidInput)?;
        Ok(Place {
            folder: self.folder(&folder_of(&real))?,
            name: name.to_owned(),
        })
    }

    fn read(&self, path: &Path) -> io::Result<Box<dyn Read + '_>> {
        Ok(Box::new(crate::fs::open::open_regular(path)?))
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

    fn sync(&self, path: &Path) -> io::Result<()> {
        stop_point();
        File::open(path)?.sync_all()
    }

    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        stop_point();
        File::open(path)?.sync_all()
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        stop_point();
        fs::remove_file(path)
    }

    fn make_folder(&self, path: &Path) -> io::Result<()> {
        stop_point();
        fs::DirBuilder::new().mode(0o700).create(path)
    }

    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        stop_point();
        fs::remove_dir(path)
    }

    fn list(&self, path: &Path) -> io::Result<Vec<String>> {
        let names = fs::read_dir(path)?.map(|entry| Ok(entry?.file_name()));
        let names: io::Result<Vec<_>> = names.collect();
        Ok(names?
            .into_iter()
            .filter_map(|name| name.into_string().ok())
            .collect())
    }
}

/// A folder of this machine. Few are kept open, and the others known by their path and number:
/// where another folder has come to lie there, nothing is done in it.
struct RealFolder {
    path: PathBuf,
    id: FileId,
    open: Option<Kept>,
}

/// A folder that counts among those that are open.
struct Kept(OwnedFd);

static OPEN: AtomicUsize = AtomicUsize::new(0);

impl Kept {
    fn new(folder: OwnedFd) -> Option<Self> {
        if OPEN.fetch_add(1, Ordering::Relaxed) < OPEN_MOST {
            return Some(Self(folder));
        }
        OPEN.fetch_sub(1, Ordering::Relaxed);
        None
    }
}

impl Drop for Kept {
    fn drop(&mut self) {
        OPEN.fetch_sub(1, Ordering::Relaxed);
    }
}

/// The descriptor of a folder: the one that was kept, or a new one.
enum Descriptor<'f> {
    Kept(BorrowedFd<'f>),
    New(OwnedFd),
}

impl AsFd for Descriptor<'_> {
    fn as_fd(&self) -> BorrowedFd<'_> {
        match self {
            Self::Kept(folder) => *folder,
            Self::New(folder) => folder.as_fd(),
        }
    }
}

impl RealFolder {
    fn open(path: &Path) -> io::Result<Self> {
        let folder = folder_without_links(path)?;
        Ok(Self {
            path: path.to_owned(),
            id: id(&rustix::fs::fstat(&folder)?),
            open: Kept::new(folder),
        })
    }

    fn descriptor(&self) -> io::Result<Descriptor<'_>> {
        if let Some(Kept(folder)) = &self.open {
            return Ok(Descriptor::Kept(folder.as_fd()));
        }
        let folder = folder_without_links(&self.path)?;
        match id(&rustix::fs::fstat(&folder)?) == self.id {
            true => Ok(Descriptor::New(folder)),
            false => Err(LeadsElsewhere::error()),
        }
    }

    /// Opens a regular file, and gives its state.
    fn file(&self, name: &OsStr, how: OFlags) -> io::Result<(File, Stat)> {
        let opened = rustix::fs::openat(self.descriptor()?, name, how | AT_ONCE, Mode::empty());
        let opened = match opened {
            Err(Errno::LOOP) => return Err(LeadsElsewhere::error()),
            // A pipe that nobody reads, or a socket.
            Err(Errno::NXIO) => return Err(super::NotRegular::error()),
            opened => opened?,
        };
        let found = regular(&opened)?;
        Ok((opened.into(), found))
    }

    /// The same of a file that must be `id`. It lies in this folder, so its device is that of the
    /// folder, whose number may have changed since it was recorded.
    fn known(&self, name: &OsStr, id: FileId, how: OFlags) -> io::Result<File> {
        let (file, found) = self.file(name, how)?;
        match found.id.inode == id.inode {
            true => Ok(file),
            false => Err(LeadsElsewhere::error()),
        }
    }

    /// True if a file is mounted where it stands.
    fn is_mount_point(&self, folder: &Descriptor<'_>, name: &OsStr) -> io::Result<bool> {
        let wanted = StatxFlags::MNT_ID;
        let file = rustix::fs::statx(folder, name, AtFlags::SYMLINK_NOFOLLOW, wanted)?;
        let around = rustix::fs::statx(folder, "", AtFlags::EMPTY_PATH, wanted)?;
        let device = |found: &rustix::fs::Statx| (found.stx_dev_major, found.stx_dev_minor);
        let known = [&file, &around]
            .iter()
            .all(|found| found.stx_mask & wanted.bits() != 0);
        Ok(device(&file) != device(&around) || known && file.stx_mnt_id != around.stx_mnt_id)
    }
}

/// An opened file.
struct Opened(File);

impl Read for Opened {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        self.0.read(buffer)
    }
}

impl ReadFile for Opened {
    fn stat(&self) -> io::Result<Stat> {
        regular(&self.0)
    }
}

impl Folder for RealFolder {
    fn path(&self) -> &Path {
        &self.path
    }

    fn id(&self) -> FileId {
        self.id
    }

    fn is_at_its_path(&self) -> bool {
        let found = folder_without_links(&self.path).and_then(|f| Ok(rustix::fs::fstat(f)?));
        found.is_ok_and(|found| id(&found) == self.id)
    }

    fn stat(&self, name: &OsStr) -> io::Result<Stat> {
        let found = rustix::fs::statat(self.descriptor()?, name, AtFlags::SYMLINK_NOFOLLOW)?;
        state(&found)
    }

    fn read(&self, name: &OsStr) -> io::Result<Box<dyn ReadFile + '_>> {
        Ok(Box::new(Opened(self.file(name, OFlags::RDONLY)?.0)))
    }

    fn create(&self, name: &OsStr) -> io::Result<FileId> {
        stop_point();
        let how = OFlags::WRONLY | OFlags::CREATE | OFlags::EXCL | AT_ONCE;
        let mode = Mode::RUSR | Mode::WUSR;
        let file: File = rustix::fs::openat(self.descriptor()?, name, how, mode)?.into();
        without_inherited(&file)?;
        Ok(regular(&file)?.id)
    }

    fn write(&self, name: &OsStr, id: FileId) -> io::Result<Box<dyn Write + '_>> {
        stop_point();
        let file = self.known(name, id, OFlags::WRONLY)?;
        Ok(Box::new(EarlySync::new(file)))
    }

    fn copy_attributes(&self, from: &OsStr, to: &OsStr, id: FileId) -> io::Result<blake3::Hash> {
        stop_point();
        let attributes = Attributes::of(&self.file(from, OFlags::RDONLY)?.0)?;
        attributes.give_to(&self.known(to, id, OFlags::WRONLY)?)?;
        Ok(attributes.hash())
    }

    fn attributes(&self, name: &OsStr) -> io::Result<blake3::Hash> {
        Ok(Attributes::of(&self.file(name, OFlags::RDONLY)?.0)?.hash())
    }

    fn sync_file(&self, name: &OsStr) -> io::Result<()> {
        stop_point();
        self.file(name, OFlags::RDONLY)?.0.sync_all()
    }

    fn sync(&self) -> io::Result<()> {
        stop_point();
        Ok(rustix::fs::fsync(self.descriptor()?)?)
    }

    fn overwrite(&self, name: &OsStr, id: FileId, with: &mut dyn Read) -> io::Result<()> {
        stop_point();
        let mut file = self.known(name, id, OFlags::WRONLY)?;
        let attributes = Attributes::of(&file)?;
        file.seek(SeekFrom::Start(0))?;
        let bytes = io::copy(with, &mut file)?;
        file.set_len(bytes)?;
        // Writing takes away what lets a program run as another user.
        if Attributes::of(&file)? != attributes {
            attributes.give_to(&file)?;
        }
        file.sync_all()
    }

    fn exchange(&self, one: &OsStr, other: &OsStr) -> io::Result<()> {
        stop_point();
        let here = &self.descriptor()?;
        let exchanged = rustix::fs::renameat_with(here, one, here, other, RenameFlags::EXCHANGE);
        match exchanged {
            // Where the file system cannot: a second name keeps what is replaced.
            Err(Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) => {
                let kept = second_name(one);
                rustix::fs::linkat(here, other, here, &kept, AtFlags::empty())?;
                rustix::fs::renameat(here, one, here, other)?;
                Ok(rustix::fs::renameat(here, &kept, here, one)?)
            }
            done => Ok(done?),
        }
    }

    fn remove(&self, name: &OsStr, ours: &dyn Fn(&Stat) -> bool) -> io::Result<Removal> {
        stop_point();
        let here = self.descriptor()?;
        let found = match rustix::fs::statat(&here, name, AtFlags::SYMLINK_NOFOLLOW) {
            Err(Errno::NOENT) => return Ok(Removal::Missing),
            found => found?,
        };
        match state(&found) {
            Ok(found) if ours(&found) => {
                rustix::fs::unlinkat(here, name, AtFlags::empty())?;
                Ok(Removal::Removed)
            }
            _ => Ok(Removal::NotOurs),
        }
    }

    fn list(&self) -> io::Result<Vec<OsString>> {
        let again = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let folder = rustix::fs::openat(self.descriptor()?, ".", again, Mode::empty())?;
        let mut memory = [MaybeUninit::uninit(); 8192];
        let mut entries = RawDir::new(folder, &mut memory);
        let mut names = Vec::new();
        while let Some(entry) = entries.next() {
            names.push(OsStr::from_bytes(entry?.file_name().to_bytes()).to_owned());
        }
        Ok(names)
    }

    fn replacing(&self, name: &OsStr) -> io::Result<Replacing> {
        let (file, found) = self.file(name, OFlags::RDONLY)?;
        if is_marked(&file)? {
            return Ok(Replacing::Marked);
        }
        let here = self.descriptor()?;
        let me = rustix::process::geteuid();
        let is_strange = found.owner.0 != me.as_raw() && !me.is_root();
        // What may not be read cannot be synced.
        let folder_is_closed = || {
            let (wanted, flags) = (Access::WRITE_OK | Access::READ_OK, AtFlags::EACCESS);
            rustix::fs::accessat(&here, ".", wanted, flags).is_err()
        };
        let in_place = found.names > 1
            || is_strange
            || !me.is_root() && !is_my_group(found.owner.1)?
            || self.is_mount_point(&here, name)?
            || folder_is_closed();
        if !me.is_root() && Attributes::of(&file)?.has_capability() {
            return Ok(Replacing::Capability);
        }
        Ok(match in_place {
            true => Replacing::InPlace,
            false => Replacing::Exchange,
        })
    }

    fn check_writable(&self, name: &OsStr) -> io::Result<()> {
        // Renaming would need only the folder's permission; the file's own says what its owner
        // wants.
        let (here, flags) = (self.descriptor()?, AtFlags::EACCESS);
        Ok(rustix::fs::accessat(here, name, Access::WRITE_OK, flags)?)
    }
}

/// True if this user may give a file to the group.
fn is_my_group(group: u32) -> io::Result<bool> {
    let mine = rustix::process::getgroups()?;
    let own = rustix::process::getegid();
    Ok(own.as_raw() == group || mine.iter().any(|mine| mine.as_raw() == group))
}
