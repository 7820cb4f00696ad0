//! A file's bytes with its changes made, computing nothing anew.

use crate::change::Change;
use crate::error::{FileError, FileErrorKind};
use crate::hash::Hashing;
use crate::plan::PlannedFile;
use crate::store::Store;
use crate::store::unpacked::Unpacked;
use std::io::{self, BufRead, BufReader, Read, Write};
use std::path::Path;

/// Bytes copied at a time.
pub(crate) const CHUNK: usize = 1 << 18;

/// Why splicing stopped.
#[derive(Debug)]
pub enum SpliceError {
    /// The source is not what the changes were made from.
    Changed,
    /// The source cannot be written again as it is packed.
    Lossy(&'static str),
    /// The source could not be read.
    Read(io::Error),
    /// The output could not be written.
    Write(io::Error),
}

impl SpliceError {
    pub(crate) fn into_file_error(self, path: &Path) -> FileError {
        match self {
            Self::Changed => FileError::new(path, FileErrorKind::Changed),
            Self::Lossy(why) => FileError::new(path, FileErrorKind::Lossy(why)),
            Self::Read(error) => FileError::io(path, FileErrorKind::Read, error),
            Self::Write(error) => FileError::io(path, FileErrorKind::Write, error),
        }
    }
}

/// Copies the text of `source` to `out` with the changes of `file` made, computing nothing anew.
///
/// # Errors
///
/// When the source does not hold the bytes that the plan was made from; what has been written to
/// `out` is void then.
pub fn splice_text(
    source: impl Read,
    file: &PlannedFile,
    out: &mut dyn Write,
) -> Result<(), SpliceError> {
    let Some(store) = file.facts.store.packed() else {
        return splice_plain(source, file, out);
    };
    splice_packed(unpack(store, source)?, file, out).map(drop)
}

/// Copies `source` to `out` with the changes of `file` made, in the store of `source`.
///
/// # Errors
///
/// When the source does not hold the bytes that the plan was made from, or cannot be written again
/// without loss; what has been written to `out` is void then.
pub fn splice_into(
    source: impl Read,
    file: &PlannedFile,
    out: &mut (dyn Write + Send),
) -> Result<(), SpliceError> {
    let Some(store) = file.facts.store.packed() else {
        return splice_plain(source, file, out);
    };
    let text = unpack(store, source)?;
    let head = text.disk().head();
    if let Some(why) = store.lossy(&head) {
        return Err(SpliceError::Lossy(why));
    }
    let mut packed = store
        .pack(&head, Box::new(out))
        .map_err(SpliceError::Write)?;
    let tail = splice_packed(text, file, &mut packed)?;
    match store.lossy_at_end(&tail) {
        Some(why) => Err(SpliceError::Lossy(why)),
        None => packed.end().map_err(SpliceError::Write),
    }
}

fn unpack<'s>(store: &dyn Store, source: impl Read + 's) -> Result<Unpacked<'s>, SpliceError> {
    // What was text when it was evaluated, and is none now, has changed.
    Unpacked::new(store, source, true).map_err(ended_early)
}

fn splice_plain(
    source: impl Read,
    file: &PlannedFile,
    out: &mut dyn Write,
) -> Result<(), SpliceError> {
    // Hashing goes fast only in large parts.
    let mut source = BufReader::with_capacity(CHUNK, Hashing::new(source));
    let at = make_changes(&mut source, file, out)?;
    copy(&mut source, file.facts.bytes - at, out)?;
    let extra = source.fill_buf().map_err(SpliceError::Read)?;
    let ends = extra.is_empty();
    let (hash, _) = source.get_ref().hash();
    match ends && Some(hash) == file.facts.hash {
        true => Ok(()),
        false => Err(SpliceError::Changed),
    }
}

/// Gives the last bytes of the file.
fn splice_packed(
    text: Unpacked<'_>,
    file: &PlannedFile,
    out: &mut dyn Write,
) -> Result<Vec<u8>, SpliceError> {
    let disk = text.disk();
    let mut text = BufReader::with_capacity(CHUNK, text);
    make_changes(&mut text, file, out)?;
    loop {
        let part = text.fill_buf().map_err(ended_early)?;
        if part.is_empty() {
            break;
        }
        out.write_all(part).map_err(SpliceError::Write)?;
        let done = part.len();
        text.consume(done);
    }
    let (hash, bytes) = disk.hash();
    match Some(hash) == file.facts.hash && bytes == file.facts.bytes {
        true => Ok(disk.tail()),
        false => Err(SpliceError::Changed),
    }
}

/// Gives the end of the last change, where the rest begins.
fn make_changes(
    source: &mut impl BufRead,
    file: &PlannedFile,
    out: &mut dyn Write,
) -> Result<u64, SpliceError> {
    let mut at = 0;
    for change in file.changes.iter() {
        let change = change.map_err(SpliceError::Read)?;
        copy(source, change.from - at, out)?;
        replace_one(source, &change, out)?;
        at = change.to;
    }
    Ok(at)
}

fn replace_one(
    source: &mut impl BufRead,
    change: &Change,
    out: &mut dyn Write,
) -> Result<(), SpliceError> {
    let mut expected = change.before.as_slice();
    while !expected.is_empty() {
        let found = next_part(source, expected.len())?;
        let (part, rest) = expected.split_at(found.len());
        if part != found {
            return Err(SpliceError::Changed);
        }
        source.consume(part.len());
        expected = rest;
    }
    out.write_all(&change.after).map_err(SpliceError::Write)
}

fn copy(source: &mut impl BufRead, length: u64, out: &mut dyn Write) -> Result<(), SpliceError> {
    let mut left = length;
    while left > 0 {
        let most = usize::try_from(left).unwrap_or(usize::MAX);
        let part = next_part(source, most)?;
        out.write_all(part).map_err(SpliceError::Write)?;
        let done = part.len();
        source.consume(done);
        left -= done as u64;
    }
    Ok(())
}

/// The next bytes, at most this many and at least one.
fn next_part(source: &mut impl BufRead, most: usize) -> Result<&[u8], SpliceError> {
    let part = source.fill_buf().map_err(ended_early)?;
    if part.is_empty() {
        return Err(SpliceError::Changed);
    }
    Ok(&part[..part.len().min(most)])
}

fn ended_early(error: io::Error) -> SpliceError {
    match error.kind() {
        // An error of the system has its number, one of a library that unpacks has not.
        io::ErrorKind::UnexpectedEof | io::ErrorKind::InvalidData | io::ErrorKind::InvalidInput
            if error.raw_os_error().is_none() =>
        {
            SpliceError::Changed
        }
        _ => SpliceError::Read(error),
    }
}
