//! Objects of JSON as a container gives them: made by a writer, without a blank between their parts.
//!
//! Such an object need not be checked, only taken apart, which is several times as fast.

use crate::columns::fault::RowFault;
use crate::columns::formats::jsonl::{object, read_object};
use crate::columns::members::Members;
use memchr::memchr2;
use std::borrow::Cow;

/// Bytes that are looked at one by one.
const NEAR: usize = 16;

/// Adds the members of the object that is all of `line`; one in another form is read as any.
pub(super) fn read_compact<'t>(line: &'t [u8], members: &mut Members<'t>) -> Result<(), RowFault> {
    let text = std::str::from_utf8(line).ok();
    let taken = text.and_then(|text| {
        take_apart(text, |key, value| {
            members.push(key, value);
            true
        })
    });
    if taken.is_some() {
        return Ok(());
    }
    members.clear();
    read_object(line, members)
}

/// The first value with this key, as it is written; `None` where there is none. An object in another form is read as any.
pub(in crate::columns) fn member<'t>(text: &'t str, wanted: &str) -> Option<&'t str> {
    let mut found = None;
    let taken = take_apart(text, |key, value| {
        found = (key == wanted).then_some(value);
        found.is_none()
    });
    match taken {
        Some(()) => found,
        None => object(text.as_bytes()).ok()?.get(wanted).ok()?,
    }
}

/// Shows the members, until `go_on` says no; `None` where the form is another.
fn take_apart<'t>(
    text: &'t str,
    mut go_on: impl FnMut(Cow<'t, str>, &'t str) -> bool,
) -> Option<()> {
    let bytes = text.as_bytes();
    if !text.starts_with("{\"") {
        return None;
    }
    let mut at = 1;
    loop {
        let (colon, is_escaped) = string_end(bytes, at)?;
        if bytes.get(colon) != Some(&b':') {
            return None;
        }
        let end = value_end(bytes, colon + 1)?;
        if !go_on(key_of(&text[at..colon], is_escaped)?, &text[colon + 1..end]) {
            return Some(());
        }
        at = end + 1;
        match bytes.get(end)? {
            b',' => {}
            b'}' => return (at == bytes.len()).then_some(()),
            _ => return None,
        }
    }
}

/// The key that is written so.
fn key_of(raw: &str, is_escaped: bool) -> Option<Cow<'_, str>> {
    match is_escaped {
        false => Some(Cow::Borrowed(&raw[1..raw.len() - 1])),
        true => serde_json::from_str(raw).ok().map(Cow::Owned),
    }
}

/// One past the string that begins at `from`, and true if there are escapes in it.
#[inline]
fn string_end(bytes: &[u8], from: usize) -> Option<(usize, bool)> {
    if bytes.get(from) != Some(&b'"') {
        return None;
    }
    let (mut at, mut is_escaped) = (from + 1, false);
    loop {
        at += next_sign(bytes.get(at..)?)?;
        if bytes[at] == b'"' {
            return Some((at + 1, is_escaped));
        }
        is_escaped = true;
        at += 2;
    }
}

/// The first quote or backslash.
#[inline]
fn next_sign(bytes: &[u8]) -> Option<usize> {
    // A search that looks at many bytes at once takes longer to begin than most strings do.
    let (near, far) = bytes.split_at(bytes.len().min(NEAR));
    let found = near.iter().position(|byte| matches!(byte, b'"' | b'\\'));
    found.or_else(|| Some(NEAR + memchr2(b'"', b'\\', far)?))
}

/// One past the value that begins at `from`.
fn value_end(bytes: &[u8], from: usize) -> Option<usize> {
    match bytes.get(from)? {
        b'"' => Some(string_end(bytes, from)?.0),
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
                (at, _) = string_end(bytes, at)?;
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
