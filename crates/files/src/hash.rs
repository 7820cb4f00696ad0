//! Hashes of files, and of what is read or written.

use std::io::{self, Read, Write};

/// The hash of all that is read, in hexadecimal.
pub(crate) fn hash_of(from: impl Read) -> io::Result<String> {
    let mut hasher = blake3::Hasher::new();
    hasher.update_reader(from)?;
    Ok(hasher.finalize().to_hex().to_string())
}

/// Hashes all bytes that are read or written through it. That goes fast only in large parts, so it belongs behind a buffer.
#[derive(Debug)]
pub struct Hashing<T> {
    inner: T,
    hasher: blake3::Hasher,
}

impl<T> Hashing<T> {
    /// Nothing has passed yet.
    pub fn new(inner: T) -> Self {
        Self {
            inner,
            hasher: blake3::Hasher::new(),
        }
    }

    /// The hash of what has passed, and its length in bytes.
    pub fn hash(&self) -> (blake3::Hash, u64) {
        (self.hasher.finalize(), self.hasher.count())
    }

    /// The reader or writer itself.
    pub fn into_inner(self) -> T {
        self.inner
    }
}

impl<T: Read> Read for Hashing<T> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let n = self.inner.read(buffer)?;
        self.hasher.update(&buffer[..n]);
        Ok(n)
    }
}

impl<T: Write> Write for Hashing<T> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let n = self.inner.write(bytes)?;
        self.hasher.update(&bytes[..n]);
        Ok(n)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.inner.flush()
    }
}
