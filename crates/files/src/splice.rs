//! A file's bytes with its changes made, computing nothing anew.

use crate::{Change, FileError, PlannedFile, Trouble};
use std::io::{self, Read, Write};
use std::path::Path;

/// How much is copied at a time, in bytes.
pub(crate) const CHUNK: usize = 1 << 18;

/// Why splicing stopped.
#[derive(Debug)]
pub enum SpliceError {
    /// The source is not what the changes were made from.
    Changed,
    /// The source could not be read.
    Read(io::Error),
    /// The output could not be written.
    Write(io::Error),
}

impl SpliceError {
    pub(crate) fn into_file_error(self, path: &Path) -> FileError {
        match self {
            Self::Changed => FileError::new(path, Trouble::Changed),
            Self::Read(error) => FileError::io(path, Trouble::Read, error),
            Self::Write(error) => FileError::io(path, Trouble::Write, error),
        }
    }
}

/// Copies `source` to `out` with the changes of `file` made, computing nothing anew.
///
/// # Errors
///
/// When the source does not hold the bytes that the plan was made from; what has been written to
/// `out` is void then.
pub fn splice_into(
    source: impl Read,
    file: &PlannedFile,
    out: &mut dyn Write,
) -> Result<(), SpliceError> {
    let mut source = Hashing::new(source);
    let mut buffer = vec![0; CHUNK];
    let mut at = 0;
    for change in file.changes.iter() {
        let change = change.map_err(SpliceError::Read)?;
        copy(&mut source, &mut buffer, change.from - at, out)?;
        replace_one(&mut source, &mut buffer, &change, out)?;
        at = change.to;
    }
    copy(&mut source, &mut buffer, file.facts.bytes - at, out)?;
    let extra = source.read(&mut [0]).map_err(SpliceError::Read)?;
    let (_, hash) = source.finish();
    if extra == 0 && Some(hash) == file.facts.hash {
        Ok(())
    } else {
        Err(SpliceError::Changed)
    }
}

fn replace_one(
    source: &mut impl Read,
    buffer: &mut [u8],
    change: &Change,
    out: &mut dyn Write,
) -> Result<(), SpliceError> {
    for expected in change.before.chunks(buffer.len()) {
        let found = &mut buffer[..expected.len()];
        source.read_exact(found).map_err(ended_early)?;
        if found != expected {
            return Err(SpliceError::Changed);
        }
    }
    out.write_all(&change.after).map_err(SpliceError::Write)
}

fn copy(
    source: &mut impl Read,
    buffer: &mut [u8],
    length: u64,
    out: &mut dyn Write,
) -> Result<(), SpliceError> {
    let mut left = length;
    while left > 0 {
        let size = usize::try_from(left)
            .unwrap_or(usize::MAX)
            .min(buffer.len());
        let chunk = &mut buffer[..size];
        source.read_exact(chunk).map_err(ended_early)?;
        out.write_all(chunk).map_err(SpliceError::Write)?;
        left -= size as u64;
    }
    Ok(())
}

fn ended_early(error: io::Error) -> SpliceError {
    match error.kind() {
        io::ErrorKind::UnexpectedEof => SpliceError::Changed,
        _ => SpliceError::Read(error),
    }
}

/// Hashes all that passes through.
pub(crate) struct Hashing<T> {
    inner: T,
    hasher: blake3::Hasher,
}

impl<T> Hashing<T> {
    pub(crate) fn new(inner: T) -> Self {
        Self {
            inner,
            hasher: blake3::Hasher::new(),
        }
    }

    pub(crate) fn finish(self) -> (T, blake3::Hash) {
        (self.inner, self.hasher.finalize())
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
