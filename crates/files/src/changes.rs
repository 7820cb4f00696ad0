//! The changes of files, in memory, or in a file where they are many.
//!
//! Note to the maintainer. A [`Spooler`] takes the changes of one file after another. Those of
//! small plans stay in memory; once all of them together have grown over a bound, the lists that
//! follow lie in one temporary file without a name. A list knows where it begins and ends there,
//! and reads itself through a buffer of its own, so lists can be read side by side.

use crate::Change;
use std::fs::File;
use std::io::{self, BufRead, BufReader, BufWriter, Read, Write};
use std::os::unix::fs::FileExt;
use std::sync::Arc;

/// Bytes of changes that a spooler keeps in memory.
const IN_MEMORY: usize = 16 << 20;
/// What a change takes besides its texts.
const CHANGE_BYTES: usize = size_of::<Change>();
/// Buffered when a list is read.
const BUFFER: usize = 64 << 10;

/// The changes of one file: sorted, disjoint.
#[derive(Clone, Debug, Default)]
pub struct ChangeList {
    place: Place,
    count: u64,
}

#[derive(Clone, Debug)]
enum Place {
    Memory(Arc<[Change]>),
    /// From one byte of the file to another.
    Spool(Arc<File>, u64, u64),
}

impl Default for Place {
    fn default() -> Self {
        Self::Memory(Arc::new([]))
    }
}

impl From<Vec<Change>> for ChangeList {
    fn from(changes: Vec<Change>) -> Self {
        Self {
            count: changes.len() as u64,
            place: Place::Memory(changes.into()),
        }
    }
}

impl FromIterator<Change> for ChangeList {
    fn from_iter<I: IntoIterator<Item = Change>>(changes: I) -> Self {
        changes.into_iter().collect::<Vec<_>>().into()
    }
}

impl ChangeList {
    /// How many there are.
    pub fn len(&self) -> u64 {
        self.count
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.count == 0
    }

    /// The changes in order; an error where the file they lie in cannot be read.
    pub fn iter(&self) -> Box<dyn Iterator<Item = io::Result<Change>> + '_> {
        match &self.place {
            Place::Memory(changes) => Box::new(changes.iter().cloned().map(Ok)),
            Place::Spool(file, from, to) => {
                let part = Part {
                    file,
                    at: *from,
                    to: *to,
                };
                let mut part = BufReader::with_capacity(BUFFER, part);
                Box::new(std::iter::from_fn(move || {
                    read_change(&mut part).transpose()
                }))
            }
        }
    }
}

/// A part of a file, read without moving in it for others.
struct Part<'f> {
    file: &'f File,
    at: u64,
    to: u64,
}

impl Read for Part<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let left = usize::try_from(self.to - self.at).unwrap_or(usize::MAX);
        let most = buffer.len().min(left);
        let n = self.file.read_at(&mut buffer[..most], self.at)?;
        self.at += n as u64;
        Ok(n)
    }
}

fn read_change(input: &mut impl BufRead) -> io::Result<Option<Change>> {
    if input.fill_buf()?.is_empty() {
        return Ok(None);
    }
    let mut number = || {
        let mut bytes = [0; 8];
        input.read_exact(&mut bytes)?;
        Ok::<u64, io::Error>(u64::from_le_bytes(bytes))
    };
    let (line, from, to, before, after) = (number()?, number()?, number()?, number()?, number()?);
    let mut text = |length: u64| {
        // It was in memory when it was written.
        let mut bytes = vec![0; usize::try_from(length).map_err(io::Error::other)?];
        input.read_exact(&mut bytes)?;
        Ok::<Vec<u8>, io::Error>(bytes)
    };
    Ok(Some(Change {
        line,
        from,
        to,
        before: text(before)?,
        after: text(after)?,
    }))
}

/// Takes changes, and makes a list of those of each file.
#[derive(Debug)]
pub struct Spooler {
    /// Those of the file at hand that are in memory.
    changes: Vec<Change>,
    /// What lists in memory take, this one too, and what they may.
    in_memory: usize,
    most: usize,
    spool: Option<Spool>,
    /// Those of the file at hand that are in the spool.
    count: u64,
}

#[derive(Debug)]
struct Spool {
    out: BufWriter<Arc<File>>,
    length: u64,
    /// Where the list at hand begins.
    start: u64,
}

impl Default for Spooler {
    fn default() -> Self {
        Self {
            changes: Vec::new(),
            in_memory: 0,
            most: IN_MEMORY,
            spool: None,
            count: 0,
        }
    }
}

impl Spooler {
    /// Takes the next change of the file at hand.
    ///
    /// # Errors
    ///
    /// When the temporary file cannot be written.
    pub fn push(&mut self, change: Change) -> io::Result<()> {
        if let Some(spool) = &mut self.spool {
            self.count += 1;
            return spool.write(&change);
        }
        self.in_memory += CHANGE_BYTES + change.before.len() + change.after.len();
        self.changes.push(change);
        if self.in_memory > self.most {
            let mut spool = Spool::new()?;
            for change in self.changes.drain(..) {
                self.count += 1;
                spool.write(&change)?;
            }
            self.spool = Some(spool);
        }
        Ok(())
    }

    /// Ends the list of the file at hand.
    ///
    /// # Errors
    ///
    /// When the temporary file cannot be written.
    pub fn end_file(&mut self) -> io::Result<ChangeList> {
        let Some(spool) = &mut self.spool else {
            return Ok(std::mem::take(&mut self.changes).into());
        };
        spool.out.flush()?;
        let count = std::mem::take(&mut self.count);
        let start = std::mem::replace(&mut spool.start, spool.length);
        Ok(ChangeList {
            place: Place::Spool(Arc::clone(spool.out.get_ref()), start, spool.length),
            count,
        })
    }
}

impl Spool {
    fn new() -> io::Result<Self> {
        let file = Arc::new(tempfile::tempfile()?);
        Ok(Self {
            out: BufWriter::with_capacity(BUFFER, file),
            length: 0,
            start: 0,
        })
    }

    fn write(&mut self, change: &Change) -> io::Result<()> {
        let (before, after) = (change.before.len() as u64, change.after.len() as u64);
        for number in [change.line, change.from, change.to, before, after] {
            self.out.write_all(&number.to_le_bytes())?;
        }
        self.out.write_all(&change.before)?;
        self.out.write_all(&change.after)?;
        self.length += 5 * 8 + before + after;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_spooled_reads_back() {
        let change = |n: u64| Change {
            line: n,
            from: n * 100,
            to: n * 100 + n,
            before: vec![b'x'; n as usize],
            after: vec![b'y'; (n % 7) as usize],
        };
        for most in [0, 500, 5_000, usize::MAX] {
            let mut spooler = Spooler {
                most,
                ..Spooler::default()
            };
            let files = [0..0, 0..3, 3..40, 40..40, 40..90];
            let mut lists = Vec::new();
            for file in files.clone() {
                file.for_each(|n| spooler.push(change(n)).unwrap());
                lists.push(spooler.end_file().unwrap());
            }
            for (list, file) in lists.iter().zip(files) {
                let read: Vec<Change> = list.iter().map(Result::unwrap).collect();
                assert_eq!(list.len(), read.len() as u64);
                assert_eq!(read, file.map(change).collect::<Vec<_>>(), "at most {most}");
            }
        }
    }
}
