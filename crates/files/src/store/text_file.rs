//! Texts of files that are read at any place.

use crate::fs::Stat;
use crate::fs::open::{open_regular, regular};
use crate::signature::LOOKED_AT;
use crate::store::store_of::StoreOf;
use crate::store::unpacked::Unpacked;
use std::fs::File;
use std::io::{self, Read, Seek};
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// The text of a file: the file itself, or a temporary one into which it was unpacked.
#[derive(Clone, Debug)]
pub struct TextFile {
    file: Arc<File>,
    bytes: u64,
    /// The hash of the file that it was unpacked from.
    packed: Option<blake3::Hash>,
}

impl TextFile {
    /// Opens the text of a regular file.
    ///
    /// # Errors
    ///
    /// When it cannot be read, is not a regular file, or cannot be unpacked.
    pub fn open(path: &Path) -> io::Result<Self> {
        Self::of(open_regular(path)?)
    }

    fn of(mut file: File) -> io::Result<Self> {
        let mut head = Vec::new();
        (&file).take(LOOKED_AT as u64).read_to_end(&mut head)?;
        file.rewind()?;
        let (text, packed) = match StoreOf::head(&head).packed() {
            None => (file, None),
            Some(store) => {
                let mut text = tempfile::tempfile()?;
                let mut unpacked = Unpacked::new(store, file, false)?;
                io::copy(&mut unpacked, &mut text)?;
                (text, Some(unpacked.disk().hash().0))
            }
        };
        Ok(Self {
            bytes: text.metadata()?.len(),
            file: Arc::new(text),
            packed,
        })
    }

    /// The length of the text in bytes.
    pub fn bytes(&self) -> u64 {
        self.bytes
    }

    /// The bytes at an offset, as many as `into` takes.
    ///
    /// # Errors
    ///
    /// When there are not this many, or they cannot be read.
    pub fn read_exact_at(&self, into: &mut [u8], from: u64) -> io::Result<()> {
        self.file.read_exact_at(into, from)
    }

    /// The whole text, and the hash of the file.
    ///
    /// # Errors
    ///
    /// When it cannot be read.
    pub fn whole(&self) -> io::Result<(Vec<u8>, blake3::Hash)> {
        let mut text = vec![0; usize::try_from(self.bytes).map_err(io::Error::other)?];
        self.file.read_exact_at(&mut text, 0)?;
        let hash = self.packed.unwrap_or_else(|| blake3::hash(&text));
        Ok((text, hash))
    }
}

/// Opens texts of files; the one that was opened last is kept, as long as its file does not change.
#[derive(Debug, Default)]
pub struct TextFiles(Mutex<Option<(PathBuf, Stat, TextFile)>>);

impl TextFiles {
    /// Opens the text of a regular file.
    ///
    /// # Errors
    ///
    /// As [`TextFile::open`].
    pub fn open(&self, path: &Path) -> io::Result<TextFile> {
        let file = open_regular(path)?;
        let now = regular(&file)?;
        let mut last = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((known, seen, text)) = &*last
            && known == path
            && *seen == now
        {
            return Ok(text.clone());
        }
        let text = TextFile::of(file)?;
        *last = Some((path.to_owned(), now, text.clone()));
        Ok(text)
    }
}
