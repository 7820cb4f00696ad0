//! From a cell as it is written to its value, and back.

use crate::columns::dialect::Dialect;
use crate::columns::formats::RecordSource;
use crate::columns::formats::delimited::scanner::Scanner;
use crate::columns::members::Members;
use memchr::{memchr, memchr_iter, memchr3};
use std::borrow::Cow;

/// The value of a cell.
pub(crate) fn decode(raw: &[u8], quoted: bool, dialect: Dialect) -> Cow<'_, [u8]> {
    let (Some(quote), true) = (dialect.quote, quoted) else {
        return Cow::Borrowed(raw);
    };
    let inner = &raw[1..raw.len() - 1];
    let Some(first) = memchr(quote, inner) else {
        return Cow::Borrowed(inner);
    };
    let mut value = inner[..first].to_vec();
    let mut rest = &inner[first..];
    while let Some(at) = memchr(quote, rest) {
        value.extend_from_slice(&rest[..=at]);
        // The scanner has seen that there are two; a plan may say otherwise.
        rest = rest.get(at + 2..).unwrap_or_default();
    }
    value.extend_from_slice(rest);
    Cow::Owned(value)
}

/// The cell that holds `value`; `None` where it cannot be written without quotes and the table
/// has none. A cell that is `alone` in its row must not be empty, or the row would be blank.
pub(crate) fn encode(
    value: &[u8],
    was_quoted: bool,
    dialect: Dialect,
    alone: bool,
) -> Option<Cow<'_, [u8]>> {
    let is_special = memchr3(b'\n', b'\r', dialect.delimiter, value).is_some()
        || dialect
            .quote
            .is_some_and(|quote| memchr(quote, value).is_some());
    let needed = is_special || (alone && value.is_empty());
    if !needed && !was_quoted {
        return Some(Cow::Borrowed(value));
    }
    let quote = dialect.quote?;
    let mut raw = Vec::with_capacity(value.len() + 2);
    raw.push(quote);
    let mut at = 0;
    for found in memchr_iter(quote, value) {
        raw.extend_from_slice(&value[at..=found]);
        raw.push(quote);
        at = found + 1;
    }
    raw.extend_from_slice(&value[at..]);
    raw.push(quote);
    Some(Cow::Owned(raw))
}

impl Dialect {
    /// The delimiters and the line ends that are not within quotes in a part of a table, which begins outside of them.
    pub(crate) fn ends_in(self, part: &[u8]) -> (usize, usize) {
        let (mut scanner, mut cells) = (Scanner::new(part, self), Vec::new());
        let (mut delimiters, mut lines) = (0, 0);
        while let Some(record) = scanner.next(&mut cells, &mut Members::default()) {
            delimiters += cells.len() - 1;
            // Only the last may lack its line end.
            lines += usize::from(record.content.to < part.len());
        }
        (delimiters, lines)
    }

    /// The cell that holds `value`, in quotes where it needs them; `None` where it needs them and
    /// there are none. A cell that is `alone` in its row must not be empty, or the row would be
    /// blank.
    ///
    /// ```
    /// use brisk_quill_core::columns::dialect::Dialect;
    /// let csv = Dialect { delimiter: b',', quote: Some(b'"') };
    /// assert_eq!(csv.cell(b"Quay 2, north", false).as_deref(), Some(&b"\"Quay 2, north\""[..]));
    /// ```
    pub fn cell(self, value: &[u8], alone: bool) -> Option<Cow<'_, [u8]>> {
        encode(value, false, self, alone)
    }
}
