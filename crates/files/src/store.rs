//! The ways in which a text lies in a file: as it is, compressed, or as the rows of a container.
//!
//! Note to the maintainer. A [`Store`] stands between the bytes on disk and the bytes of a text. Everything that
//! reads or writes a text goes through it: offsets of changes are those of the text that the store gives, hashes
//! and lengths are those of the file. What is decoded further, from an encoding to UTF-8, is the matter of
//! [`TextMap`](crate::text_map::TextMap), above the store.
//!
//! A kind of store is a file below this one, and a line in `ALL` of `store_of.rs`.

pub mod database;
pub mod gzip;
pub mod in_use;
mod lines;
#[cfg(feature = "parquet")]
pub mod parquet;
pub mod store_of;
pub mod text_file;
pub mod unpacked;
mod whole;
pub mod workbook;
pub mod zstandard;

use std::io::{self, BufRead, Write};

/// A way in which texts are packed into files.
pub trait Store: Sync {
    /// The name in records.
    fn name(&self) -> &'static str;

    /// The bytes that each file of this store begins with.
    fn magic(&self) -> &'static [u8];

    /// True if a file that begins with `head` is of this store.
    fn holds(&self, head: &[u8]) -> bool {
        head.starts_with(self.magic())
    }

    /// The last ending of the names of its files, where the one before says what the text is.
    fn ending(&self) -> Option<&'static str> {
        None
    }

    /// True if the text is made of rows, and is not text for anybody but those who look at columns.
    fn is_table(&self) -> bool {
        false
    }

    /// The same store, which lets triggers of its tables change more than is shown; `None` where there is none.
    fn permitting_triggers(&self) -> Option<&'static dyn Store> {
        None
    }

    /// Endings that name files beside one of this store, in which a program that is at work keeps what belongs
    /// into it.
    fn beside(&self) -> &'static [&'static str] {
        &[]
    }

    /// Bytes of the beginning of a file that [`Store::pack`] needs to know: of one with tables, all.
    fn head_kept(&self) -> usize {
        match self.is_table() {
            true => usize::MAX,
            false => 1 << 16,
        }
    }

    /// True if [`Store::lossy`] looks at them too, whether or not the file is written again.
    fn judges_head(&self) -> bool {
        true
    }

    /// Reads the text out of the bytes on disk.
    ///
    /// # Errors
    ///
    /// When they do not begin as they must.
    fn unpack<'d>(&self, disk: Box<dyn BufRead + 'd>) -> io::Result<Box<dyn io::Read + 'd>>;

    /// Writes a text to `out` in the manner of a file that begins with `head`.
    ///
    /// # Errors
    ///
    /// When `head` is not the beginning of such a file, or nothing can be written.
    fn pack<'o>(
        &self,
        head: &[u8],
        out: Box<dyn Write + Send + 'o>,
    ) -> io::Result<Box<dyn Pack + 'o>>;

    /// Why a file that begins with `head` cannot be written again without loss, where that is so. The sentence
    /// goes on after "the file".
    fn lossy(&self, head: &[u8]) -> Option<&'static str> {
        let _ = head;
        None
    }

    /// The same as the last bytes of the file say.
    fn lossy_at_end(&self, tail: &[u8]) -> Option<&'static str> {
        let _ = tail;
        None
    }
}

/// A sentence about a file of a store, which goes on after "the file".
#[derive(Debug, thiserror::Error)]
#[error("{0}")]
pub struct Told(pub String);

impl Told {
    /// The sentence as an error.
    pub fn error(sentence: impl Into<String>) -> io::Error {
        io::Error::new(io::ErrorKind::InvalidData, Self(sentence.into()))
    }
}

/// A text being packed.
pub trait Pack: Write + Send {
    /// Writes what ends it; without that the file is cut off.
    ///
    /// # Errors
    ///
    /// When it cannot be written.
    fn end(self: Box<Self>) -> io::Result<()>;
}
