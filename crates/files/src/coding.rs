//! Texts that are not UTF-8: decoded as a whole, with the way back to every byte on disk.
//!
//! Note to the maintainer. The core sees UTF-8. Where raw bytes mean nothing in the encoding, it
//! sees one byte `FF` for them, which is never part of UTF-8, so that no match crosses it.
//! Unchanged bytes are never encoded again: a change is located on disk by [`Coding::on_disk`]
//! and only its new text is encoded, and decoded back to be sure. What the new text has copied
//! keeps the codes it has, see [`codes`].

pub mod codes;

use crate::coding::codes::Codes;
use crate::encoding::TextEncoding;
use brisk_quill_core::rewrite::hunk::HunkEdit;
use std::borrow::Cow;

/// Stands for raw bytes without a meaning.
const NOTHING: u8 = 0xFF;

/// Decoding: from a text on disk to the text that is evaluated.
#[derive(Debug)]
pub enum Coding {
    /// It is taken as it is; offsets are those on disk.
    Utf8,
    /// It was decoded as a whole; offsets are those of the decoded text.
    Decoded(Decoded),
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

/// Characters that all take the same number of bytes, decoded and on disk.
#[derive(Clone, Copy, Debug)]
struct Run {
    text_from: usize,
    disk_from: usize,
    text_size: usize,
    disk_size: usize,
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
            let (c, disk_size) = encoding.first(&raw[at..]);
            let text_size = c.map_or(1, char::len_utf8);
            let fits = |run: &Run| (run.text_size, run.disk_size) == (text_size, disk_size);
            if !runs.last().is_some_and(fits) {
                runs.push(Run {
                    text_from: text.len(),
                    disk_from: at,
                    text_size,
                    disk_size,
                });
            }
            match c {
                Some(c) => {
                    if has_codes && !c.is_ascii() {
                        codes.note(c, &raw, (at, disk_size));
                    }
                    text.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
                }
                None => {
                    text.push(NOTHING);
                    meaningless.get_or_insert((lines, 0)).1 += 1;
                }
            }
            lines += u64::from(c == Some('\n'));
            at += disk_size;
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

    /// The bytes on disk.
    pub fn raw(&self) -> &[u8] {
        &self.raw
    }

    /// The start on disk of the character at `offset` of the text.
    fn on_disk(&self, offset: usize) -> usize {
        if offset == self.text.len() {
            return self.raw.len();
        }
        let next = self.runs.partition_point(|run| run.text_from <= offset);
        // The first run begins at the first character, so only an empty text has none.
        let run = self.runs[next - 1];
        run.disk_from + (offset - run.text_from) / run.text_size * run.disk_size
    }

    fn encode(&self, edit: &HunkEdit<'_>) -> Option<Vec<u8>> {
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

    /// The code of the character that stands at `offset` of the text, if that is `c`.
    fn code_at(&self, offset: usize, c: char) -> Option<&[u8]> {
        let here = self.text.get(offset..offset + c.len_utf8())?;
        let code = self.on_disk(offset)..self.on_disk(offset + c.len_utf8());
        (here == c.encode_utf8(&mut [0; 4]).as_bytes()).then(|| &self.raw[code])
    }

    /// The code of a character for which nobody knows where it was copied from: that of the text
    /// which is replaced, where it stands there, else the first one of the file.
    fn code_of(&self, c: char, edit: &HunkEdit<'_>) -> Option<&[u8]> {
        let ((at, size), differs) = self.codes.of(c)?;
        let within = |differs: bool| {
            let before = std::str::from_utf8(edit.before).ok().filter(|_| differs)?;
            self.code_at(edit.from as usize + before.find(c)?, c)
        };
        within(differs).or(Some(&self.raw[at..at + size]))
    }
}

impl Coding {
    /// The name of the encoding.
    pub fn name(&self) -> &'static str {
        match self {
            Self::Utf8 => "UTF-8",
            Self::Decoded(decoded) => decoded.encoding.name(),
        }
    }

    /// An offset of the text as one on disk.
    pub fn on_disk(&self, offset: u64) -> u64 {
        match self {
            Self::Utf8 => offset,
            // A decoded text is in memory, so its offsets fit.
            Self::Decoded(decoded) => decoded.on_disk(offset as usize) as u64,
        }
    }

    /// The bytes on disk of a range of the text that holds `bytes`.
    pub fn raw<'b>(&'b self, from: u64, bytes: &'b [u8]) -> &'b [u8] {
        match self {
            Self::Utf8 => bytes,
            Self::Decoded(decoded) => {
                let from = from as usize;
                &decoded.raw[decoded.on_disk(from)..decoded.on_disk(from + bytes.len())]
            }
        }
    }

    /// The new text of an edit as it is written to disk; `None` where the encoding has no way to
    /// write it.
    pub fn encode<'b>(&self, edit: &HunkEdit<'b>) -> Option<Cow<'b, [u8]>> {
        match self {
            Self::Utf8 => Some(edit.after.into()),
            Self::Decoded(decoded) => decoded.encode(edit).map(Cow::Owned),
        }
    }

    /// The line of the first bytes without a meaning in the encoding, and how many such places
    /// there are. UTF-8 is not looked through.
    pub fn meaningless(&self) -> Option<(u64, u64)> {
        match self {
            Self::Utf8 => None,
            Self::Decoded(decoded) => decoded.meaningless,
        }
    }
}
