//! Files kept in memory, for repeated reads.

use crate::fs::open::open_regular;
use std::collections::HashMap;
use std::fs::Metadata;
use std::io::{self, Read};
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Keeps files up to a size, as long as they do not change on disk.
///
/// ```
/// use brisk_quill_files::read::text_cache::TextCache;
/// use std::io::Read;
///
/// let folder = tempfile::tempdir()?;
/// let log = folder.path().join("gauge.log");
/// std::fs::write(&log, "0715 gauge L4\n")?;
/// let cache = TextCache::new(1 << 20);
/// for _ in 0..2 {
///     let mut text = String::new();
///     cache.open(&log).expect("it fits").read_to_string(&mut text)?;
///     assert_eq!(text, "0715 gauge L4\n");
/// }
/// assert_eq!(cache.bytes(), 14);
/// # Ok::<(), std::io::Error>(())
/// ```
#[derive(Debug)]
pub struct TextCache {
    /// Bytes kept at most.
    most: u64,
    kept: Mutex<Kept>,
}

#[derive(Debug, Default)]
struct Kept {
    texts: HashMap<PathBuf, KeptText>,
    bytes: u64,
}

#[derive(Debug)]
struct KeptText {
    identity: Identity,
    text: Arc<Vec<u8>>,
}

/// Tells whether a file is still the same.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Identity {
    device: u64,
    inode: u64,
    bytes: u64,
    /// The times of its last change, and of that of its attributes, in seconds and nanoseconds.
    modified: (i64, i64),
    changed: (i64, i64),
}

impl Identity {
    pub fn of(found: &Metadata) -> Self {
        Self {
            device: found.dev(),
            inode: found.ino(),
            bytes: found.len(),
            modified: (found.mtime(), found.mtime_nsec()),
            changed: (found.ctime(), found.ctime_nsec()),
        }
    }
}

/// A file that takes more than one this many parts of all that may be kept is not.
const SHARE: u64 = 4;

impl TextCache {
    /// Keeps at most this many bytes, and no file of more than a quarter of them.
    pub fn new(most: u64) -> Self {
        Self {
            most,
            kept: Mutex::default(),
        }
    }

    /// The bytes that are kept.
    pub fn bytes(&self) -> u64 {
        self.lock().bytes
    }

    fn lock(&self) -> MutexGuard<'_, Kept> {
        // A thread that panicked left it as it was.
        self.kept.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The text of a file as it is now; `None` where it is not kept, and must be read.
    pub fn open(&self, path: &Path) -> Option<CachedText> {
        let found = path.metadata().ok().filter(Metadata::is_file)?;
        let identity = Identity::of(&found);
        let mut kept = self.lock();
        if let Some(known) = kept.texts.get(path) {
            if known.identity == identity {
                return Some(CachedText::new(&known.text));
            }
            let gone = known.identity.bytes;
            kept.bytes -= gone;
            kept.texts.remove(path);
        }
        let fits = identity.bytes <= self.most / SHARE && kept.bytes + identity.bytes <= self.most;
        drop(kept);
        if !fits {
            return None;
        }
        let text = read(path, identity).ok()??;
        let mut kept = self.lock();
        if kept.bytes + identity.bytes <= self.most && !kept.texts.contains_key(path) {
            kept.bytes += identity.bytes;
            let text = Arc::clone(&text);
            kept.texts
                .insert(path.to_owned(), KeptText { identity, text });
        }
        Some(CachedText::new(&text))
    }
}

/// The text of a file; `None` where it changed meanwhile.
fn read(path: &Path, identity: Identity) -> io::Result<Option<Arc<Vec<u8>>>> {
    let mut file = open_regular(path)?;
    let mut text = Vec::with_capacity(usize::try_from(identity.bytes).unwrap_or(0));
    (&mut file)
        .take(identity.bytes + 1)
        .read_to_end(&mut text)?;
    let same = Identity::of(&file.metadata()?) == identity && text.len() as u64 == identity.bytes;
    Ok(same.then(|| Arc::new(text)))
}

/// A text that is kept, from its beginning.
pub struct CachedText {
    text: Arc<Vec<u8>>,
    at: usize,
}

impl CachedText {
    pub(super) fn new(text: &Arc<Vec<u8>>) -> Self {
        Self {
            text: Arc::clone(text),
            at: 0,
        }
    }
}

impl Read for CachedText {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = (&self.text[self.at..]).read(buffer)?;
        self.at += read;
        Ok(read)
    }
}
