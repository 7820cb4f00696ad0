//! Encodings of texts.

use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE};

/// An encoding that texts can be read and written in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TextEncoding(pub(crate) &'static Encoding);

/// A label that names no usable encoding.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum EncodingError {
    /// Nothing is known by this name.
    #[error("there is no encoding called `{0}`")]
    Unknown(String),
    /// The meaning of a byte depends on the bytes before it, so a change could not stay local.
    #[error("`{0}` keeps state between characters and cannot be rewritten safely")]
    Stateful(String),
}

impl TextEncoding {
    /// The encoding of a WHATWG label, such as `latin1` or `shift_jis`.
    ///
    /// # Errors
    ///
    /// When there is none of this name, or it is stateful.
    pub fn of_label(label: &str) -> Result<Self, EncodingError> {
        let found = Encoding::for_label_no_replacement(label.as_bytes());
        let encoding = found.ok_or_else(|| EncodingError::Unknown(label.to_owned()))?;
        if encoding == encoding_rs::ISO_2022_JP {
            return Err(EncodingError::Stateful(label.to_owned()));
        }
        Ok(Self(encoding))
    }

    /// The name, as in records.
    pub fn name(self) -> &'static str {
        self.0.name()
    }

    /// True if a character may have several codes, or one that is never written.
    pub(crate) fn has_codes(self) -> bool {
        !self.0.is_single_byte() && self.0 != UTF_16LE && self.0 != UTF_16BE
    }

    /// True if it is UTF-8, which needs no decoding.
    pub(crate) fn is_utf8(self) -> bool {
        self.0 == UTF_8
    }

    pub(crate) fn utf8() -> Self {
        Self(UTF_8)
    }

    /// The encoding that a byte-order mark at the start of `head` says, and the mark's length.
    pub(crate) fn of_mark(head: &[u8]) -> Option<(Self, usize)> {
        Encoding::for_bom(head).map(|(encoding, length)| (Self(encoding), length))
    }

    /// The first character of `raw` and how many bytes it takes; `None` for bytes without a
    /// meaning.
    pub(crate) fn first(self, raw: &[u8]) -> (Option<char>, usize) {
        if self.0 == UTF_16LE || self.0 == UTF_16BE {
            return self.first_utf16(raw);
        }
        if raw[0].is_ascii() {
            return (Some(char::from(raw[0])), 1);
        }
        let longest = if self.0.is_single_byte() {
            1
        } else {
            raw.len().min(4)
        };
        for length in 1..=longest {
            let decoded = self
                .0
                .decode_without_bom_handling_and_without_replacement(&raw[..length]);
            let mut chars = decoded.as_deref().unwrap_or_default().chars();
            if let (Some(c), None) = (chars.next(), chars.next()) {
                return (Some(c), length);
            }
        }
        (None, 1)
    }

    pub(crate) fn first_utf16(self, raw: &[u8]) -> (Option<char>, usize) {
        let unit = |at: usize| {
            let pair = [*raw.get(at)?, *raw.get(at + 1)?];
            Some(if self.0 == UTF_16LE {
                u16::from_le_bytes(pair)
            } else {
                u16::from_be_bytes(pair)
            })
        };
        let Some(first) = unit(0) else {
            return (None, 1);
        };
        let units = [first, unit(2).unwrap_or(0)];
        match char::decode_utf16(units).next() {
            Some(Ok(c)) => (Some(c), 2 * c.len_utf16()),
            _ => (None, 2),
        }
    }

    pub(crate) fn encode(self, text: &str) -> Option<Vec<u8>> {
        if self.0 == UTF_16LE {
            return Some(text.encode_utf16().flat_map(u16::to_le_bytes).collect());
        }
        if self.0 == UTF_16BE {
            return Some(text.encode_utf16().flat_map(u16::to_be_bytes).collect());
        }
        let (bytes, _, unmappable) = self.0.encode(text);
        (!unmappable).then(|| bytes.into_owned())
    }
}
