//! The changes of a run, recorded with the text around them while the new files are written.

use crate::change::Change;
use crate::changes::ChangeList;
use crate::journal::records::ChangeRecord;
use crate::journal::sealed;
use brisk_quill_core::relocate::AROUND;
use std::collections::VecDeque;
use std::io::{self, BufWriter, Write};

/// The `changes` file of a run, which is written in order of file and place.
pub(super) struct ChangeLog<'f> {
    out: BufWriter<Box<dyn Write + 'f>>,
}

impl<'f> ChangeLog<'f> {
    pub(super) fn new(out: Box<dyn Write + 'f>, buffer: usize) -> Self {
        Self {
            out: BufWriter::with_capacity(buffer, out),
        }
    }

    /// Brings all records to the file.
    pub(super) fn end(mut self) -> io::Result<()> {
        self.out.flush()
    }

    fn add(&mut self, file: usize, change: &Change, left: &[u8], right: &[u8]) -> io::Result<()> {
        let record = ChangeRecord::new(file, change, (left, right));
        let json = serde_json::to_string(&record)?;
        self.out.write_all(sealed(&json).as_bytes())
    }
}

/// A change whose new text has been written, and the text around it as far as that has.
struct Open {
    change: Change,
    left: Vec<u8>,
    right: Vec<u8>,
}

/// Passes on the new bytes of a file, and records its changes as they go by.
pub(super) struct Recording<'r, 'f, W> {
    inner: W,
    log: &'r mut ChangeLog<'f>,
    file: usize,
    changes: Box<dyn Iterator<Item = io::Result<Change>> + 'r>,
    /// The next change, and the offsets of its new text.
    next: Option<(Change, u64, u64)>,
    /// The text before the next change, once its new text has begun.
    left: Option<Vec<u8>>,
    /// The growth by the changes before; offsets wrap back into range.
    growth: u64,
    at: u64,
    last: Vec<u8>,
    open: VecDeque<Open>,
}

impl<'r, 'f, W: Write> Recording<'r, 'f, W> {
    pub(super) fn new(
        inner: W,
        log: &'r mut ChangeLog<'f>,
        (file, changes): (usize, &'r ChangeList),
    ) -> io::Result<Self> {
        let mut recording = Self {
            inner,
            log,
            file,
            changes: Box::new(changes.iter()),
            next: None,
            left: None,
            growth: 0,
            at: 0,
            last: Vec::new(),
            open: VecDeque::new(),
        };
        recording.take_next()?;
        recording.advance()?;
        Ok(recording)
    }

    /// Records what is left, and gives back what was written to.
    pub(super) fn end(mut self) -> io::Result<W> {
        while let Some(open) = self.open.pop_front() {
            self.log
                .add(self.file, &open.change, &open.left, &open.right)?;
        }
        Ok(self.inner)
    }

    fn take_next(&mut self) -> io::Result<()> {
        self.next = match self.changes.next() {
            Some(change) => {
                let change = change?;
                let from = change.from.wrapping_add(self.growth);
                let to = from + change.after.len() as u64;
                let grown = (change.after.len() as u64).wrapping_sub(change.to - change.from);
                self.growth = self.growth.wrapping_add(grown);
                Some((change, from, to))
            }
            None => None,
        };
        Ok(())
    }

    /// Begins and ends changes at the current offset.
    fn advance(&mut self) -> io::Result<()> {
        loop {
            match (&self.next, &mut self.left) {
                (Some((_, from, _)), None) if *from == self.at => {
                    self.left = Some(self.last.clone());
                }
                (Some((_, _, to)), Some(left)) if *to == self.at => {
                    let left = std::mem::take(left);
                    self.left = None;
                    if let Some((change, ..)) = self.next.take() {
                        self.open.push_back(Open {
                            change,
                            left,
                            right: Vec::new(),
                        });
                    }
                    self.take_next()?;
                }
                _ => return Ok(()),
            }
        }
    }

    /// The bytes until a change begins or ends.
    fn until_next(&self) -> u64 {
        match (&self.next, &self.left) {
            (Some((_, from, _)), None) => from - self.at,
            (Some((_, _, to)), Some(_)) => to - self.at,
            (None, _) => u64::MAX,
        }
    }

    fn pass(&mut self, part: &[u8]) -> io::Result<()> {
        for open in &mut self.open {
            let wanted = AROUND - open.right.len();
            open.right
                .extend_from_slice(&part[..part.len().min(wanted)]);
        }
        let full = self
            .open
            .iter()
            .take_while(|open| open.right.len() == AROUND);
        let full = full.count();
        for open in self.open.drain(..full) {
            self.log
                .add(self.file, &open.change, &open.left, &open.right)?;
        }
        let fresh = &part[part.len().saturating_sub(AROUND)..];
        let kept = self.last.len().min(AROUND - fresh.len());
        self.last.drain(..self.last.len() - kept);
        self.last.extend_from_slice(fresh);
        self.at += part.len() as u64;
        Ok(())
    }
}

impl<W: Write> Write for Recording<'_, '_, W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.inner.write_all(bytes)?;
        let mut rest = bytes;
        while !rest.is_empty() {
            let most = usize::try_from(self.until_next()).unwrap_or(usize::MAX);
            let (part, more) = rest.split_at(rest.len().min(most));
            self.pass(part)?;
            self.advance()?;
            rest = more;
        }
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.inner.flush()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Whatever parts the bytes come in, each change is recorded with what stands around it.
    #[test]
    fn changes_are_recorded_with_the_text_around_them() {
        let old = b"quay 1, quay 2, quayquay and a long end of the line without any; quay";
        let change = |from: usize, after: &str| Change {
            line: 1,
            from: from as u64,
            to: from as u64 + 4,
            before: b"quay".to_vec(),
            after: after.into(),
        };
        let changes: ChangeList = [(0, "Q"), (8, ""), (16, "pier"), (20, ""), (65, "the last")]
            .map(|(from, after)| change(from, after))
            .into_iter()
            .collect();
        let mut new = Vec::new();
        let mut at = 0;
        let mut places = Vec::new();
        for change in changes.iter().map(Result::unwrap) {
            new.extend_from_slice(&old[at..change.from as usize]);
            places.push((new.len(), new.len() + change.after.len()));
            new.extend_from_slice(&change.after);
            at = change.to as usize;
        }
        for size in 1..new.len() + 1 {
            let mut written = Vec::new();
            let mut log = ChangeLog::new(Box::new(&mut written), 10);
            let mut recording = Recording::new(Vec::new(), &mut log, (3, &changes)).unwrap();
            new.chunks(size)
                .for_each(|part| recording.write_all(part).unwrap());
            assert_eq!(recording.end().unwrap(), new);
            log.end().unwrap();
            let lines: Vec<&[u8]> = written
                .split(|b| *b == b'\n')
                .filter(|l| !l.is_empty())
                .collect();
            assert_eq!(lines.len(), places.len());
            for ((line, change), (from, to)) in lines.iter().zip(changes.iter()).zip(&places) {
                let record: ChangeRecord = serde_json::from_slice(&line[17..]).unwrap();
                let around = record.around();
                assert_eq!(
                    (record.file, record.change()),
                    (3, change.unwrap()),
                    "{size}"
                );
                assert_eq!(around.0, new[from.saturating_sub(AROUND)..*from], "{size}");
                assert_eq!(around.1, new[*to..(to + AROUND).min(new.len())], "{size}");
            }
        }
    }
}
