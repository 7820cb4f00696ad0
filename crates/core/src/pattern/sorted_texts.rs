//! A search for very many texts in a sorted list of them.
//!
//! Of all texts that are not behind the rest of a unit in order, the last one either begins that rest, and then is
//! the longest that does; or every text that begins the rest also begins it. So one search by halves and a few
//! steps to shorter texts find the longest.

use std::cmp::Ordering;
use std::collections::HashMap;

/// The longest text, in bytes: comparing two takes no longer than that.
pub(super) const LONGEST_MOST: usize = 4096;
/// The most bytes at the beginning of a text that it is looked up by.
const KEY_MOST: usize = 8;
const NONE: u32 = u32::MAX;

/// Texts in order.
pub(super) struct SortedTexts {
    bytes: Vec<u8>,
    /// One past the end of each in the bytes.
    ends: Vec<u32>,
    /// The longest other text that each begins with; [`NONE`] where there is none.
    shorter: Vec<u32>,
    /// The bytes that all texts are at least long, up to [`KEY_MOST`].
    key: usize,
    /// The first text that begins with a key, and one past the last.
    by_key: HashMap<u64, (u32, u32), foldhash::fast::RandomState>,
    /// The first two bytes, or the only one, of which some text begins.
    begins: Vec<bool>,
}

impl SortedTexts {
    /// An index of texts, all different and none empty, in order; `None` where they are too many or too long.
    pub fn new(texts: &[&[u8]]) -> Option<Self> {
        let sum: usize = texts.iter().map(|text| text.len()).sum();
        let longest = texts.iter().map(|text| text.len()).max()?;
        if longest > LONGEST_MOST || u32::try_from(sum.max(texts.len() + 1)).is_err() {
            return None;
        }
        let key = texts.iter().map(|text| text.len()).min()?.min(KEY_MOST);
        let mut index = Self {
            bytes: Vec::with_capacity(sum),
            ends: Vec::with_capacity(texts.len()),
            shorter: Vec::with_capacity(texts.len()),
            key,
            by_key: HashMap::default(),
            begins: vec![false; 1 << 16],
        };
        // Those of which the one before begins with the next, the longest last.
        let mut open: Vec<u32> = Vec::new();
        for (number, text) in (0u32..).zip(texts) {
            while open
                .last()
                .is_some_and(|last| !text.starts_with(index.text(*last)))
            {
                open.pop();
            }
            index.shorter.push(open.last().copied().unwrap_or(NONE));
            open.push(number);
            index.bytes.extend_from_slice(text);
            // Below the sum, which fits.
            index.ends.push(index.bytes.len() as u32);
            let range = index
                .by_key
                .entry(key_of(&text[..key]))
                .or_insert((number, number));
            range.1 = number + 1;
            match text.get(1) {
                Some(second) if key > 1 => index.begins[pair(text[0], *second)] = true,
                _ => (0..=255).for_each(|second| index.begins[pair(text[0], second)] = true),
            }
        }
        Some(index)
    }

    fn text(&self, number: u32) -> &[u8] {
        let number = number as usize;
        let from = number.checked_sub(1).map_or(0, |before| self.ends[before]);
        &self.bytes[from as usize..self.ends[number] as usize]
    }

    /// Shows the lengths of the texts that begin `rest`, the longest first, while `take` wants more.
    pub fn at(&self, rest: &[u8], mut take: impl FnMut(usize) -> bool) {
        let second = rest.get(1).copied().unwrap_or(0);
        if rest.len() < self.key || !self.begins[pair(rest[0], second)] {
            return;
        }
        let Some(&(first, end)) = self.by_key.get(&key_of(&rest[..self.key])) else {
            return;
        };
        let (mut low, mut high) = (first, end);
        while low < high {
            let middle = low + (high - low) / 2;
            let text = self.text(middle);
            let order = text.cmp(&rest[..rest.len().min(text.len())]);
            // One that begins the rest is not behind it.
            match order {
                Ordering::Greater => high = middle,
                Ordering::Equal | Ordering::Less => low = middle + 1,
            }
        }
        let Some(mut number) = low.checked_sub(1).filter(|number| *number >= first) else {
            return;
        };
        let same = self
            .text(number)
            .iter()
            .zip(rest)
            .take_while(|(a, b)| a == b)
            .count();
        loop {
            let length = self.text(number).len();
            if length <= same && !take(length) {
                return;
            }
            number = match self.shorter[number as usize] {
                NONE => return,
                shorter => shorter,
            };
        }
    }

    /// The size in bytes.
    pub fn memory(&self) -> usize {
        self.bytes.len() + 8 * self.ends.len() + 24 * self.by_key.len() + self.begins.len()
    }
}

fn pair(first: u8, second: u8) -> usize {
    usize::from(first) << 8 | usize::from(second)
}

fn key_of(bytes: &[u8]) -> u64 {
    bytes
        .iter()
        .fold(0, |key, byte| key << 8 | u64::from(*byte))
}
