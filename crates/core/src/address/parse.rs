//! Parser of the notation for lines, picks and counts.

use crate::address::{Count, Item, Point, Spec};
use crate::fault::Fault;
use crate::span::Span;
use std::str::FromStr;

/// Why a SPEC was refused, and where.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{kind}")]
pub struct SpecError {
    kind: SpecErrorKind,
    span: Span,
}

/// The exact mistake in a SPEC.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum SpecErrorKind {
    /// Nothing between commas, or nothing at all.
    #[error("a number or a range is missing here")]
    Missing,
    /// A 0 where counting begins at 1.
    #[error("numbering starts at 1")]
    Zero,
    /// `by 0`.
    #[error("the step must be at least 1")]
    ByZero,
    /// A range whose end lies before its start, whatever the text.
    #[error("this range runs backwards")]
    Reversed {
        /// The range the right way round.
        swapped: String,
    },
    /// A number over 18 digits.
    #[error("this number is too large")]
    TooLarge,
    /// `last` where a count is wanted.
    #[error("a count is a number or a range of numbers")]
    NotACount,
    /// A word or sign the grammar does not have.
    #[error("`{0}` is not understood here")]
    Unexpected(String),
}

impl SpecError {
    /// The exact mistake.
    pub fn kind(&self) -> &SpecErrorKind {
        &self.kind
    }
}

impl Fault for SpecError {
    fn span(&self) -> Option<Span> {
        Some(self.span)
    }

    fn remedy(&self) -> Option<String> {
        let text = match &self.kind {
            SpecErrorKind::Reversed { swapped } => return Some(format!("write `{swapped}`")),
            SpecErrorKind::Zero => "write 1 for the first",
            SpecErrorKind::ByZero => "write `by 2` for every second, `by 3` for every third",
            SpecErrorKind::TooLarge => "leave the end out, as in `3..`, for all that follow",
            SpecErrorKind::NotACount => "write `42`, `1..`, `..5` or `10..20`",
            SpecErrorKind::Missing | SpecErrorKind::Unexpected(_) => {
                "write items such as `2`, `2..4`, `..3`, `last-1..` or `1.. by 2`, joined by commas"
            }
        };
        Some(text.to_owned())
    }
}

impl FromStr for Spec {
    type Err = SpecError;

    fn from_str(text: &str) -> Result<Self, SpecError> {
        let mut cursor = Cursor::new(text);
        let mut items = Vec::new();
        loop {
            items.push(cursor.item()?);
            if !cursor.take(",") {
                break;
            }
        }
        cursor.end()?;
        Ok(Self { items })
    }
}

impl FromStr for Count {
    type Err = SpecError;

    fn from_str(text: &str) -> Result<Self, SpecError> {
        let mut cursor = Cursor::new(text);
        let count = cursor.count()?;
        cursor.end()?;
        Ok(count)
    }
}

/// A place in the text being parsed; blanks are skipped before every token.
struct Cursor<'t> {
    text: &'t str,
    at: usize,
}

impl<'t> Cursor<'t> {
    fn new(text: &'t str) -> Self {
        Self { text, at: 0 }
    }

    fn rest(&mut self) -> &'t str {
        let rest = &self.text[self.at..];
        let trimmed = rest.trim_start();
        self.at += rest.len() - trimmed.len();
        trimmed
    }

    fn take(&mut self, token: &str) -> bool {
        let found = self.rest().starts_with(token);
        if found {
            self.at += token.len();
        }
        found
    }

    /// Takes a whole word, so that `lastly` is not `last`.
    fn word(&mut self, word: &str) -> bool {
        let rest = self.rest();
        let length = rest
            .find(|c: char| !c.is_alphanumeric())
            .unwrap_or(rest.len());
        let found = &rest[..length] == word;
        if found {
            self.at += length;
        }
        found
    }

    fn number(&mut self) -> Result<Option<(u64, Span)>, SpecError> {
        let rest = self.rest();
        let length = rest
            .find(|c: char| !c.is_ascii_digit())
            .unwrap_or(rest.len());
        if length == 0 {
            return Ok(None);
        }
        let span = Span::new(self.at, self.at + length);
        self.at += length;
        match rest[..length].parse() {
            Ok(n) if length <= 18 => Ok(Some((n, span))),
            _ => Err(self.error(SpecErrorKind::TooLarge, span)),
        }
    }

    fn point(&mut self) -> Result<Option<Point>, SpecError> {
        if self.word("first") {
            return Ok(Some(Point::Number(1)));
        }
        if self.word("last") {
            if !self.take("-") {
                return Ok(Some(Point::BeforeLast(0)));
            }
            return match self.number()? {
                Some((n, _)) => Ok(Some(Point::BeforeLast(n))),
                None => Err(self.unexpected()),
            };
        }
        match self.number()? {
            Some((0, span)) => Err(self.error(SpecErrorKind::Zero, span)),
            Some((n, _)) => Ok(Some(Point::Number(n))),
            None => Ok(None),
        }
    }

    fn item(&mut self) -> Result<Item, SpecError> {
        self.rest();
        let start = self.at;
        if self.word("all") {
            let (from, to, by) = (None, None, 1);
            return Ok(Item::Range { from, to, by });
        }
        let from = self.point()?;
        if !self.take("..") {
            return from.map(Item::Point).ok_or_else(|| self.unexpected());
        }
        let to = self.point()?;
        if reversed(from, to) {
            return Err(self.reversed(start));
        }
        let by = self.by()?;
        Ok(Item::Range { from, to, by })
    }

    fn by(&mut self) -> Result<u64, SpecError> {
        let start = self.at;
        if !self.word("by") {
            return Ok(1);
        }
        match self.number()? {
            Some((0, span)) => {
                let start = start + self.text[start..].find('b').unwrap_or(0);
                Err(self.error(SpecErrorKind::ByZero, Span::new(start, span.to)))
            }
            Some((n, _)) => Ok(n),
            None => Err(self.unexpected()),
        }
    }

    fn count(&mut self) -> Result<Count, SpecError> {
        self.rest();
        let start = self.at;
        let least = self.number()?.map(|(n, _)| n);
        if !self.take("..") {
            let n = least.ok_or_else(|| self.not_a_count())?;
            return Ok(Count {
                least: n,
                most: Some(n),
            });
        }
        let most = self.number()?.map(|(n, _)| n);
        let least = least.unwrap_or(0);
        if most.is_some_and(|most| most < least) {
            return Err(self.reversed(start));
        }
        Ok(Count { least, most })
    }

    fn end(&mut self) -> Result<(), SpecError> {
        if self.rest().is_empty() {
            Ok(())
        } else {
            Err(self.unexpected())
        }
    }

    /// The error of a range from `start` to here.
    fn reversed(&self, start: usize) -> SpecError {
        let (from, to) = self.text[start..self.at]
            .split_once("..")
            .unwrap_or_default();
        let swapped = format!("{}..{}", to.trim(), from.trim());
        self.error(
            SpecErrorKind::Reversed { swapped },
            Span::new(start, self.at),
        )
    }

    fn error(&self, kind: SpecErrorKind, span: Span) -> SpecError {
        SpecError { kind, span }
    }

    fn unexpected(&mut self) -> SpecError {
        let rest = self.rest();
        let Some(first) = rest.chars().next() else {
            return self.error(SpecErrorKind::Missing, Span::new(self.at, self.at));
        };
        if first == ',' {
            return self.error(SpecErrorKind::Missing, Span::new(self.at, self.at + 1));
        }
        let length = match rest.find(|c: char| !c.is_alphanumeric()) {
            Some(0) => first.len_utf8(),
            Some(n) => n,
            None => rest.len(),
        };
        let kind = SpecErrorKind::Unexpected(rest[..length].to_owned());
        self.error(kind, Span::new(self.at, self.at + length))
    }

    fn not_a_count(&mut self) -> SpecError {
        let error = self.unexpected();
        match error.kind {
            SpecErrorKind::Unexpected(_) => self.error(SpecErrorKind::NotACount, error.span),
            _ => error,
        }
    }
}

/// True if a range runs backwards in every text.
fn reversed(from: Option<Point>, to: Option<Point>) -> bool {
    match (from, to) {
        (Some(Point::Number(a)), Some(Point::Number(b))) => a > b,
        (Some(Point::BeforeLast(a)), Some(Point::BeforeLast(b))) => a < b,
        // It would hold the one line of a text that has no other.
        (Some(Point::BeforeLast(_)), Some(Point::Number(1))) => true,
        _ => false,
    }
}
