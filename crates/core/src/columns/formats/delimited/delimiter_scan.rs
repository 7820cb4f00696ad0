//! A scan for certain bytes that stand close together.
//!
//! A search for one byte after the other pays for each call, and in a table every tenth byte is
//! one that matters. Here a block is compared at once, and its hits are bits of a number.

/// Bytes compared at once.
const BLOCK: usize = 32;
/// Eight bytes that are 0 or 1 times this hold them as bits in the highest byte.
const AS_BITS: u64 = 0x0102_0408_1020_4080;

/// The places of three bytes in a text, in order.
pub(crate) struct DelimiterScan<'t> {
    text: &'t [u8],
    wanted: [u8; 3],
    /// The start of the current block.
    block: usize,
    /// The hits that have not been given yet, the first in the lowest bit.
    hits: u32,
}

impl<'t> DelimiterScan<'t> {
    pub fn new(text: &'t [u8], wanted: [u8; 3]) -> Self {
        let mut marks = Self {
            text,
            wanted,
            block: 0,
            hits: 0,
        };
        marks.hits = marks.hits_at(0);
        marks
    }

    fn hits_at(&self, block: usize) -> u32 {
        let rest = self.text.get(block..).unwrap_or_default();
        match rest.first_chunk::<BLOCK>() {
            Some(bytes) => self.hits_in(bytes),
            None => {
                let mut bytes = [0; BLOCK];
                bytes[..rest.len()].copy_from_slice(rest);
                // What lies behind the end hits nothing.
                let known = (1u32 << rest.len()) - 1;
                self.hits_in(&bytes) & known
            }
        }
    }

    #[inline]
    fn hits_in(&self, bytes: &[u8; BLOCK]) -> u32 {
        let [a, b, c] = self.wanted;
        // The compiler makes a few comparisons of many bytes of this.
        let hits = bytes.map(|byte| u8::from((byte == a) | (byte == b) | (byte == c)));
        let (words, _) = hits.as_chunks::<8>();
        let bits = |word: &[u8; 8]| (u64::from_le_bytes(*word).wrapping_mul(AS_BITS) >> 56) as u32;
        words
            .iter()
            .rev()
            .fold(0, |hits, word| hits << 8 | bits(word))
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
