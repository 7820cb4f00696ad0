//! The map from places in a text to the bytes it was decoded from.
//!
//! Note to the maintainer. The core sees UTF-8. Where bytes mean nothing in the encoding, it
//! sees one byte `FF` for them, which is never part of UTF-8, so that no match crosses it.
//! Unchanged bytes are never encoded again: a change is located by [`TextMap::place`]
//! and only its new text is encoded, and decoded back to be sure. What the new text has copied
//! keeps the codes it has, see [`codes`].

pub mod codes;

use crate::encoding::TextEncoding;
use crate::text_map::codes::Codes;
use brisk_quill_core::rewrite::hunk::HunkEdit;
use std::borrow::Cow;

/// Stands for bytes without a meaning.
const NOTHING: u8 = 0xFF;

/// The way from a text to the bytes that it was decoded from.
pub trait TextMap {
    /// The name of the encoding.
    fn encoding(&self) -> &'static str;

    /// An offset of the text as one of the bytes.
    fn place(&self, offset: u64) -> u64;

    /// The bytes of a range of the text that begins at `from` and holds `text`.
    fn raw<'b>(&'b self, from: u64, text: &'b [u8]) -> &'b [u8];

    /// The new text of an edit as it is written; `None` where the encoding has no way to write it.
    fn encode<'b>(&self, edit: &HunkEdit<'b>) -> Option<Cow<'b, [u8]>>;

    /// The line of the first bytes without a meaning in the encoding, from 1, and how many such places
    /// there are. UTF-8 is not looked through.
    fn meaningless(&self) -> Option<(u64, u64)>;

    /// All bytes, where the text was decoded as a whole; else the text is the bytes.
    fn whole(&self) -> Option<&[u8]>;
}

/// The map of a text in UTF-8: every offset is its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct AsItIs;

impl TextMap for AsItIs {
    fn encoding(&self) -> &'static str {
        "UTF-8"
    }

    fn place(&self, offset: u64) -> u64 {
        offset
    }

    fn raw<'b>(&'b self, _: u64, text: &'b [u8]) -> &'b [u8] {
        text
    }

    fn encode<'b>(&self, edit: &HunkEdit<'b>) -> Option<Cow<'b, [u8]>> {
        Some(edit.after.into())
    }

    fn meaningless(&self) -> Option<(u64, u64)> {
        None
    }

    fn whole(&self) -> Option<&[u8]> {
        None
    }
}

/// A decoded text and the way back.
#[derive(Debug)]
pub struct Decoded {
    encoding: TextEncoding,
    raw: Vec<u8>,
    text: Vec<u8>,
    runs: Vec<Run>,
    codes: Codes,
    /// Line (from 1) of the first bytes without a meaning, and how many such places there are.
    meaningless: Option<(u64, u64)>,
}

/// Characters that all take the same number of bytes, decoded and before.
#[derive(Clone, Copy, Debug)]
struct Run {
    text_from: usize,
    raw_from: usize,
    text_size: usize,
    raw_size: usize,
}

impl Decoded {
    /// Decodes `raw`, whose first `start` bytes are a byte-order mark.
    pub(crate) fn new(encoding: TextEncoding, raw: Vec<u8>, start: usize) -> Self {
        let mut text = Vec::with_capacity(raw.len());
        let mut runs: Vec<Run> = Vec::new();
        let mut codes = Codes::default();
        let has_codes = encoding.has_codes();
        let mut meaningless = None;
        let mut lines = 1;
        let mut at = start;
        while at < raw.len() {
            let (c, raw_size) = encoding.first(&raw[at..]);
            let text_size = c.map_or(1, char::len_utf8);
            let fits = |run: &Run| (run.text_size, run.raw_size) == (text_size, raw_size);
            if !runs.last().is_some_and(fits) {
                runs.push(Run {
                    text_from: text.len(),
                    raw_from: at,
                    text_size,
                    raw_size,
                });
            }
            match c {
                Some(c) => {
                    if has_codes && !c.is_ascii() {
                        codes.note(c, &raw, (at, raw_size));
                    }
                    text.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
                }
                None => {
                    text.push(NOTHING);
                    meaningless.get_or_insert((lines, 0)).1 += 1;
                }
            }
            lines += u64::from(c == Some('\n'));
            at += raw_size;
        }
        codes.keep_unusual(encoding, &raw);
        Self {
            encoding,
            raw,
            text,
            runs,
            codes,
            meaningless,
        }
    }

    /// The decoded text.
    pub(crate) fn text(&self) -> &[u8] {
        &self.text
    }

    /// The first byte of the character at `offset` of the text.
    fn byte_at(&self, offset: usize) -> usize {
        if offset == self.text.len() {
            return self.raw.len();
        }
        let next = self.runs.partition_point(|run| run.text_from <= offset);
        // The first run begins at the first character, so only an empty text has none.
        let run = self.runs[next - 1];
        run.raw_from + (offset - run.text_from) / run.text_size * run.raw_size
    }

    fn encoded(&self, edit: &HunkEdit<'_>) -> Option<Vec<u8>> {
        let text = std::str::from_utf8(edit.after).ok()?;
        let bytes = match self.codes.are_usual() {
            true => self.encoding.encode(text)?,
            false => self.encode_with_codes(text, edit)?,
        };
        let mut back = Vec::with_capacity(text.len());
        let mut at = 0;
        while at < bytes.len() {
            let (c, size) = self.encoding.first(&bytes[at..]);
            back.extend_from_slice(c?.encode_utf8(&mut [0; 4]).as_bytes());
            at += size;
        }
        (back == text.as_bytes()).then_some(bytes)
    }
}

impl Decoded {
    /// Encodes new text with the codes that the text has already.
    fn encode_with_codes(&self, text: &str, edit: &HunkEdit<'_>) -> Option<Vec<u8>> {
        let mut bytes = Vec::with_capacity(text.len());
        let mut copied = edit.copied.iter().peekable();
        for (at, c) in text.char_indices() {
            while copied.next_if(|copied| copied.span.to <= at).is_some() {}
            let source = copied.peek().filter(|copied| copied.span.from <= at);
            let source = source.and_then(|copied| {
                // A decoded text is in memory, so its offsets fit.
                let from = (edit.from as usize).checked_add_signed(copied.from)?;
                self.code_at(from + (at - copied.span.from), c)
            });
            match source.or_else(|| self.code_of(c, edit)) {
                Some(code) => bytes.extend_from_slice(code),
                None => bytes.extend(self.encoding.encode(c.encode_utf8(&mut [0; 4]))?),
            }
        }
        Some(bytes)
    }

    /// The code of the character at `offset` of the text, if that is `c`.
    fn code_at(&self, offset: usize, c: char) -> Option<&[u8]> {
        let here = self.text.get(offset..offset + c.len_utf8())?;
        let code = self.byte_at(offset)..self.byte_at(offset + c.len_utf8());
        (here == c.encode_utf8(&mut [0; 4]).as_bytes()).then(|| &self.raw[code])
    }

    /// The code of a character for which no one knows where it was copied from: that of the text
    /// which is replaced, where it is there, else the first one of the file.
    fn code_of(&self, c: char, edit: &HunkEdit<'_>) -> Option<&[u8]> {
        let ((at, size), differs) = self.codes.of(c)?;
        let within = |differs: bool| {
            let before = std::str::from_utf8(edit.before).ok().filter(|_| differs)?;
            self.code_at(edit.from as usize + before.find(c)?, c)
        };
        within(differs).or(Some(&self.raw[at..at + size]))
    }
}

impl TextMap for Decoded {
    fn encoding(&self) -> &'static str {
        self.encoding.name()
    }

    fn place(&self, offset: u64) -> u64 {
        // A decoded text is in memory, so its offsets fit.
        self.byte_at(offset as usize) as u64
    }

    fn raw<'b>(&'b self, from: u64, text: &'b [u8]) -> &'b [u8] {
        let from = from as usize;
        &self.raw[self.byte_at(from)..self.byte_at(from + text.len())]
    }

    fn encode<'b>(&self, edit: &HunkEdit<'b>) -> Option<Cow<'b, [u8]>> {
        self.encoded(edit).map(Cow::Owned)
    }

    fn meaningless(&self) -> Option<(u64, u64)> {
        self.meaningless
    }

    fn whole(&self) -> Option<&[u8]> {
        Some(&self.raw)
    }
}
