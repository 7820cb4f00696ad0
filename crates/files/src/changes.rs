//! The changes of files, kept in a [`Spool`].

use crate::change::Change;
use crate::edit::FileEdit;
use crate::spool::{Spool, SpoolWriter, Spooled};
use std::io::{self, BufRead, Write};
use std::sync::Arc;

/// Bytes of changes that are kept in memory, of all files together.
const IN_MEMORY: usize = 16 << 20;

/// The changes of one file: sorted, disjoint. Cloning is cheap.
#[derive(Clone, Debug, Default)]
pub struct ChangeList {
    kept: Arc<Spooled>,
    count: u64,
}

impl FromIterator<Change> for ChangeList {
    /// In memory, however many there are.
    fn from_iter<I: IntoIterator<Item = Change>>(changes: I) -> Self {
        let mut spooler = Spooler::sharing(&Spool::new(usize::MAX));
        let kept = changes
            .into_iter()
            .try_for_each(|change| spooler.push(&change));
        let list = kept.and_then(|()| spooler.end_file());
        list.expect("memory can be written")
    }
}

impl From<Vec<Change>> for ChangeList {
    fn from(changes: Vec<Change>) -> Self {
        changes.into_iter().collect()
    }
}

impl ChangeList {
    /// The number of them.
    pub fn len(&self) -> u64 {
        self.count
    }

    /// True if there is none.
    pub fn is_empty(&self) -> bool {
        self.count == 0
    }

    /// The changes in order; an error where the file they lie in cannot be read.
    pub fn iter(&self) -> impl Iterator<Item = io::Result<Change>> + '_ {
        let mut reader = self.kept.reader();
        std::iter::from_fn(move || read_change(&mut reader).transpose())
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

fn write_change(
    out: &mut impl Write,
    (line, from, to): (u64, u64, u64),
    before: &[u8],
    after: &[u8],
) -> io::Result<()> {
    let mut head = [0; 5 * 8];
    let numbers = [line, from, to, before.len() as u64, after.len() as u64];
    for (place, number) in head.chunks_exact_mut(8).zip(numbers) {
        place.copy_from_slice(&number.to_le_bytes());
    }
    out.write_all(&head)?;
    out.write_all(before)?;
    out.write_all(after)
}

/// Takes the changes of one file after another, and makes a list of each.
#[derive(Debug)]
pub struct Spooler {
    out: SpoolWriter,
    count: u64,
}

impl Default for Spooler {
    /// With a spool of its own.
    fn default() -> Self {
        Self::sharing(&Self::spool())
    }
}

impl Spooler {
    /// A spool for changes, to be shared.
    pub fn spool() -> Arc<Spool> {
        Spool::new(IN_MEMORY)
    }

    /// Keeps changes in `spool`, as others do.
    pub fn sharing(spool: &Arc<Spool>) -> Self {
        Self {
            out: SpoolWriter::new(spool),
            count: 0,
        }
    }

    /// Takes the next change of the current file.
    ///
    /// # Errors
    ///
    /// When the temporary file cannot be written.
    pub fn push(&mut self, change: &Change) -> io::Result<()> {
        let Change { before, after, .. } = change;
        self.count += 1;
        let place = (change.line, change.from, change.to);
        write_change(&mut self.out, place, before, after)
    }

    /// The same for one that has just been found.
    ///
    /// # Errors
    ///
    /// When the temporary file cannot be written.
    pub fn push_edit(&mut self, edit: &FileEdit<'_>) -> io::Result<()> {
        self.count += 1;
        let place = (edit.text.line, edit.from, edit.to);
        write_change(&mut self.out, place, edit.before, &edit.after)
    }

    /// Takes in what another has of the current file: the changes behind these.
    ///
    /// # Errors
    ///
    /// When the temporary file cannot be written.
    pub fn join(&mut self, mut behind: Self) -> io::Result<()> {
        self.count += behind.count;
        self.out.join(&mut behind.out)
    }

    /// Ends the list of the current file.
    ///
    /// # Errors
    ///
    /// When the temporary file cannot be written.
    pub fn end_file(&mut self) -> io::Result<ChangeList> {
        Ok(ChangeList {
            kept: Arc::new(self.out.finish()?),
            count: std::mem::take(&mut self.count),
        })
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
            to: n * 170,
            before: vec![b'x'; n as usize * 70],
            after: vec![b'y'; (n % 7) as usize],
        };
        for most in [0, 500, 200_000, usize::MAX] {
            let mut spooler = Spooler::sharing(&Spool::new(most));
            let files = [0..0, 0..3, 3..40, 40..40, 40..190];
            let mut lists = Vec::new();
            for file in files.clone() {
                file.for_each(|n| spooler.push(&change(n)).unwrap());
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
