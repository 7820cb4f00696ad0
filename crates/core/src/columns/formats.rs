//! Formats of files with columns, one file each.
//!
//! Note to the maintainer: a new format is a file here with a [`RowFormat`] and its [`CellSpelling`](crate::columns::spelling::CellSpelling)s,
//! a variant of [`Layout`](crate::columns::layout::Layout), and a row in the table of
//! [`Format`](crate::columns::layout::Format); the compiler leads from there. All laws of the tests
//! run over all formats.

pub(in crate::columns) mod compact;
pub mod contained;
pub(crate) mod delimited;
pub(crate) mod document;
pub(crate) mod jsonl;
pub(crate) mod spaced;

use crate::columns::fault::{CellFault, RowFault};
use crate::columns::formats::delimited::boundary::Boundary;
use crate::columns::formats::document::element_ends::ElementEnds;
use crate::columns::members::Members;
use crate::columns::record::{NewCell, RawCell, Record, ScannedRecord};
use crate::columns::spelling::Spelling;
use crate::columns::token::Token;
use crate::span::Span;

/// The way records and cells are written in a format.
pub(crate) trait RowFormat {
    /// The places where a text may be cut, where that is not every line end.
    fn record_ends(&self) -> Option<RecordEnds> {
        None
    }

    /// Reads the records of a piece of whole ones.
    fn records<'t>(&self, text: &'t [u8]) -> Box<dyn RecordSource<'t> + 't>;

    /// The spelling of a cell that is written as `raw`, where nothing else is known of it.
    fn spelling_of(&self, raw: &[u8]) -> Spelling;

    /// The spelling of a cell of `record`, given its number from 0; `None` where the cells of the
    /// format have no numbers.
    fn spelling_at(&self, record: &Record<'_>, index: usize) -> Option<Spelling>;

    /// The cells that a JSON pointer leads to, where the format has pointers.
    fn follow(&self, record: &Record<'_>, pointer: &str) -> Result<Vec<PointedCell>, RowFault>;

    /// The values of any kind that a JSON pointer leads to, where the format has pointers. Their places count from the
    /// start of the record.
    fn tokens(&self, record: &Record<'_>, pointer: &str) -> Result<Vec<Token>, RowFault> {
        let _ = (record, pointer);
        Ok(Vec::new())
    }

    /// The place of more cells, each with its name and value, in a record of a table this many columns
    /// wide, and how they are written there.
    fn appended(
        &self,
        record: &Record<'_>,
        width: usize,
        cells: &[NewCell<'_>],
    ) -> Result<(usize, Vec<u8>), CellFault>;
}

/// Records of a piece of text, one after another.
pub(crate) trait RecordSource<'t> {
    /// The next record; its cells or members replace those that are given.
    fn next(
        &mut self,
        cells: &mut Vec<RawCell>,
        members: &mut Members<'t>,
    ) -> Option<ScannedRecord>;

    /// Line ends behind the last record that are not its own.
    fn lines_below(&self) -> u64 {
        0
    }

    /// True if the text may end here.
    fn is_complete(&self) -> bool {
        true
    }
}

/// The places where a text may be cut between records, where those are not its line ends.
#[derive(Clone, Copy, Debug)]
pub(crate) enum RecordEnds {
    /// Line ends that are not within quotes.
    Unquoted(Boundary),
    /// The commas between the elements of an array.
    Elements(ElementEnds),
}

impl RecordEnds {
    /// Goes on over all of `bytes`; gives one past the first record in them, and one past the last.
    pub fn ends(&mut self, bytes: &[u8]) -> Option<(usize, usize)> {
        match self {
            Self::Unquoted(boundary) => boundary.ends(bytes),
            Self::Elements(ends) => ends.ends(bytes),
        }
    }

    /// Goes on until one past the first record; `None` where none ends in `bytes`.
    pub fn first_end(&mut self, bytes: &[u8]) -> Option<usize> {
        match self {
            Self::Unquoted(boundary) => boundary.first_end(bytes),
            Self::Elements(ends) => ends.first_end(bytes),
        }
    }

    /// The fault of a record that is longer than `limit`.
    pub fn overlong(self, limit: usize) -> RowFault {
        match self {
            Self::Unquoted(boundary) if boundary.is_open() => RowFault::UnclosedQuote,
            Self::Unquoted(_) | Self::Elements(_) => RowFault::TooLong { limit },
        }
    }
}

/// A cell that a pointer leads to.
pub(crate) struct PointedCell {
    /// The pointer, each `-` become the number of an element.
    pub pointer: String,
    /// The bytes in the text.
    pub span: Span,
    pub spelling: Spelling,
}

/// A value that cannot are in its column.
pub(crate) fn unquotable(cell: NewCell<'_>) -> CellFault {
    CellFault::Unquotable {
        column: cell.name.to_owned(),
        value: cell.value.to_vec(),
    }
}
