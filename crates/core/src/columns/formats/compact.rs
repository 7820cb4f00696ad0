//! Objects of JSON as a container gives them: made by a writer, without a blank between their parts.
//!
//! Such an object need not be checked, only taken apart, which is several times as fast.

use crate::columns::fault::RowFault;
use crate::columns::formats::jsonl::read_object;
use crate::columns::members::Members;
use memchr::memchr2;
use std::borrow::Cow;

/// Adds the members of the object that is all of `line`; one in another form is read as any.
pub(super) fn read_compact<'t>(
    line: &'t [u8],
    members: &mut Members<'t>,
) -> Result<(), RowFault> {
    let text = std::str::from_utf8(line).ok();
    if text.and_then(|text| take_apart(text, members)).is_some() {
        return Ok(());
    }
    members.clear();
    read_object(line, members)
}

/// Adds the members; `None` where the form is another.
fn take_apart<'t>(text: &'t str, members: &mut Members<'t>) -> Option<()> {
    let bytes = text.as_bytes();
    if !text.starts_with("{\"") {
        return None;
    }
    let mut at = 1;
    loop {
        let colon = string_end(bytes, at)?;
        if bytes.get(colon) != Some(&b':') {
            return None;
        }
        let end = value_end(bytes, colon + 1)?;
        members.push(key_of(&text[at..colon])?, &text[colon + 1..end]);
        at = end + 1;
        match bytes.get(end)? {
            b',' => {}
            b'}' => return (at == bytes.len()).then_some(()),
            _ => return None,
        }
    }
}

/// The key that is written so.
fn key_of(raw: &str) -> Option<Cow<'_, str>> {
    let inner = &raw[1..raw.len() - 1];
    match inner.contains('\\') {
        false => Some(Cow::Borrowed(inner)),
        true => serde_json::from_str(raw).ok().map(Cow::Owned),
    }
}

/// One past the string that begins at `from`.
fn string_end(bytes: &[u8], from: usize) -> Option<usize> {
    if bytes.get(from) != Some(&b'"') {
        return None;
    }
    let mut at = from + 1;
    loop {
        at += memchr2(b'"', b'\\', bytes.get(at..)?)?;
        if bytes[at] == b'"' {
            return Some(at + 1);
        }
        at += 2;
    }
}

/// One past the value that begins at `from`.
fn value_end(bytes: &[u8], from: usize) -> Option<usize> {
    match bytes.get(from)? {
        b'"' => string_end(bytes, from),
        b'{' | b'[' => nested_end(bytes, from),
        _ => {
            let rest = &bytes[from..];
            let len = rest.iter().position(|b| matches!(b, b',' | b'}' | b']'))?;
            (len > 0).then_some(from + len)
        }
    }
}

/// One past the list or the object that begins at `from`.
fn nested_end(bytes: &[u8], from: usize) -> Option<usize> {
    let (mut at, mut depth) = (from, 0usize);
    loop {
        match bytes.get(at)? {
            b'"' => {
                at = string_end(bytes, at)?;
                continue;
            }
            b'{' | b'[' => depth += 1,
            b'}' | b']' => depth -= 1,
            _ => {}
        }
        at += 1;
        if depth == 0 {
            return Some(at);
        }
    }
}
