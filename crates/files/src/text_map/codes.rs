//! Characters that a text writes otherwise than its encoding would.
//!
//! Some encodings have two codes for one character, or codes that can be read and are never
//! written. What such a text copies is to keep the codes it has.

use crate::encoding::TextEncoding;
use std::collections::HashMap;

/// The codes of characters in one text, of those that have others than the encoding writes.
#[derive(Debug, Default)]
pub(super) struct Codes {
    seen: HashMap<char, Seen>,
}

#[derive(Clone, Copy, Debug)]
struct Seen {
    /// The first place of the character on disk, and its length in bytes.
    first: (usize, usize),
    /// True if it stands elsewhere with another code.
    differs: bool,
}

impl Codes {
    /// Notes a character at `at` in `raw`.
    pub fn note(&mut self, c: char, raw: &[u8], (at, size): (usize, usize)) {
        let seen = self.seen.entry(c).or_insert(Seen {
            first: (at, size),
            differs: false,
        });
        seen.differs |= raw[seen.first.0..][..seen.first.1] != raw[at..at + size];
    }

    /// Forgets the characters that stand everywhere as `encoding` writes them.
    pub fn keep_unusual(&mut self, encoding: TextEncoding, raw: &[u8]) {
        self.seen.retain(|c, seen| {
            let usual = encoding.encode(c.encode_utf8(&mut [0; 4]));
            seen.differs || usual.as_deref() != Some(&raw[seen.first.0..][..seen.first.1])
        });
    }

    /// True if all characters stand as the encoding writes them.
    pub fn are_usual(&self) -> bool {
        self.seen.is_empty()
    }

    /// The code of a character that has an unusual one: where it stands on disk, and how many bytes
    /// it takes; and whether it stands elsewhere with another.
    pub fn of(&self, c: char) -> Option<((usize, usize), bool)> {
        self.seen.get(&c).map(|seen| (seen.first, seen.differs))
    }
}
