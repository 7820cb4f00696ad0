//! JSON documents: one value in a file, an array of records or a single object.
//!
//! A document is read as JSON Lines is, record by record, so an array of any length takes little memory. It is cut
//! between the elements of the outermost array, each time before the comma: so a piece that begins with one
//! goes on with an array.

pub(crate) mod element_ends;

use crate::columns::fault::{CellFault, RowFault};
use crate::columns::formats::document::element_ends::ElementEnds;
use crate::columns::formats::jsonl::{Objects, members_of, pointed, pointed_from};
use crate::columns::formats::{PointedCell, RecordEnds, RecordSource, RowFormat};
use crate::columns::members::Members;
use crate::columns::record::{NewCell, RawCell, Record, ScannedRecord};
use crate::columns::spelling::Spelling;
use crate::columns::token::Token;
use crate::span::Span;
use crate::unit::line_ends;
use serde_json::value::RawValue;

/// One value of JSON in a text; its records are the elements of the outermost array, or it is one itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Document;

impl RowFormat for Document {
    fn record_ends(&self) -> Option<RecordEnds> {
        Some(RecordEnds::Elements(ElementEnds::default()))
    }

    fn records<'t>(&self, text: &'t [u8]) -> Box<dyn RecordSource<'t> + 't> {
        let utf8 = std::str::from_utf8(text);
        Box::new(Elements {
            text,
            json: utf8.map_err(|error| error.valid_up_to()),
            at: usize::from(text.starts_with(b"\xEF\xBB\xBF")) * 3,
            counted: 0,
            state: State::Begin,
        })
    }

    fn spelling_of(&self, raw: &[u8]) -> Spelling {
        Objects.spelling_of(raw)
    }

    fn spelling_at(&self, _: &Record<'_>, _: usize) -> Option<Spelling> {
        None
    }

    fn follow(&self, record: &Record<'_>, pointer: &str) -> Result<Vec<PointedCell>, RowFault> {
        Ok(pointed(record, self.tokens(record, pointer)?))
    }

    /// Pointers go from the document, `/-/name`, or from the element, `/name`.
    fn tokens(&self, record: &Record<'_>, pointer: &str) -> Result<Vec<Token>, RowFault> {
        if !is_element(record) {
            return pointed_from(record, pointer);
        }
        let inner = pointer.strip_prefix("/-");
        let inner = inner.filter(|rest| rest.is_empty() || rest.starts_with('/'));
        let mut tokens = pointed_from(record, inner.unwrap_or(pointer))?;
        for token in &mut tokens {
            token.pointer.insert_str(0, "/-");
        }
        Ok(tokens)
    }

    fn appended(
        &self,
        record: &Record<'_>,
        width: usize,
        cells: &[NewCell<'_>],
    ) -> Result<(usize, Vec<u8>), CellFault> {
        match record.text[record.span.range()].starts_with(b"{") {
            true => Objects.appended(record, width, cells),
            false => Err(CellFault::Absent(cells[0].name.to_owned())),
        }
    }
}

/// True if a record is an element of an array, and not the document itself.
fn is_element(record: &Record<'_>) -> bool {
    let before = record.text[..record.span.from].trim_ascii_end();
    matches!(before.last(), Some(b'[' | b','))
}

/// The records of a piece of a document.
struct Elements<'t> {
    text: &'t [u8],
    /// The text, or the length of its beginning that is UTF-8.
    json: Result<&'t str, usize>,
    /// The place up to which it has been read.
    at: usize,
    /// The place up to which lines have been counted.
    counted: usize,
    state: State,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum State {
    /// Nothing has been read: the document begins here, or goes on.
    Begin,
    /// Behind an element.
    Behind,
    /// Behind the whole document, or at a fault in it.
    Over,
}

/// A fault and its place in the text.
type FaultAt = (usize, RowFault);

impl<'t> Elements<'t> {
    fn skip_blanks(&mut self) -> Option<u8> {
        let rest = &self.text[self.at..];
        let is_blank = |b: &u8| matches!(b, b' ' | b'\t' | b'\n' | b'\r');
        self.at += rest.iter().take_while(|b| is_blank(b)).count();
        self.text.get(self.at).copied()
    }

    /// The place of the next record; `None` where there is none in this piece.
    fn begin_record(&mut self) -> Result<Option<usize>, FaultAt> {
        let Some(first) = self.skip_blanks() else {
            return Ok(None);
        };
        match (self.state, first) {
            (State::Begin, b'{') => Ok(Some(self.at)),
            (State::Begin, b'[') => {
                self.at += 1;
                match self.skip_blanks() {
                    Some(b']') => self.close(),
                    Some(_) => Ok(Some(self.at)),
                    None => Ok(None),
                }
            }
            (State::Begin | State::Behind, b',') => {
                self.at += 1;
                match self.skip_blanks() {
                    Some(_) => Ok(Some(self.at)),
                    None => Err((self.at, RowFault::CutOff)),
                }
            }
            (State::Begin | State::Behind, b']') => self.close(),
            (State::Begin, _) => Err((self.at, RowFault::NotADocument)),
            (State::Behind | State::Over, _) => Err((self.at, self.not_json(self.at))),
        }
    }

    /// Goes behind the bracket that ends an array.
    fn close(&mut self) -> Result<Option<usize>, FaultAt> {
        self.at += 1;
        self.end()
    }

    /// Makes sure that nothing follows the document.
    fn end(&mut self) -> Result<Option<usize>, FaultAt> {
        self.state = State::Over;
        match self.skip_blanks() {
            None => Ok(None),
            Some(_) => Err((self.at, RowFault::AfterDocument)),
        }
    }

    /// Reads the value that begins at `from`.
    fn value(&mut self, json: &'t str, from: usize) -> Result<(Span, Members<'t>), FaultAt> {
        let rest = &json[from..];
        let mut members = Members::default();
        let parsed = match rest.starts_with('{') {
            true => members_of(rest).map(|(found, length)| {
                members = found;
                length
            }),
            false => {
                let mut values = serde_json::Deserializer::from_str(rest).into_iter::<&RawValue>();
                match values.next() {
                    Some(Ok(value)) => Ok(value.get().len()),
                    Some(Err(error)) => Err(error),
                    None => Ok(0),
                }
            }
        };
        let length = parsed.map_err(|error| {
            if error.is_eof() {
                return (json.len(), RowFault::CutOff);
            }
            let line = rest.split_inclusive('\n').take(error.line() - 1);
            let before: usize = line.map(str::len).sum();
            let at = from + before + error.column().saturating_sub(1);
            let at = at.min(json.len());
            (at, self.not_json(at))
        })?;
        Ok((Span::new(from, from + length), members))
    }

    fn not_json(&self, at: usize) -> RowFault {
        let start = memchr::memrchr(b'\n', &self.text[..at]).map_or(0, |end| end + 1);
        RowFault::NotJsonHere {
            byte: at - start + 1,
        }
    }

    fn record(&mut self) -> Result<Option<(Span, Members<'t>)>, FaultAt> {
        if self.state == State::Over {
            return Ok(None);
        }
        let json = self.json.map_err(|valid| {
            let start = memchr::memrchr(b'\n', &self.text[..valid]).map_or(0, |end| end + 1);
            let byte = valid - start + 1;
            (valid, RowFault::NotUtf8 { byte })
        })?;
        let is_whole = self.state == State::Begin && self.skip_blanks() == Some(b'{');
        let Some(from) = self.begin_record()? else {
            return Ok(None);
        };
        let (span, members) = self.value(json, from)?;
        self.at = span.to;
        self.state = State::Behind;
        if is_whole {
            self.end()?;
        }
        Ok(Some((span, members)))
    }
}

impl<'t> RecordSource<'t> for Elements<'t> {
    fn next(&mut self, _: &mut Vec<RawCell>, members: &mut Members<'t>) -> Option<ScannedRecord> {
        let (content, fault) = match self.record() {
            Ok(None) => return None,
            Ok(Some((span, found))) => {
                *members = found;
                (span, None)
            }
            Err((at, fault)) => {
                self.state = State::Over;
                (Span::new(at, at), Some((at, fault)))
            }
        };
        let lines_above = line_ends(&self.text[self.counted..content.from]);
        self.counted = content.to;
        Some(ScannedRecord {
            content,
            lines_above,
            inner_lines: line_ends(&self.text[content.range()]),
            ends_line: false,
            fault,
            blank: false,
        })
    }

    fn lines_below(&self) -> u64 {
        line_ends(&self.text[self.counted..])
    }

    fn is_complete(&self) -> bool {
        self.state == State::Over || self.text[self.at..].trim_ascii().is_empty() && self.at == 0
    }
}
