//! Text made safe to show: no control character reaches a terminal, no byte is hidden.

use std::fmt::Write as _;

/// Appends `bytes` to `out` with every character that could drive or confuse a terminal replaced
/// by a visible sign.
///
/// C0 controls become their names (`‹ESC›`), but for a tab, `→`, and a line feed, `↵`; C1 controls,
/// bidirectional and invisible format characters become `‹U+202E›`, and bytes that are not UTF-8
/// `‹FF›`. Fonts commonly have all of these signs.
pub fn push_visible(out: &mut String, bytes: &[u8]) {
    for chunk in bytes.utf8_chunks() {
        let mut rest = chunk.valid();
        while !rest.is_empty() {
            // Nearly all text is this, and needs no look at each character.
            let is_plain = |byte: &u8| matches!(byte, b' '..=b'~');
            let plain = rest.bytes().take_while(is_plain).count();
            out.push_str(&rest[..plain]);
            let mut chars = rest[plain..].chars();
            if let Some(c) = chars.next() {
                push_visible_char(out, c);
            }
            rest = chars.as_str();
        }
        for byte in chunk.invalid() {
            // Writing to a String cannot fail.
            let _ = write!(out, "‹{byte:02X}›");
        }
    }
}

/// The names of the C0 controls, in order.
const CONTROLS: [&str; 32] = [
    "NUL", "SOH", "STX", "ETX", "EOT", "ENQ", "ACK", "BEL", "BS", "HT", "LF", "VT", "FF", "CR",
    "SO", "SI", "DLE", "DC1", "DC2", "DC3", "DC4", "NAK", "SYN", "ETB", "CAN", "EM", "SUB", "ESC",
    "FS", "GS", "RS", "US",
];

/// Appends one character, made visible as [`push_visible`] does.
pub fn push_visible_char(out: &mut String, c: char) {
    match c {
        '\t' => out.push('→'),
        '\n' => out.push('↵'),
        '\0'..='\x1F' => {
            let _ = write!(out, "‹{}›", CONTROLS[c as usize]);
        }
        '\x7F' => out.push_str("‹DEL›"),
        c if is_hidden(c) => {
            let _ = write!(out, "‹U+{:04X}›", c as u32);
        }
        c => out.push(c),
    }
}

/// The bytes of a path, written as a reference to it (RFC 3986).
///
/// ```
/// use brisk_quill_core::escape::uri_path;
/// assert_eq!(uri_path(b"no tices/a.md"), "no%20tices/a.md");
/// ```
pub fn uri_path(bytes: &[u8]) -> String {
    let mut out = String::with_capacity(bytes.len());
    for byte in bytes {
        match byte {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'-' | b'.' | b'_' | b'~' | b'/' => {
                out.push(char::from(*byte));
            }
            // Writing to a String cannot fail.
            other => drop(write!(out, "%{other:02X}")),
        }
    }
    out
}

/// `bytes` as [`push_visible`] shows them.
pub fn visible(bytes: &[u8]) -> String {
    let mut out = String::with_capacity(bytes.len());
    push_visible(&mut out, bytes);
    out
}

/// `bytes` as [`push_visible`] shows them, with each blank drawn as `·`: for text that changes.
pub fn visible_blanks(bytes: &[u8]) -> String {
    let mut out = String::with_capacity(bytes.len());
    for (number, part) in bytes.split(|byte| *byte == b' ').enumerate() {
        if number > 0 {
            out.push('·');
        }
        push_visible(&mut out, part);
    }
    out
}

/// `bytes` as [`push_visible`] shows them, with the blanks at their end drawn: for a line.
pub fn visible_end(bytes: &[u8]) -> String {
    let (text, blanks) = bytes.split_at(bytes.trim_ascii_end().len());
    visible(text) + &visible_blanks(blanks)
}

/// A path as [`push_visible`] shows it.
pub fn visible_path(path: &std::path::Path) -> String {
    visible(path.as_os_str().as_encoded_bytes())
}

/// Appends text that may come from anywhere, made visible but for its line ends: the gate before a
/// terminal. What has passed it once passes it again unchanged.
pub fn push_gated(out: &mut String, text: &str) {
    for (number, line) in text.split('\n').enumerate() {
        if number > 0 {
            out.push('\n');
        }
        push_visible(out, line.as_bytes());
    }
}

/// Characters that a terminal obeys or shows as nothing: C1 controls, bidirectional marks and
/// isolates, zero-width characters other than the joiners that scripts and emoji need, line and
/// paragraph separators, the byte-order mark, fillers, variation selectors, interlinear marks and tags: what
/// Unicode calls `Default_Ignorable_Code_Point`, but for the joiners.
pub fn is_hidden(c: char) -> bool {
    matches!(c,
        '\u{80}'..='\u{9F}'
        | '\u{AD}'
        | '\u{34F}'
        | '\u{61C}'
        | '\u{115F}' | '\u{1160}'
        | '\u{17B4}' | '\u{17B5}'
        | '\u{180B}'..='\u{180F}'
        | '\u{200B}' | '\u{200E}' | '\u{200F}'
        | '\u{2028}'..='\u{202E}'
        | '\u{2060}'..='\u{206F}'
        | '\u{3164}'
        | '\u{FE00}'..='\u{FE0F}'
        | '\u{FEFF}'
        | '\u{FFA0}'
        | '\u{FFF0}'..='\u{FFFB}'
        | '\u{13430}'..='\u{1343F}'
        | '\u{1BCA0}'..='\u{1BCA3}'
        | '\u{1D173}'..='\u{1D17A}'
        | '\u{E0000}'..='\u{E0FFF}')
}
