//! JSON in which no character drives or confuses a terminal.

use crate::escape::is_hidden;
use serde::Serialize;
use std::borrow::Cow;
use std::io;

/// Writes a value. Characters that a terminal obeys or hides are written by their numbers.
pub fn push_value(out: &mut Vec<u8>, value: &(impl Serialize + ?Sized)) {
    let mut serializer = serde_json::Serializer::with_formatter(out, ByNumber);
    let written = value.serialize(&mut serializer);
    written.expect("records hold only strings and numbers");
}

/// Writes a number.
pub fn push_number(out: &mut Vec<u8>, number: u64) {
    out.extend_from_slice(itoa::Buffer::new().format(number).as_bytes());
}

/// Writes a string, fast where nothing in it must be escaped.
pub fn push_text(out: &mut Vec<u8>, text: &str) {
    // All bytes are looked at, for then several are at a time. With those at the end each character
    // begins that a terminal obeys or hides.
    let is_plain = |byte: u8| {
        (byte >= b' ')
            & (byte != b'"')
            & (byte != b'\\')
            & !matches!(
                byte,
                0x7F | 0xC2 | 0xCD | 0xD8 | 0xE1..=0xE3 | 0xEF | 0xF0 | 0xF3
            )
    };
    if text
        .bytes()
        .fold(true, |plain, byte| plain & is_plain(byte))
    {
        out.reserve(text.len() + 2);
        out.push(b'"');
        out.extend_from_slice(text.as_bytes());
        return out.push(b'"');
    }
    push_value(out, text);
}

/// Bytes as text; the standard library's own way is slow for what is UTF-8.
pub fn lossy(bytes: &[u8]) -> Cow<'_, str> {
    match std::str::from_utf8(bytes) {
        Ok(text) => Cow::Borrowed(text),
        Err(_) => String::from_utf8_lossy(bytes),
    }
}

/// Writes characters by their numbers that a terminal obeys or hides.
struct ByNumber;

impl serde_json::ser::Formatter for ByNumber {
    fn write_string_fragment<W: ?Sized + io::Write>(
        &mut self,
        out: &mut W,
        fragment: &str,
    ) -> io::Result<()> {
        let mut done = 0;
        for (at, c) in fragment.char_indices() {
            if !is_hidden(c) && c != '\x7F' {
                continue;
            }
            out.write_all(&fragment.as_bytes()[done..at])?;
            for unit in c.encode_utf16(&mut [0; 2]) {
                write!(out, "\\u{unit:04x}")?;
            }
            done = at + c.len_utf8();
        }
        out.write_all(&fragment.as_bytes()[done..])
    }
}
