//! Owner, mode, extended attributes (access lists among them) and flags of files.

use rustix::fs::{Gid, IFlags, Mode, Uid};
use rustix::io::Errno;
use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::fs::File;
use std::io;
use std::os::fd::AsFd;
use std::os::unix::ffi::OsStrExt;
use xattr::FileExt;

/// Flags that say something about how a file is kept; the others report the file system.
const KEPT_FLAGS: IFlags = IFlags::NODUMP
    .union(IFlags::NOATIME)
    .union(IFlags::SYNC)
    .union(IFlags::COMPRESSED)
    .union(IFlags::NOCOW);
/// Flags with which a file may not be changed, or only be added to.
const MARKS: IFlags = IFlags::IMMUTABLE.union(IFlags::APPEND);

/// The name of the attribute that holds the capabilities of a program.
const CAPABILITY: &str = "security.capability";
/// The name of the attribute that a folder's default access list is handed down as.
const ACCESS_LIST: &str = "system.posix_acl_access";

/// All that a file is besides its bytes and its name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Attributes {
    owner: (u32, u32),
    mode: u32,
    extended: BTreeMap<OsString, Vec<u8>>,
    flags: IFlags,
}

impl Attributes {
    pub fn of(file: &File) -> io::Result<Self> {
        let found = rustix::fs::fstat(file)?;
        Ok(Self {
            owner: (found.st_uid, found.st_gid),
            mode: found.st_mode & 0o7777,
            extended: extended(file)?,
            flags: flags(file)? & KEPT_FLAGS,
        })
    }

    /// Gives a file these, no more and no less.
    pub fn give_to(&self, file: &File) -> io::Result<()> {
        let has = Self::of(file)?;
        if has.owner != self.owner {
            let owner = (Uid::from_raw(self.owner.0), Gid::from_raw(self.owner.1));
            rustix::fs::fchown(file, Some(owner.0), Some(owner.1))?;
        }
        // Changing the owner clears some mode bits, so the mode comes after it; an access list
        // says more than the mode, and comes after that.
        rustix::fs::fchmod(file, Mode::from_raw_mode(self.mode))?;
        let has = extended(file)?;
        for name in has.keys().filter(|name| !self.extended.contains_key(*name)) {
            file.remove_xattr(name)?;
        }
        for (name, value) in &self.extended {
            if has.get(name) != Some(value) {
                file.set_xattr(name, value)?;
            }
        }
        let now = flags(file)?;
        let wanted = now.difference(KEPT_FLAGS) | self.flags;
        if wanted != now {
            rustix::fs::ioctl_setflags(file, wanted)?;
        }
        Ok(())
    }

    pub fn hash(&self) -> blake3::Hash {
        let mut hasher = blake3::Hasher::new();
        let Self {
            owner: (user, group),
            mode,
            extended,
            flags,
        } = self;
        for number in [*user, *group, *mode, flags.bits()] {
            hasher.update(&number.to_le_bytes());
        }
        for part in extended
            .iter()
            .flat_map(|(name, value)| [name.as_bytes(), value])
        {
            hasher.update(&(part.len() as u64).to_le_bytes());
            hasher.update(part);
        }
        hasher.finalize()
    }

    pub fn has_capability(&self) -> bool {
        self.extended.contains_key(OsStr::new(CAPABILITY))
    }
}

/// Removes the access list that a folder has handed down to a new file.
pub(super) fn without_inherited(file: &File) -> io::Result<()> {
    match file.remove_xattr(ACCESS_LIST) {
        Err(error) if !says_none(&error) => Err(error),
        _ => Ok(()),
    }
}

/// True if there is no such attribute, or there can be none.
fn says_none(error: &io::Error) -> bool {
    let code = error.raw_os_error();
    let none = [Errno::NODATA, Errno::NOTSUP, Errno::NOSYS];
    error.kind() == io::ErrorKind::Unsupported
        || none.iter().any(|none| code == Some(none.raw_os_error()))
}

fn extended(file: &File) -> io::Result<BTreeMap<OsString, Vec<u8>>> {
    let names = match file.list_xattr() {
        Err(error) if says_none(&error) => return Ok(BTreeMap::new()),
        names => names?,
    };
    let mut all = BTreeMap::new();
    for name in names {
        if let Some(value) = file.get_xattr(&name)? {
            all.insert(name, value);
        }
    }
    Ok(all)
}

fn flags(file: impl AsFd) -> io::Result<IFlags> {
    match rustix::fs::ioctl_getflags(file) {
        // Not every file system has them.
        Err(Errno::NOTTY | Errno::NOTSUP | Errno::NOSYS | Errno::INVAL) => Ok(IFlags::empty()),
        flags => Ok(flags?),
    }
}

/// True if a file is marked so that it may not be changed, or only be added to.
pub(super) fn is_marked(file: impl AsFd) -> io::Result<bool> {
    Ok(flags(file)?.intersects(MARKS))
}
