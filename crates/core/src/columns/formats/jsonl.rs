//! JSON Lines: an object on each line, whose texts and numbers are cells.
//!
//! `serde_json` decides what is JSON, and gives values as pieces of the line; so every span is
//! one of the line itself.

use crate::columns::fault::{CellFault, RowFault};
use crate::columns::formats::{PointedCell, RecordSource, RowFormat, unquotable};
use crate::columns::members::Members;
use crate::columns::pointer::unescaped;
use crate::columns::record::{NewCell, RawCell, Record, ScannedRecord};
use crate::columns::spelling::{CellForm, CellSpelling, Spelling};
use crate::columns::token::{Kind, Token, kind};
use crate::span::Span;
use crate::unit::{Line, lines};
use serde::Deserializer as _;
use serde::de::{MapAccess, Visitor};
use serde_json::value::RawValue;
use std::borrow::Cow;
use std::fmt;

/// Objects of JSON, one a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Objects;

impl RowFormat for Objects {
    fn records<'t>(&self, text: &'t [u8]) -> Box<dyn RecordSource<'t> + 't> {
        Box::new(JsonRecords::new(text, read_object))
    }

    fn spelling_of(&self, raw: &[u8]) -> Spelling {
        match raw.starts_with(b"\"") {
            true => Spelling::new(&TextCell, CellForm::PLAIN),
            false => Spelling::new(&NumberCell, CellForm::PLAIN),
        }
    }

    fn spelling_at(&self, _: &Record<'_>, _: usize) -> Option<Spelling> {
        None
    }

    fn follow(&self, record: &Record<'_>, pointer: &str) -> Result<Vec<PointedCell>, RowFault> {
        Ok(pointed(record, self.tokens(record, pointer)?))
    }

    fn tokens(&self, record: &Record<'_>, pointer: &str) -> Result<Vec<Token>, RowFault> {
        pointed_from(record, pointer)
    }

    fn appended(
        &self,
        record: &Record<'_>,
        _: usize,
        cells: &[NewCell<'_>],
    ) -> Result<(usize, Vec<u8>), CellFault> {
        let line = &record.text[record.span.range()];
        // An object ends in a brace, perhaps with blanks around it.
        let brace = memchr::memrchr(b'}', line).unwrap_or(line.len());
        let inner = line[..brace].trim_ascii_end().len();
        let mut text = Vec::new();
        for cell in cells {
            if !matches!(record.members.get(cell.name), Ok(None)) {
                return Err(CellFault::There(cell.name.to_owned()));
            }
            if !record.members.is_empty() || !text.is_empty() {
                text.extend_from_slice(b", ");
            }
            let escaped = |text: &[u8]| escape(text).ok_or_else(|| unquotable(*cell));
            let value = match cell.is_number && is_number(cell.value) {
                true => cell.value.to_vec(),
                false => [b"\"", &*escaped(cell.value)?, b"\""].concat(),
            };
            text.extend([b"\"", &*escaped(cell.name.as_bytes())?, b"\": ", &*value].concat());
        }
        Ok((record.span.from + inner, text))
    }
}

/// Adds the members of the object that is all of a line.
type ReadObject<'t> = fn(&'t [u8], &mut Members<'t>) -> Result<(), RowFault>;

/// The objects of a text, read in this way.
pub(super) struct JsonRecords<'t, L> {
    text: &'t [u8],
    lines: L,
    read: ReadObject<'t>,
}

impl<'t> JsonRecords<'t, ()> {
    pub fn new(
        text: &'t [u8],
        read: ReadObject<'t>,
    ) -> JsonRecords<'t, impl Iterator<Item = Line> + use<'t>> {
        JsonRecords {
            text,
            lines: lines(text),
            read,
        }
    }
}

impl<'t, L: Iterator<Item = Line>> RecordSource<'t> for JsonRecords<'t, L> {
    fn next(&mut self, _: &mut Vec<RawCell>, members: &mut Members<'t>) -> Option<ScannedRecord> {
        let line = self.lines.next()?;
        let bytes = &self.text[line.content.range()];
        let blank = bytes.iter().all(|b| matches!(b, b' ' | b'\t'));
        let mut fault = None;
        members.clear();
        if !blank && let Err(wrong) = (self.read)(bytes, members) {
            fault = Some((line.content.from, wrong));
        }
        Some(ScannedRecord {
            content: line.content,
            lines_above: 0,
            inner_lines: 0,
            ends_line: true,
            fault,
            blank,
        })
    }
}

/// A string of JSON.
struct TextCell;

impl CellSpelling for TextCell {
    fn is_quoted(&self, _: CellForm, raw: &[u8]) -> bool {
        raw.starts_with(b"\"")
    }

    fn one_char(&self, _: CellForm, raw: &[u8]) -> (usize, usize) {
        one_char(raw)
    }

    fn read<'r>(&self, _: CellForm, raw: &'r [u8]) -> Option<Cow<'r, [u8]>> {
        decode(raw)
    }

    fn write(&self, _: CellForm, value: &[u8]) -> Option<Vec<u8>> {
        Some([b"\"", &*escape(value)?, b"\""].concat())
    }

    fn respell(&self, part: &[u8]) -> Option<Option<Vec<u8>>> {
        Some(escape(part))
    }
}

/// A number of JSON.
struct NumberCell;

impl CellSpelling for NumberCell {
    fn write(&self, _: CellForm, value: &[u8]) -> Option<Vec<u8>> {
        is_number(value).then(|| value.to_vec())
    }

    fn is_number(&self) -> bool {
        true
    }
}

/// The texts and numbers among the values that a pointer leads to, as cells.
pub(crate) fn pointed(record: &Record<'_>, tokens: Vec<Token>) -> Vec<PointedCell> {
    let cell = |token: Token| {
        Some(PointedCell {
            span: token.span.shifted(record.span.from),
            pointer: token.pointer,
            spelling: match token.kind {
                Kind::Number => Spelling::new(&NumberCell, CellForm::PLAIN),
                Kind::Text => Spelling::new(&TextCell, CellForm::PLAIN),
                Kind::Other => return None,
            },
        })
    };
    tokens.into_iter().filter_map(cell).collect()
}

/// The members of the object that is all of `line`.
pub(crate) fn object(line: &[u8]) -> Result<Members<'_>, RowFault> {
    let mut members = Members::default();
    read_object(line, &mut members)?;
    Ok(members)
}

/// Adds the members of the object that is all of `line`.
pub(super) fn read_object<'t>(line: &'t [u8], members: &mut Members<'t>) -> Result<(), RowFault> {
    let text = std::str::from_utf8(line).map_err(|error| RowFault::NotUtf8 {
        byte: error.valid_up_to() + 1,
    })?;
    if !text.trim_start().starts_with('{') {
        // Anything else that is not JSON is reported first.
        return Err(match serde_json::from_str::<&RawValue>(text) {
            Ok(_) => RowFault::NotAnObject,
            Err(error) => not_json(&error),
        });
    }
    read_members(text, members).map_err(|error| not_json(&error))
}

/// The members of the object that `text` begins with, and its length in bytes.
pub(crate) fn members_of(text: &str) -> serde_json::Result<(Members<'_>, usize)> {
    let mut values = serde_json::Deserializer::from_str(text).into_iter::<Pairs<'_>>();
    match values.next() {
        Some(Ok(Pairs(members))) => Ok((members, values.byte_offset())),
        Some(Err(error)) => Err(error),
        None => Ok((Members::default(), 0)),
    }
}

fn not_json(error: &serde_json::Error) -> RowFault {
    RowFault::NotJson {
        byte: (!error.is_eof()).then(|| error.column()),
    }
}

/// The keys of an object, and their values as they are written.
struct Pairs<'de>(Members<'de>);

impl<'de> serde::Deserialize<'de> for Pairs<'de> {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let mut members = Members::default();
        deserializer.deserialize_map(PairsVisitor(&mut members))?;
        Ok(Self(members))
    }
}

struct PairsVisitor<'m, 'de>(&'m mut Members<'de>);

impl<'de> Visitor<'de> for PairsVisitor<'_, 'de> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an object")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
        while let Some(key) = map.next_key::<Key<'de>>()? {
            self.0.push(key.0, map.next_value::<&'de RawValue>()?.get());
        }
        Ok(())
    }
}

fn members(text: &str) -> serde_json::Result<Members<'_>> {
    let mut members = Members::default();
    read_members(text, &mut members)?;
    Ok(members)
}

fn read_members<'t>(text: &'t str, members: &mut Members<'t>) -> serde_json::Result<()> {
    let mut parser = serde_json::Deserializer::from_str(text);
    parser.deserialize_map(PairsVisitor(members))?;
    parser.end()
}

/// A key, borrowed where it is written without escapes.
#[derive(serde::Deserialize)]
struct Key<'t>(#[serde(borrow)] Cow<'t, str>);

/// The values that `pointer` leads to from a record, which is an object or another value.
pub(crate) fn pointed_from(record: &Record<'_>, pointer: &str) -> Result<Vec<Token>, RowFault> {
    let line = &record.text[record.span.range()];
    let mut found = Vec::new();
    let mut walk = ObjectWalk {
        line,
        found: &mut found,
    };
    match (line.first(), first_segment(pointer)) {
        // Its members are known.
        (Some(b'{'), Some((first, rest))) => {
            if let Some(value) = record.members.get(&unescaped(first))? {
                walk.go(value, rest, pointer[..=first.len()].to_owned())?;
            }
        }
        _ => {
            // The record was read as JSON.
            let value = std::str::from_utf8(line).unwrap_or_default();
            walk.go(value, pointer, String::new())?;
        }
    }
    Ok(found)
}

/// The first segment of a pointer, and the pointer behind it.
fn first_segment(pointer: &str) -> Option<(&str, &str)> {
    let segments = pointer.strip_prefix('/')?;
    let end = segments.find('/').unwrap_or(segments.len());
    Some(segments.split_at(end))
}

struct ObjectWalk<'w> {
    line: &'w [u8],
    found: &'w mut Vec<Token>,
}

impl ObjectWalk<'_> {
    /// Goes on from `value`, which lies at `pointer`.
    fn go(&mut self, value: &str, rest: &str, pointer: String) -> Result<(), RowFault> {
        let Some((segment, rest)) = first_segment(rest) else {
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
                if segment == "-" || segment == index.to_string() {
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

/// Bytes that the next character takes as it is written, and as text.
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

/// True if `text` is written as a number.
pub(crate) fn is_number(text: &[u8]) -> bool {
    let number = |text: &str| serde_json::from_str::<&RawValue>(text).is_ok();
    let begins = |b: &u8| *b == b'-' || b.is_ascii_digit();
    text.first().is_some_and(begins)
        && text.last().is_some_and(u8::is_ascii_digit)
        && std::str::from_utf8(text).is_ok_and(number)
}
