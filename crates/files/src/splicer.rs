//! The bytes of a text with its changes made, while both are still coming.

use crate::edit::FileEdit;
use std::collections::VecDeque;
use std::io::{self, Write};

/// Makes changes in bytes that follow them. Each is made known before the bytes it lies in.
#[derive(Debug, Default)]
pub struct Splicer {
    waiting: Waiting,
    /// The end of the last change that has been written.
    replaced: u64,
    /// Bytes of the source seen.
    seen: u64,
}

impl Splicer {
    /// Takes the next change; it lies in bytes that follow.
    pub fn change(&mut self, edit: &FileEdit<'_>) {
        self.waiting.push(edit.from, edit.to, &edit.after);
    }

    /// Writes the next bytes of the source to `out`, with the changes in them made; all of these
    /// are known. Then they are [done](Splicer::done).
    ///
    /// # Errors
    ///
    /// When `out` cannot be written.
    pub fn write(&mut self, raw: &[u8], out: &mut dyn Write) -> io::Result<()> {
        let end = self.seen + raw.len() as u64;
        // Offsets that are not greater than the end lie in `raw`, so they fit.
        let local = |offset: u64| (offset.clamp(self.seen, end) - self.seen) as usize;
        let mut at = local(self.replaced);
        while let Some((from, to, text)) = self.waiting.next_before(end) {
            out.write_all(&raw[at..local(from)])?;
            out.write_all(text)?;
            self.replaced = to;
            at = local(to);
        }
        out.write_all(&raw[at..])
    }

    /// These bytes have been written, or cannot be.
    pub fn done(&mut self, raw: &[u8]) {
        self.seen += raw.len() as u64;
        self.waiting.done_before(self.seen);
    }

    /// Bytes added after the last one.
    pub fn rest(&self) -> &[u8] {
        &self.waiting.texts[self.waiting.taken..]
    }
}

/// Changes that wait for the bytes they lie in; there may be millions on one line.
#[derive(Debug, Default)]
struct Waiting {
    /// The origin of the offsets: bytes of the source that have been seen.
    base: u64,
    /// The start of each, the length of the old text, and the new one. What is read at a time is
    /// at most 1 GiB, so this fits.
    changes: VecDeque<(u32, u32, u32)>,
    /// The new texts, one behind the other, and how much of them has been taken.
    texts: Vec<u8>,
    taken: usize,
}

impl Waiting {
    fn push(&mut self, from: u64, to: u64, text: &[u8]) {
        let (from, old) = ((from - self.base) as u32, (to - from) as u32);
        self.changes.push_back((from, old, text.len() as u32));
        self.texts.extend_from_slice(text);
    }

    /// The next change, if it begins before `end`: its range and its new text.
    fn next_before(&mut self, end: u64) -> Option<(u64, u64, &[u8])> {
        let (from, old, new) = *self.changes.front()?;
        let from = self.base + u64::from(from);
        if from >= end {
            return None;
        }
        self.changes.pop_front();
        let text = self.taken..self.taken + new as usize;
        self.taken = text.end;
        Some((from, from + u64::from(old), &self.texts[text]))
    }

    /// All bytes before `seen` are done with; hardly ever is a change left.
    fn done_before(&mut self, seen: u64) {
        for (from, ..) in &mut self.changes {
            // One whose bytes could not be written lies before.
            *from = from.saturating_sub((seen - self.base) as u32);
        }
        self.base = seen;
        self.texts.drain(..self.taken);
        self.taken = 0;
    }
}
