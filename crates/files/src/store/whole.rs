//! Files that are read, and written, as a whole: containers whose tables are found only in all of their bytes.

use crate::store::{Pack, Told};
use std::io::{self, BufRead, Read, Write};
use std::slice::Split;

/// The largest file, in bytes.
pub const MOST: u64 = 512 << 20;

/// All bytes of a file.
///
/// # Errors
///
/// When it is too large, or cannot be read.
pub fn read_whole(disk: Box<dyn BufRead + '_>) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    disk.take(MOST + 1).read_to_end(&mut bytes)?;
    match bytes.len() as u64 > MOST {
        true => Err(Told::error(
            "it is larger than 512 MiB, the most that is looked at",
        )),
        false => Ok(bytes),
    }
}

/// The lines of a new text, which the rows of the old one are held against.
pub struct NewLines<'t>(Split<'t, u8, fn(&u8) -> bool>);

impl<'t> NewLines<'t> {
    pub fn new(text: &'t [u8]) -> Self {
        Self(text.split(|byte| *byte == b'\n'))
    }

    /// The line of the next row.
    ///
    /// # Errors
    ///
    /// When there is none.
    pub fn next(&mut self) -> io::Result<&'t [u8]> {
        let missing = || Told::error("a row of its text is missing");
        self.0.next().ok_or_else(missing)
    }

    /// Makes sure that no row follows.
    ///
    /// # Errors
    ///
    /// When one does.
    pub fn end(mut self) -> io::Result<()> {
        match self.0.any(|line| !line.is_empty()) {
            true => Err(Told::error("its text has more rows than it has")),
            false => Ok(()),
        }
    }
}

/// A file being written: once its new text is there, `write` puts the old file with that text to the output.
pub struct WholePacking<'o, F> {
    old: Vec<u8>,
    out: Box<dyn Write + Send + 'o>,
    write: F,
    text: Vec<u8>,
}

impl<'o, F> WholePacking<'o, F>
where
    F: FnOnce(Vec<u8>, &[u8], &mut dyn Write) -> io::Result<()> + Send,
{
    pub fn new(old: &[u8], out: Box<dyn Write + Send + 'o>, write: F) -> Self {
        Self {
            old: old.to_vec(),
            out,
            write,
            text: Vec::new(),
        }
    }
}

impl<F> Write for WholePacking<'_, F> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.text.extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl<F> Pack for WholePacking<'_, F>
where
    F: FnOnce(Vec<u8>, &[u8], &mut dyn Write) -> io::Result<()> + Send,
{
    fn end(mut self: Box<Self>) -> io::Result<()> {
        (self.write)(self.old, &self.text, &mut self.out)?;
        self.out.flush()
    }
}
