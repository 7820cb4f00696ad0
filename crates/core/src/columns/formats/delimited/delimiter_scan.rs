//! A scan for certain bytes that stand close together.
//!
//! A search for one byte after the other pays for each call, and in a table every tenth byte is
//! one that matters. Here a block is compared at once, and its hits are bits of a number.

use wide::u8x32;

/// Bytes compared at once.
const BLOCK: usize = 32;

/// The places of three bytes in a text, in order.
pub(crate) struct DelimiterScan<'t> {
    text: &'t [u8],
    wanted: [u8x32; 3],
    /// The start of the current block.
    block: usize,
    /// The hits that have not been given yet, the first in the lowest bit.
    hits: u32,
}

impl<'t> DelimiterScan<'t> {
    pub fn new(text: &'t [u8], wanted: [u8; 3]) -> Self {
        let mut marks = Self {
            text,
            wanted: wanted.map(u8x32::splat),
            block: 0,
            hits: 0,
        };
        marks.hits = marks.hits_at(0);
        marks
    }

    fn hits_at(&self, block: usize) -> u32 {
        let rest = self.text.get(block..).unwrap_or_default();
        let bytes = match rest.first_chunk::<BLOCK>() {
            Some(bytes) => u8x32::new(*bytes),
            None => {
                let mut bytes = [0; BLOCK];
                bytes[..rest.len()].copy_from_slice(rest);
                // What lies behind the end hits nothing.
                let known = (1u32 << rest.len()) - 1;
                return self.hits_in(u8x32::new(bytes)) & known;
            }
        };
        self.hits_in(bytes)
    }

    fn hits_in(&self, bytes: u8x32) -> u32 {
        let [a, b, c] = self.wanted;
        (bytes.simd_eq(a) | bytes.simd_eq(b) | bytes.simd_eq(c)).to_bitmask()
    }
}

impl Iterator for DelimiterScan<'_> {
    type Item = usize;

    #[inline]
    fn next(&mut self) -> Option<usize> {
        while self.hits == 0 {
            self.block += BLOCK;
            if self.block >= self.text.len() {
                return None;
            }
            self.hits = self.hits_at(self.block);
        }
        let at = self.block + self.hits.trailing_zeros() as usize;
        self.hits &= self.hits - 1;
        Some(at)
    }
}
