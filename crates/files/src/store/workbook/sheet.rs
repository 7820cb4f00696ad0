//! The cells of a sheet, with the places of their values in its member.

use super::damaged;
use super::strings::{Shared, Strings, text_of};
use super::styles::date_of;
use super::xml::{Met, Xml, attribute};
use std::io;
use std::ops::Range;

/// The most columns that a sheet has.
pub const COLUMNS_MOST: usize = 16_384;

/// A row with at least one cell that is not empty.
pub struct SheetRow {
    /// The number, from 1.
    pub number: u64,
    pub cells: Vec<Cell>,
}

/// A cell that is not empty.
pub struct Cell {
    /// The column, from 0.
    pub column: usize,
    pub value: Value,
    pub place: Place,
}

/// The value of a cell.
pub enum Value {
    Text(String),
    /// A number as it is written.
    Number(String),
    /// `true` or `false`.
    Truth(bool),
    /// Of this kind, and left alone: a formula, a date, an error.
    Other(&'static str, String),
}

/// The place of a value that can be written anew.
pub enum Place {
    /// The number of a shared text, and where it stands.
    Shared(usize, Range<usize>),
    /// A text of its own; the place of the inside of its element, and what it is made of.
    Inline(Range<usize>, Shared),
    Number(Range<usize>),
    None,
}

/// Facts about a workbook that its sheets are read with.
pub struct Book {
    pub strings: Strings,
    pub dates: Vec<bool>,
    pub from_1904: bool,
}

/// Reads the rows of a sheet.
pub fn rows(xml: &[u8], name: &str, book: &Book) -> io::Result<Vec<SheetRow>> {
    let mut reader = Xml::new(xml, name);
    let mut rows: Vec<SheetRow> = Vec::new();
    let (mut number, mut column) = (0, 0);
    loop {
        match reader.next()? {
            Met::Eof => {
                rows.retain(|row| !row.cells.is_empty());
                return Ok(rows);
            }
            Met::Start { name, tag, .. } if name == "row" => {
                let own = attribute(&tag, "r").and_then(|number| number.parse().ok());
                number = own.unwrap_or(number + 1);
                column = 0;
                rows.push(SheetRow {
                    number,
                    cells: Vec::new(),
                });
            }
            Met::Start {
                name,
                tag,
                is_empty,
                ..
            } if name == "c" => {
                let own = attribute(&tag, "r").and_then(|place| column_of(&place));
                column = own.unwrap_or(column);
                if column >= COLUMNS_MOST {
                    return Err(damaged(format!(
                        "row {number} has more than {COLUMNS_MOST} columns"
                    )));
                }
                let kind = attribute(&tag, "t").unwrap_or_default();
                let style = attribute(&tag, "s").and_then(|style| style.parse().ok());
                let style: usize = style.unwrap_or(0);
                let found = match is_empty {
                    true => None,
                    false => cell(&mut reader, xml, (&kind, style), book)?,
                };
                if let (Some((value, place)), Some(row)) = (found, rows.last_mut()) {
                    row.cells.push(Cell {
                        column,
                        value,
                        place,
                    });
                }
                column += 1;
            }
            Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
        }
    }
}

/// The letters of a column, given from 0.
pub fn letters(column: usize) -> String {
    let mut rest = column + 1;
    let mut letters = Vec::new();
    while rest > 0 {
        letters.push(b'A' + ((rest - 1) % 26) as u8);
        rest = (rest - 1) / 26;
    }
    letters
        .iter()
        .rev()
        .map(|letter| char::from(*letter))
        .collect()
}

/// The column of a place such as `AB12`, from 0.
pub fn column_of(place: &str) -> Option<usize> {
    let letters = place.bytes().take_while(u8::is_ascii_alphabetic);
    let column = letters.take(4).fold(0usize, |sum, letter| {
        sum * 26 + usize::from(letter.to_ascii_uppercase() - b'A') + 1
    });
    column.checked_sub(1)
}

/// The rest of a cell whose start has been read.
fn cell(
    reader: &mut Xml<'_>,
    xml: &[u8],
    (kind, style): (&str, usize),
    book: &Book,
) -> io::Result<Option<(Value, Place)>> {
    let (mut text, mut in_value, mut has_formula) = (String::new(), None, false);
    let (mut place, mut inline) = (None, None);
    loop {
        match reader.next()? {
            Met::Eof => return Ok(None),
            Met::Start { name, .. } if name == "f" => has_formula = true,
            Met::Start {
                name,
                place: tag,
                is_empty,
                ..
            } if name == "v" && !is_empty => in_value = Some(tag.end),
            Met::End { name, place: tag } if name == "v" => {
                place = in_value.take().map(|from| from..tag.start);
            }
            Met::Start {
                name,
                place: tag,
                is_empty: false,
                ..
            } if name == "is" => {
                let found = text_of(reader, xml, "is")?;
                // The tag that ends it is the last that was read.
                let end = memchr::memmem::rfind(&xml[..reader.at()], b"</").unwrap_or(tag.end);
                inline = Some((tag.end..end, found));
            }
            Met::End { name, .. } if name == "c" => break,
            Met::Text(part) if in_value.is_some() => text.push_str(&part),
            Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
        }
    }
    if has_formula {
        return Ok(Some((Value::Other("formula", text), Place::None)));
    }
    if let Some((place, found)) = inline {
        return Ok(Some((
            Value::Text(found.text.clone()),
            Place::Inline(place, found),
        )));
    }
    let Some(place) = place else {
        return Ok(None);
    };
    Ok(Some(match kind {
        "s" => {
            let number: usize = text.trim().parse().unwrap_or(usize::MAX);
            let Some(shared) = book.strings.all.get(number) else {
                return Err(damaged(format!(
                    "a cell names the shared text {text}, which is not there"
                )));
            };
            (
                Value::Text(shared.text.clone()),
                Place::Shared(number, place),
            )
        }
        "b" => (Value::Truth(text.trim() == "1"), Place::None),
        "e" => (Value::Other("error", text), Place::None),
        "str" => (Value::Other("formula", text), Place::None),
        "d" => (Value::Other("date", text), Place::None),
        _ if book.dates.get(style) == Some(&true) => {
            let date = text
                .trim()
                .parse()
                .ok()
                .and_then(|number| date_of(number, book.from_1904));
            (Value::Other("date", date.unwrap_or(text)), Place::None)
        }
        _ => (Value::Number(text.trim().to_owned()), Place::Number(place)),
    }))
}
