//! The cells of a sheet, with the places of their values in its member.

use super::damaged;
use super::strings::{Shared, Strings, text_of};
use super::styles::date_of;
use super::xml::{Met, Xml, attribute, attributes};
use std::borrow::Cow;
use std::io;
use std::ops::Range;

/// The most columns that a sheet has.
pub const COLUMNS_MOST: usize = 16_384;

/// A row with at least one cell that is not empty.
pub struct SheetRow<'x> {
    /// The number, from 1.
    pub number: u64,
    pub cells: Vec<Cell<'x>>,
}

/// A cell that is not empty.
pub struct Cell<'x> {
    /// The column, from 0.
    pub column: usize,
    pub value: Value<'x>,
    pub place: Place,
}

/// The value of a cell.
pub enum Value<'x> {
    Text(Cow<'x, str>),
    /// A number as it is written.
    Number(Cow<'x, str>),
    /// `true` or `false`.
    Truth(bool),
    /// Of this kind, and left alone: a formula, a date, an error.
    Other(&'static str, Cow<'x, str>),
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

/// Shows the rows of a sheet, those without a cell left out.
///
/// # Errors
///
/// When the sheet is damaged, or `take` fails.
pub fn each_row<'x>(
    xml: &'x [u8],
    name: &'x str,
    book: &'x Book,
    mut take: impl FnMut(&SheetRow<'x>) -> io::Result<()>,
) -> io::Result<()> {
    let mut reader = Xml::new(xml, name);
    let mut row = SheetRow {
        number: 0,
        cells: Vec::new(),
    };
    let mut column = 0;
    let mut show = |row: &mut SheetRow<'x>| {
        let shown = match row.cells.is_empty() {
            true => Ok(()),
            false => take(row),
        };
        row.cells.clear();
        shown
    };
    loop {
        match reader.next()? {
            Met::Eof => return show(&mut row),
            Met::Start {
                name: "row", tag, ..
            } => {
                show(&mut row)?;
                let own = attribute(&tag, "r").and_then(|number| number.parse().ok());
                row.number = own.unwrap_or(row.number + 1);
                column = 0;
            }
            Met::Start {
                name: "c",
                tag,
                is_empty,
                ..
            } => {
                let (mut kind, mut style) = (Kind::Number, 0);
                for (name, value) in attributes(&tag) {
                    match name {
                        "r" => column = column_of(&value).unwrap_or(column),
                        "t" => kind = Kind::of(&value),
                        "s" => style = value.parse().unwrap_or(0),
                        _ => {}
                    }
                }
                if column >= COLUMNS_MOST {
                    return Err(damaged(format!(
                        "row {} has more than {COLUMNS_MOST} columns",
                        row.number
                    )));
                }
                let found = match is_empty {
                    true => None,
                    false => cell(&mut reader, xml, (kind, style), book)?,
                };
                // Of a cell outside of a row nobody knows where it stands.
                if let (Some((value, place)), true) = (found, row.number > 0) {
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

/// The kind of value that a cell says it has.
#[derive(Clone, Copy)]
enum Kind {
    Shared,
    Truth,
    Error,
    /// The text that a formula gave.
    Computed,
    Date,
    Number,
}

impl Kind {
    /// By its attribute.
    fn of(name: &str) -> Self {
        match name {
            "s" => Self::Shared,
            "b" => Self::Truth,
            "e" => Self::Error,
            "str" => Self::Computed,
            "d" => Self::Date,
            _ => Self::Number,
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
fn cell<'x>(
    reader: &mut Xml<'x>,
    xml: &'x [u8],
    (kind, style): (Kind, usize),
    book: &'x Book,
) -> io::Result<Option<(Value<'x>, Place)>> {
    let (mut text, mut in_value, mut has_formula) = (Cow::Borrowed(""), None, false);
    let (mut place, mut inline) = (None, None);
    loop {
        match reader.next()? {
            Met::Eof => return Ok(None),
            Met::Start { name: "f", .. } => has_formula = true,
            Met::Start {
                name: "v",
                place: tag,
                is_empty,
                ..
            } if !is_empty => in_value = Some(tag.end),
            Met::End {
                name: "v",
                place: tag,
            } => {
                place = in_value.take().map(|from| from..tag.start);
            }
            Met::Start {
                name: "is",
                place: tag,
                is_empty: false,
                ..
            } => {
                let found = text_of(reader, xml, "is")?;
                // The tag that ends it is the last that was read.
                let end = memchr::memmem::rfind(&xml[..reader.at()], b"</").unwrap_or(tag.end);
                inline = Some((tag.end..end, found));
            }
            Met::End { name: "c", .. } => break,
            Met::Text(part) if in_value.is_some() => match text.is_empty() {
                true => text = part,
                false => text.to_mut().push_str(&part),
            },
            Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
        }
    }
    if has_formula {
        return Ok(Some((Value::Other("formula", text), Place::None)));
    }
    if let Some((place, found)) = inline {
        let text = Cow::Owned(found.text.clone());
        return Ok(Some((Value::Text(text), Place::Inline(place, found))));
    }
    let Some(place) = place else {
        return Ok(None);
    };
    Ok(Some(match kind {
        Kind::Shared => {
            let number: usize = text.trim().parse().unwrap_or(usize::MAX);
            let Some(shared) = book.strings.text(number) else {
                return Err(damaged(format!(
                    "a cell names the shared text {text}, which is not there"
                )));
            };
            let text = Value::Text(Cow::Borrowed(shared));
            (text, Place::Shared(number, place))
        }
        Kind::Truth => (Value::Truth(text.trim() == "1"), Place::None),
        Kind::Error => (Value::Other("error", text), Place::None),
        Kind::Computed => (Value::Other("formula", text), Place::None),
        Kind::Date => (Value::Other("date", text), Place::None),
        Kind::Number if book.dates.get(style) == Some(&true) => {
            let number = text.trim().parse().ok();
            let date = number.and_then(|number| date_of(number, book.from_1904));
            let shown = date.map_or(text, Cow::Owned);
            (Value::Other("date", shown), Place::None)
        }
        Kind::Number => (Value::Number(trimmed(text)), Place::Number(place)),
    }))
}

fn trimmed(text: Cow<'_, str>) -> Cow<'_, str> {
    match text {
        Cow::Borrowed(text) => Cow::Borrowed(text.trim()),
        Cow::Owned(text) => Cow::Owned(text.trim().to_owned()),
    }
}
