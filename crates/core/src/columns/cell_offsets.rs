//! Offsets in the value of a cell, located in the cell as it is written.

use crate::columns::spelling::Spelling;

/// Value bytes between two known places of [`CellOffsets`].
const KNOWN_EVERY: usize = 64;

/// The places of the bytes of a cell's value.
pub(crate) struct CellOffsets {
    spelling: Spelling,
    /// The start of the cell.
    from: usize,
    /// Bytes before the value, where every byte of it means itself.
    plain: Option<usize>,
    /// Else some offsets of the value, in order, with their places in the cell.
    known: Vec<(usize, usize)>,
}

impl CellOffsets {
    pub fn new(spelling: Spelling, raw: &[u8], from: usize, length: usize) -> Self {
        let quotes = usize::from(spelling.is_quoted(raw));
        let mut offsets = Self {
            spelling,
            from,
            plain: (raw.len() == length + 2 * quotes).then_some(quotes),
            known: Vec::new(),
        };
        let (mut passed, mut at) = (0, quotes);
        while offsets.plain.is_none() && passed < length {
            if offsets
                .known
                .last()
                .is_none_or(|(last, _)| passed >= last + KNOWN_EVERY)
            {
                offsets.known.push((passed, at));
            }
            let (written, stands_for) = spelling.one_char(&raw[at..]);
            (passed, at) = (passed + stands_for, at + written);
        }
        offsets
    }

    /// The place in the text of offset `at` of the value, of which the cell is `raw`.
    pub fn of(&self, at: usize, raw: &[u8]) -> usize {
        if let Some(quotes) = self.plain {
            return self.from + quotes + at;
        }
        let next = self.known.partition_point(|(passed, _)| *passed <= at);
        let known = next.checked_sub(1).and_then(|last| self.known.get(last));
        let (mut passed, mut place) = known.copied().unwrap_or((0, 1));
        while passed < at {
            let (written, stands_for) = self.spelling.one_char(&raw[place..]);
            (passed, place) = (passed + stands_for, place + written);
        }
        self.from + place
    }
}
