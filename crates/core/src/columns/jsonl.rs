//! Objects in JSON Lines: where the texts that a pointer leads to are written.
//!
//! `serde_json` decides what is JSON, and gives values as pieces of the line; so every span is
//! one of the line itself.

use crate::columns::scan::RowFault;
use crate::span::Span;
use serde::Deserializer as _;
use serde::de::{MapAccess, Visitor};
use serde_json::value::RawValue;
use std::borrow::Cow;
use std::cell::OnceCell;
use std::collections::HashMap;
use std::fmt;

/// Objects with more members than this have their keys put in an index.
const INDEX_FROM: usize = 24;

/// The members of an object.
#[derive(Debug, Default)]
pub(crate) struct Members<'t> {
    pairs: Vec<(Cow<'t, str>, &'t str)>,
    /// The first member of each key, and whether there is a second.
    index: OnceCell<HashMap<String, (usize, bool)>>,
}

impl<'t> Members<'t> {
    /// The keys with their values as they are written, in order.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &'t str)> {
        self.pairs.iter().map(|(key, value)| (&**key, *value))
    }

    pub fn is_empty(&self) -> bool {
        self.pairs.is_empty()
    }

    /// The value of a key, as it is written.
    pub fn get(&self, key: &str) -> Result<Option<&'t str>, RowFault> {
        let (first, is_twice) = match self.pairs.len() > INDEX_FROM {
            true => match self.index().get(key) {
                Some((first, is_twice)) => (Some(*first), *is_twice),
                None => (None, false),
            },
            false => {
                let mut found = (0..).zip(&self.pairs).filter(|(_, (name, _))| name == key);
                (found.next().map(|(index, _)| index), found.next().is_some())
            }
        };
        match is_twice {
            false => Ok(first.map(|index: usize| self.pairs[index].1)),
            true => Err(RowFault::KeyTwice(key.to_owned())),
        }
    }

    fn index(&self) -> &HashMap<String, (usize, bool)> {
        self.index.get_or_init(|| {
            let mut index = HashMap::with_capacity(self.pairs.len());
            for (at, (key, _)) in self.pairs.iter().enumerate() {
                let met = index.entry(key.to_string());
                met.and_modify(|(_, is_twice)| *is_twice = true)
                    .or_insert((at, false));
            }
            index
        })
    }
}

/// What a value of JSON is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Text,
    Number,
    /// `true`, `null`, an object …
    Other,
}

/// A value that a pointer leads to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Token {
    /// The pointer, each `-` become the number of an element.
    pub pointer: String,
    /// Where it is written in the line, its quotes included.
    pub span: Span,
    /// What it is.
    pub kind: Kind,
}

/// The members of the object that is all of `line`.
pub(crate) fn object(line: &[u8]) -> Result<Members<'_>, RowFault> {
    let text = std::str::from_utf8(line).map_err(|error| RowFault::NotUtf8 {
        byte: error.valid_up_to() + 1,
    })?;
    if !text.trim_start().starts_with('{') {
        // Anything else that is not JSON is told first.
        return Err(match serde_json::from_str::<&RawValue>(text) {
            Ok(_) => RowFault::NotAnObject,
            Err(error) => not_json(&error),
        });
    }
    members(text).map_err(|error| not_json(&error))
}

fn not_json(error: &serde_json::Error) -> RowFault {
    RowFault::NotJson {
        byte: (!error.is_eof()).then(|| error.column()),
    }
}

fn members(text: &str) -> serde_json::Result<Members<'_>> {
    struct Pairs;
    impl<'de> Visitor<'de> for Pairs {
        type Value = Members<'de>;

        fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
            f.write_str("an object")
        }

        fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
            let mut pairs = Vec::new();
            while let Some(key) = map.next_key::<Key<'de>>()? {
                pairs.push((key.0, map.next_value::<&'de RawValue>()?.get()));
            }
            Ok(Members {
                pairs,
                index: OnceCell::new(),
            })
        }
    }
    let mut parser = serde_json::Deserializer::from_str(text);
    let pairs = parser.deserialize_map(Pairs)?;
    parser.end()?;
    Ok(pairs)
}

/// A key, borrowed where it is written without escapes.
#[derive(serde::Deserialize)]
struct Key<'t>(#[serde(borrow)] Cow<'t, str>);

/// The values that `pointer` leads to from the object with these members, which are pieces of
/// `line`.
pub(crate) fn follow(
    line: &[u8],
    members: &Members<'_>,
    pointer: &str,
) -> Result<Vec<Token>, RowFault> {
    let mut found = Vec::new();
    let mut segments = pointer.split('/').skip(1);
    let first = segments.next().unwrap_or_default();
    let rest: Vec<&str> = segments.collect();
    if let Some(value) = members.get(&unescaped(first))? {
        let mut walk = ObjectWalk {
            line,
            found: &mut found,
        };
        walk.go(value, &rest, format!("/{first}"))?;
    }
    Ok(found)
}

/// A segment of a pointer as the key it stands for: RFC 6901, section 4.
fn unescaped(segment: &str) -> String {
    segment.replace("~1", "/").replace("~0", "~")
}

/// A key as a segment of a pointer.
pub(crate) fn escaped(key: &str) -> String {
    key.replace('~', "~0").replace('/', "~1")
}

/// What a value is, by its first sign.
pub(crate) fn kind(value: &str) -> Kind {
    match value.as_bytes().first() {
        Some(b'"') => Kind::Text,
        Some(b'-' | b'0'..=b'9') => Kind::Number,
        _ => Kind::Other,
    }
}

struct ObjectWalk<'w> {
    line: &'w [u8],
    found: &'w mut Vec<Token>,
}

impl ObjectWalk<'_> {
    /// Goes on from `value`, which lies at `pointer`.
    fn go(&mut self, value: &str, rest: &[&str], pointer: String) -> Result<(), RowFault> {
        let Some((segment, rest)) = rest.split_first() else {
            self.take(value, pointer);
            return Ok(());
        };
        if value.starts_with('{') {
            let inner = members(value).map_err(|error| not_json(&error))?;
            if let Some(value) = inner.get(&unescaped(segment))? {
                self.go(value, rest, format!("{pointer}/{segment}"))?;
            }
        } else if value.starts_with('[') {
            let elements: Vec<&RawValue> =
                serde_json::from_str(value).map_err(|error| not_json(&error))?;
            for (index, element) in elements.iter().enumerate() {
                if *segment == "-" || *segment == index.to_string() {
                    self.go(element.get(), rest, format!("{pointer}/{index}"))?;
                }
            }
        }
        Ok(())
    }

    fn take(&mut self, value: &str, pointer: String) {
        // Every value is a piece of the line.
        let from = value.as_ptr() as usize - self.line.as_ptr() as usize;
        self.found.push(Token {
            pointer,
            span: Span::new(from, from + value.len()),
            kind: kind(value),
        });
    }
}

/// The text that a token stands for; `None` where an escape stands for no character.
pub(crate) fn decode(raw: &[u8]) -> Option<Cow<'_, [u8]>> {
    let Some(inner) = raw
        .strip_prefix(b"\"")
        .and_then(|rest| rest.strip_suffix(b"\""))
    else {
        return Some(Cow::Borrowed(raw));
    };
    if memchr::memchr(b'\\', inner).is_none() {
        return Some(Cow::Borrowed(inner));
    }
    let text: String = serde_json::from_slice(raw).ok()?;
    Some(Cow::Owned(text.into_bytes()))
}

/// How many bytes the next character takes as it is written, and as text.
pub(crate) fn one_char(raw: &[u8]) -> (usize, usize) {
    if raw[0] != b'\\' {
        return (1, 1);
    }
    if raw[1] != b'u' {
        return (2, 1);
    }
    let unit = |at: usize| {
        let digits = std::str::from_utf8(raw.get(at..at + 4)?).ok()?;
        u32::from_str_radix(digits, 16).ok()
    };
    match unit(2) {
        // The first half of a pair.
        Some(0xD800..=0xDBFF) => (12, 4),
        Some(code) => (6, char::from_u32(code).map_or(3, char::len_utf8)),
        None => (2, 1),
    }
}

/// `text` as it is written within a string, only what must be escaped escaped.
pub(crate) fn escape(text: &[u8]) -> Option<Vec<u8>> {
    let text = std::str::from_utf8(text).ok()?;
    let written = serde_json::to_string(text).ok()?;
    Some(written.as_bytes()[1..written.len() - 1].to_vec())
}

/// Whether `text` is written as a number.
pub(crate) fn is_number(text: &[u8]) -> bool {
    let number = |text: &str| serde_json::from_str::<&RawValue>(text).is_ok();
    let begins = |b: &u8| *b == b'-' || b.is_ascii_digit();
    text.first().is_some_and(begins)
        && text.last().is_some_and(u8::is_ascii_digit)
        && std::str::from_utf8(text).is_ok_and(number)
}
