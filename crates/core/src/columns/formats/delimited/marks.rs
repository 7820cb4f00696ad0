//! Line ends, delimiters and quotes of a text, block by block.
//!
//! In a table every tenth byte is one of these, so a search for one after the other would pay for each
//! call. A block is compared at once instead, and its marks are the bits of a number; bytes between
//! quotes are those behind an odd number of them.

use crate::columns::dialect::Dialect;

/// Bytes compared at once.
pub(super) const BLOCK: usize = 64;
/// Eight bytes that are 0 or 1 times this hold them as bits in the highest byte.
const AS_BITS: u64 = 0x0102_0408_1020_4080;

/// The marks of a block; its first byte is the lowest bit.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Marks {
    pub lines: u64,
    pub delimiters: u64,
    pub quotes: u64,
}

impl Marks {
    /// Of the block that begins at `at`, as far as the text goes.
    pub fn of(text: &[u8], at: usize, dialect: Dialect) -> Self {
        let rest = text.get(at..).unwrap_or_default();
        match rest.first_chunk::<BLOCK>() {
            Some(bytes) => Self::of_block(bytes, dialect),
            None => {
                let mut bytes = [0; BLOCK];
                bytes[..rest.len()].copy_from_slice(rest);
                Self::of_block(&bytes, dialect).up_to(rest.len())
            }
        }
    }

    fn of_block(bytes: &[u8; BLOCK], dialect: Dialect) -> Self {
        Self {
            lines: bits(bytes, b'\n'),
            delimiters: bits(bytes, dialect.delimiter),
            quotes: dialect.quote.map_or(0, |quote| bits(bytes, quote)),
        }
    }

    /// The marks in the first bytes, which are fewer than a block.
    fn up_to(self, len: usize) -> Self {
        let known = (1 << len) - 1;
        Self {
            lines: self.lines & known,
            delimiters: self.delimiters & known,
            quotes: self.quotes & known,
        }
    }
}

/// The places in a block that are `wanted`. The compiler makes a few comparisons of many bytes of this.
#[inline]
fn bits(bytes: &[u8; BLOCK], wanted: u8) -> u64 {
    let hits = bytes.map(|byte| u8::from(byte == wanted));
    let (words, _) = hits.as_chunks::<8>();
    let eight = |word: &[u8; 8]| u64::from_le_bytes(*word).wrapping_mul(AS_BITS) >> 56;
    words
        .iter()
        .rev()
        .fold(0, |bits, word| bits << 8 | eight(word))
}

/// The state of the quotes behind a byte.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) enum Quotes {
    /// A quote would open a cell, or go on with the one that a quote has just closed.
    #[default]
    Opens,
    /// A quote would be a character of a cell.
    Bare,
    /// Between quotes.
    Inside,
}

impl Quotes {
    /// The bytes of a block of `len` bytes that lie between quotes, the quote that opens them included. `None`
    /// where a quote is a character of a cell that has none around it: there they say nothing.
    pub fn pass(&mut self, marks: Marks, len: usize) -> Option<u64> {
        let before = match self {
            Self::Inside => u64::MAX,
            Self::Opens | Self::Bare => 0,
        };
        let inside = odd_so_far(marks.quotes) ^ before;
        let opening = marks.quotes & inside;
        let closing = marks.quotes & !inside;
        // Marks between quotes are none, but no quote opens there either.
        let opens_next = marks.lines | marks.delimiters | closing;
        let opens = opens_next << 1 | u64::from(*self == Self::Opens);
        if opening & !opens != 0 {
            return None;
        }
        let last = 1 << (len - 1);
        *self = match (inside & last != 0, opens_next & last != 0) {
            (true, _) => Self::Inside,
            (false, true) => Self::Opens,
            (false, false) => Self::Bare,
        };
        Some(inside)
    }
}

/// For each bit, true if an odd number of bits is set up to it.
fn odd_so_far(bits: u64) -> u64 {
    (0..6).fold(bits, |odd, power| odd ^ (odd << (1 << power)))
}
