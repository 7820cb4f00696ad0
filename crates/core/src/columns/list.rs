//! The notation for columns.
//!
//! ```text
//! LIST    = ITEM ("," ITEM)*
//! ITEM    = COLUMN | [NUMBER] ".." [NUMBER]
//! COLUMN  = NUMBER | NAME | POINTER | "'" NAME "'" | '"' NAME '"'
//! POINTER = ("/" (CHAR | "~0" | "~1")*)+          of RFC 6901; a segment "-" is every element
//! ```
//!
//! Numbers count from 1; both ends of a range are included. A name in quotes may hold a comma,
//! or be all digits.

use crate::columns::pointer::escaped;
use crate::fault::Fault;
use crate::span::Span;
use std::fmt;
use std::str::FromStr;

/// One column, as it is called.
///
/// ```
/// use brisk_quill_core::columns::list::Column;
/// assert_eq!("berth".parse(), Ok(Column::Name("berth".into())));
/// assert_eq!("3".parse(), Ok(Column::Number(3)));
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Column {
    /// By its number, from 1.
    Number(u64),
    /// By its name in the header; in JSON Lines, the key of the outermost object.
    Name(String),
    /// By a JSON Pointer, as it is written.
    Pointer(String),
}

/// Several columns, as they are written.
///
/// ```
/// use brisk_quill_core::columns::list::ColumnList;
/// let list: ColumnList = "berth,2..3".parse().expect("columns");
/// assert!(!list.is_all());
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ColumnList {
    items: Vec<Item>,
}

/// One item of a [`ColumnList`].
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Item {
    One(Column),
    /// Both ends included, from 1; `None` is the last one.
    Range(u64, Option<u64>),
}

/// Why a LIST was refused, and where.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{kind}")]
pub struct ColumnsError {
    kind: ColumnsErrorKind,
    span: Span,
}

/// The exact mistake in a LIST.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ColumnsErrorKind {
    /// Nothing between commas, or nothing at all.
    #[error("a column is missing here")]
    Missing,
    /// A 0 where counting begins at 1.
    #[error("there is no column 0: counting begins at 1")]
    Zero,
    /// A number over 9 digits.
    #[error("this number is too large")]
    TooLarge,
    /// A range whose end lies before its start.
    #[error("this range runs backwards")]
    Reversed,
    /// A quote that is not closed, or with text behind it.
    #[error("these quotes do not hold a whole name")]
    Quotes,
    /// A `~` in a pointer that is neither `~0` nor `~1`.
    #[error("a `~` in a pointer is written `~0`, and a `/` in a key `~1`")]
    Tilde,
    /// Several columns where one is meant.
    #[error("one column is wanted here, and these are several")]
    NotOne,
}

impl ColumnsError {
    /// The exact mistake.
    pub fn kind(&self) -> &ColumnsErrorKind {
        &self.kind
    }
}

impl Fault for ColumnsError {
    fn span(&self) -> Option<Span> {
        Some(self.span)
    }

    fn remedy(&self) -> Option<String> {
        let text = match self.kind {
            ColumnsErrorKind::Zero => "write 1 for the first",
            ColumnsErrorKind::Reversed => "write the smaller end first, as in `3..5`",
            ColumnsErrorKind::Tilde => "write `/a~0b` for the key `a~b`",
            ColumnsErrorKind::NotOne => "name one; a name with a comma stands in quotes",
            ColumnsErrorKind::Quotes => "close them before the next comma: `\"note, long\",berth`",
            ColumnsErrorKind::Missing | ColumnsErrorKind::TooLarge => {
                "write names, numbers or ranges, joined by commas: `berth,3,5..7`; \
                 in JSON Lines pointers: `/ship/name`"
            }
        };
        Some(text.to_owned())
    }
}

impl ColumnList {
    /// Every column.
    pub fn all() -> Self {
        Self {
            items: vec![Item::Range(1, None)],
        }
    }

    /// True if it is every column.
    pub fn is_all(&self) -> bool {
        *self == Self::all()
    }

    /// The columns in the order they are written, each by itself, where there are `width` in
    /// all; a range that begins beyond the last is empty.
    pub fn one_by_one(&self, width: u64) -> Vec<Column> {
        let mut columns = Vec::new();
        for item in &self.items {
            match item {
                Item::One(column) => columns.push(column.clone()),
                Item::Range(from, to) => {
                    let to = to.unwrap_or(width).min(width.max(*from));
                    columns.extend((*from..=to).map(Column::Number));
                }
            }
        }
        columns
    }

    /// The items in the order they are written.
    pub(crate) fn items(&self) -> &[Item] {
        &self.items
    }

    /// The columns that are named one by one.
    pub(crate) fn named(&self) -> impl Iterator<Item = &Column> {
        self.items.iter().filter_map(|item| match item {
            Item::One(column) => Some(column),
            Item::Range(..) => None,
        })
    }
}

impl Column {
    /// The pointer to a key of the outermost object.
    pub fn of_key(key: &str) -> Self {
        Self::Pointer(format!("/{}", escaped(key)))
    }
}

impl FromStr for ColumnList {
    type Err = ColumnsError;

    fn from_str(text: &str) -> Result<Self, ColumnsError> {
        let items = words(text)?;
        let items = items.into_iter().map(item).collect::<Result<_, _>>()?;
        Ok(Self { items })
    }
}

impl FromStr for Column {
    type Err = ColumnsError;

    fn from_str(text: &str) -> Result<Self, ColumnsError> {
        let list: ColumnList = text.parse()?;
        match <[Item; 1]>::try_from(list.items) {
            Ok([Item::One(column)]) => Ok(column),
            _ => Err(ColumnsError {
                kind: ColumnsErrorKind::NotOne,
                span: Span::new(0, text.len()),
            }),
        }
    }
}

/// The text between two commas.
#[derive(Clone, Copy)]
struct Word<'t> {
    text: &'t str,
    quoted: bool,
    span: Span,
}

/// Cuts a list at its commas.
fn words(text: &str) -> Result<Vec<Word<'_>>, ColumnsError> {
    let mut words = Vec::new();
    let mut at = 0;
    loop {
        let rest = &text[at..];
        let start = at + rest.len() - rest.trim_start().len();
        let rest = &text[start..];
        let quote = rest.chars().next().filter(|c| matches!(c, '\'' | '"'));
        let (name, end) = match quote {
            Some(quote) => {
                let fail = ColumnsError {
                    kind: ColumnsErrorKind::Quotes,
                    span: Span::new(start, text.len()),
                };
                let close = rest[1..].find(quote).ok_or(fail.clone())? + 1;
                let behind = &rest[close + 1..];
                let comma = behind.find(',').unwrap_or(behind.len());
                if !behind[..comma].trim().is_empty() {
                    return Err(fail);
                }
                (&rest[1..close], start + close + 1 + comma)
            }
            None => {
                let comma = rest.find(',').unwrap_or(rest.len());
                (rest[..comma].trim_end(), start + comma)
            }
        };
        words.push(Word {
            text: name,
            quoted: quote.is_some(),
            span: Span::new(start.min(end), end),
        });
        if end == text.len() {
            return Ok(words);
        }
        at = end + 1;
    }
}

fn item(word: Word<'_>) -> Result<Item, ColumnsError> {
    let Word { text, quoted, span } = word;
    let fail = |kind| Err(ColumnsError { kind, span });
    if quoted {
        return Ok(Item::One(Column::Name(text.to_owned())));
    }
    if text.is_empty() {
        return fail(ColumnsErrorKind::Missing);
    }
    if text.starts_with('/') {
        let tildes = text.match_indices('~').map(|(at, _)| &text[at + 1..]);
        return match tildes.into_iter().all(|next| next.starts_with(['0', '1'])) {
            true => Ok(Item::One(Column::Pointer(text.to_owned()))),
            false => fail(ColumnsErrorKind::Tilde),
        };
    }
    let number = |digits: &str| -> Result<Option<u64>, ColumnsError> {
        let trimmed = digits.trim();
        if trimmed.is_empty() {
            return Ok(None);
        }
        let kind = match trimmed.parse::<u32>() {
            Ok(0) => ColumnsErrorKind::Zero,
            Ok(n) => return Ok(Some(u64::from(n))),
            Err(_) => ColumnsErrorKind::TooLarge,
        };
        Err(ColumnsError { kind, span })
    };
    let digits = |text: &str| text.trim().bytes().all(|b| b.is_ascii_digit());
    match text.split_once("..") {
        Some((from, to)) if digits(from) && digits(to) => {
            let (from, to) = (number(from)?.unwrap_or(1), number(to)?);
            match to {
                Some(to) if to < from => fail(ColumnsErrorKind::Reversed),
                to => Ok(Item::Range(from, to)),
            }
        }
        None if digits(text) => Ok(Item::One(Column::Number(number(text)?.unwrap_or(1)))),
        _ => Ok(Item::One(Column::Name(text.to_owned()))),
    }
}

impl fmt::Display for ColumnList {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (i, item) in self.items.iter().enumerate() {
            if i > 0 {
                f.write_str(",")?;
            }
            match item {
                Item::One(column) => column.fmt(f)?,
                Item::Range(from, None) => write!(f, "{from}..")?,
                Item::Range(from, Some(to)) => write!(f, "{from}..{to}")?,
            }
        }
        Ok(())
    }
}

/// The form that parses back to the same column.
impl fmt::Display for Column {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Number(n) => write!(f, "{n}"),
            Self::Pointer(text) => f.write_str(text),
            Self::Name(name) => {
                let bare = name.parse::<Self>().is_ok_and(|parsed| parsed == *self);
                match bare {
                    true => f.write_str(name),
                    false if name.contains('"') => write!(f, "'{name}'"),
                    false => write!(f, "\"{name}\""),
                }
            }
        }
    }
}
