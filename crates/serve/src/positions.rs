//! Places in a text: bytes, and the lines and characters of the protocol.

use crate::protocol::{Encoding, Place, Range};
use brisk_quill_core::span::Span;

/// The lines of a text. In the protocol a lone CR ends one, too.
pub struct Lines<'t> {
    text: &'t str,
    /// The offset at which each line begins.
    starts: Vec<usize>,
    encoding: Encoding,
}

impl<'t> Lines<'t> {
    pub fn new(text: &'t str, encoding: Encoding) -> Self {
        let bytes = text.as_bytes();
        let mut starts = vec![0];
        for (at, byte) in bytes.iter().enumerate() {
            let ends = match byte {
                b'\n' => true,
                b'\r' => bytes.get(at + 1) != Some(&b'\n'),
                _ => false,
            };
            if ends {
                starts.push(at + 1);
            }
        }
        Self {
            text,
            starts,
            encoding,
        }
    }

    /// The offset of a place. One beyond the end of a line, or of the text, is that end; one within a character is
    /// its start.
    pub fn offset(&self, place: Place) -> usize {
        let Some(&start) = self.starts.get(place.line as usize) else {
            return self.text.len();
        };
        let next = self.starts.get(place.line as usize + 1);
        let line = &self.text[start..next.copied().unwrap_or(self.text.len())];
        let line = line.trim_end_matches(['\r', '\n']);
        let (mut units, mut at) = (0, 0);
        for character in line.chars() {
            units += self.units(character);
            if units > place.character as usize {
                break;
            }
            at += character.len_utf8();
        }
        start + at
    }

    /// The place of an offset, which lies on the border of a character.
    pub fn place(&self, offset: usize) -> Place {
        let line = self.starts.partition_point(|start| *start <= offset) - 1;
        let before = &self.text[self.starts[line]..offset];
        let units: usize = before.chars().map(|character| self.units(character)).sum();
        // No text is that long.
        Place {
            line: u32::try_from(line).unwrap_or(u32::MAX),
            character: u32::try_from(units).unwrap_or(u32::MAX),
        }
    }

    /// The range of some bytes, end excluded.
    pub fn range(&self, span: Span) -> Range {
        Range {
            start: self.place(span.from),
            end: self.place(span.to),
        }
    }

    /// The bytes of a range.
    pub fn span(&self, range: Range) -> Span {
        let (from, to) = (self.offset(range.start), self.offset(range.end));
        Span::new(from.min(to), to.max(from))
    }

    fn units(&self, character: char) -> usize {
        match self.encoding {
            Encoding::Utf8 => character.len_utf8(),
            Encoding::Utf16 => character.len_utf16(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::Lines;
    use crate::protocol::{Encoding, Place};
    use proptest::prelude::*;

    proptest! {
        /// Every border of a character has a place that leads back to it, unless it lies within a line end.
        #[test]
        fn places_lead_back(text in "[aå😀\t\r\n]{0,12}", wide in any::<bool>()) {
            let lines = Lines::new(&text, if wide { Encoding::Utf16 } else { Encoding::Utf8 });
            for (at, _) in text.char_indices().chain([(text.len(), ' ')]) {
                let within = at > 0 && text[..at].ends_with('\r') && text[at..].starts_with('\n');
                if !within {
                    prop_assert_eq!(lines.offset(lines.place(at)), at, "{:?}", text);
                }
            }
        }
    }

    #[test]
    fn named_places() {
        let text = "å😀\tx\r\n\rlast";
        let cases = [
            // line, character in UTF-8, the same in UTF-16, offset
            (0, 2, 1, 2),
            (0, 6, 3, 6),
            (0, 7, 4, 7),
            // Within a character, beyond a line, beyond the text.
            (0, 4, 2, 2),
            (0, 99, 99, 8),
            (1, 0, 0, 10),
            (2, 4, 4, 15),
            (9, 0, 0, 15),
        ];
        for (line, narrow, wide, wanted) in cases {
            for (character, encoding) in [(narrow, Encoding::Utf8), (wide, Encoding::Utf16)] {
                let lines = Lines::new(text, encoding);
                let place = Place { line, character };
                assert_eq!(lines.offset(place), wanted, "{place:?} {encoding:?}");
            }
        }
    }
}
