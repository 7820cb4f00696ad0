//! Records written key by key, without a value being built: for those that come in numbers.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use brisk_quill_core::pattern::Groups;
use brisk_quill_files::discover::Source;
use std::borrow::Cow;

/// A key behind a comma, as one run of bytes.
macro_rules! key {
    ($key:literal) => {
        concat!(",\"", $key, "\":").as_bytes()
    };
}

pub(super) use key;

/// Bytes as text; where they are not UTF-8, the bytes travel beside the shown text.
pub struct Text<'t> {
    pub shown: Cow<'t, str>,
    pub base64: Option<String>,
}

impl<'t> Text<'t> {
    pub fn of(bytes: &'t [u8]) -> Self {
        let shown = lossy(bytes);
        Self {
            base64: match shown {
                Cow::Borrowed(_) => None,
                Cow::Owned(_) => Some(BASE64.encode(bytes)),
            },
            shown,
        }
    }
}

/// As text; the standard library's own way is slow for what is UTF-8.
pub fn lossy(bytes: &[u8]) -> Cow<'_, str> {
    match std::str::from_utf8(bytes) {
        Ok(text) => Cow::Borrowed(text),
        Err(_) => String::from_utf8_lossy(bytes),
    }
}

/// The path of a file as it stands in each of its records.
///
/// `"path":…`, and what belongs to it, behind a comma.
#[derive(Clone)]
pub struct JsonPath(pub Vec<u8>);

impl JsonPath {
    pub fn of(source: &Source) -> Self {
        let path = path_text(source);
        let mut out = Vec::new();
        Line { out: &mut out }.bytes([key!("path"), key!("path_b64")], &path);
        Self(out)
    }
}

/// The path of a file; its bytes beside it also where it holds the sign that stands for stray
/// bytes.
pub fn path_text(source: &Source) -> Text<'_> {
    let bytes = source.path().as_os_str().as_encoded_bytes();
    let mut text = Text::of(bytes);
    if text.shown.contains(char::REPLACEMENT_CHARACTER) {
        text.base64.get_or_insert_with(|| BASE64.encode(bytes));
    }
    text
}

/// Writes a record on a line of its own, key by key, for those records that come in numbers.
pub struct Line<'o> {
    out: &'o mut Vec<u8>,
}

impl<'o> Line<'o> {
    pub fn begin(out: &'o mut Vec<u8>, head: &str) -> Self {
        out.extend_from_slice(head.as_bytes());
        Self { out }
    }

    /// What is written next is the value of `key`.
    pub fn key(&mut self, key: &[u8]) -> &mut Vec<u8> {
        self.out.extend_from_slice(key);
        self.out
    }

    pub fn number(&mut self, key: &[u8], number: u64) {
        push_number(self.key(key), number);
    }

    pub fn text(&mut self, key: &[u8], text: &str) {
        push_text(self.key(key), text);
    }

    /// Bytes under `key`, and where they are not UTF-8 also under the other key.
    pub fn bytes(&mut self, [key, key_b64]: [&[u8]; 2], text: &Text<'_>) {
        self.text(key, &text.shown);
        if let Some(base64) = &text.base64 {
            self.text(key_b64, base64);
        }
    }

    /// The path of the file, the line, and the column.
    pub fn place(&mut self, path: &[u8], line: u64, cell: Option<&str>) {
        self.out.extend_from_slice(path);
        self.number(key!("line"), line);
        push_text_or_null(self.key(key!("cell")), cell);
    }

    /// The groups of a match but for the whole match, which comes first.
    pub fn groups<'g>(
        &mut self,
        names: Option<&Groups>,
        groups: impl Iterator<Item = Option<&'g [u8]>>,
    ) {
        let out = self.key(key!("groups"));
        out.push(b'[');
        for (number, text) in groups.enumerate().skip(1) {
            let head: &[u8] = match number {
                1 => b"{\"number\":",
                _ => b",{\"number\":",
            };
            out.extend_from_slice(head);
            push_number(out, number as u64);
            out.extend_from_slice(key!("name"));
            push_text_or_null(out, names.and_then(|names| names.name(number)));
            out.extend_from_slice(key!("text"));
            let text = text.map(lossy);
            push_text_or_null(out, text.as_deref());
            out.push(b'}');
        }
        out.push(b']');
    }

    pub fn end(self) {
        self.out.extend_from_slice(b"}\n");
    }
}

pub fn push_number(out: &mut Vec<u8>, number: u64) {
    out.extend_from_slice(itoa::Buffer::new().format(number).as_bytes());
}

fn push_text(out: &mut Vec<u8>, text: &str) {
    // All bytes are looked at, for then several are at a time. With those at the end a character
    // may begin that a terminal obeys or hides.
    let is_plain = |byte: u8| {
        (byte >= b' ')
            & (byte != b'"')
            & (byte != b'\\')
            & !matches!(byte, 0x7F | 0xC2 | 0xD8 | 0xE2 | 0xEF | 0xF3)
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
    super::push_json(out, text);
}

fn push_text_or_null(out: &mut Vec<u8>, text: Option<&str>) {
    match text {
        Some(text) => push_text(out, text),
        None => out.extend_from_slice(b"null"),
    }
}
