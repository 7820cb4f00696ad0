//! Records of a table as they are written.

use crate::columns::fault::RowFault;
use crate::columns::members::Members;
use crate::span::Span;

/// One cell as it is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct RawCell {
    /// The bytes in the text, the quotes included.
    pub span: Span,
    /// True if it stands between quotes.
    pub quoted: bool,
}

/// A record of a piece, before it is known what it means.
pub(crate) struct ScannedRecord {
    /// Without its line end.
    pub content: Span,
    /// Line ends between the record before and this one, but for the one that ends that.
    pub lines_above: u64,
    /// Line ends within it.
    pub inner_lines: u64,
    /// A line end follows, or the end of the text.
    pub ends_line: bool,
    /// The fault in its form, and where in the text that shows.
    pub fault: Option<(usize, RowFault)>,
    /// Nothing stands on it.
    pub blank: bool,
}

/// A record with what is written in it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Record<'t> {
    /// The text around it, as far as it is in memory.
    pub text: &'t [u8],
    /// The record in `text`, without its line end.
    pub span: Span,
    /// The cells; none in JSON Lines.
    pub cells: &'t [RawCell],
    /// The members in JSON Lines.
    pub members: &'t Members<'t>,
}

/// A cell that is added at the end of a row.
#[derive(Clone, Copy)]
pub(crate) struct NewCell<'c> {
    /// The name of its column.
    pub name: &'c str,
    pub value: &'c [u8],
    /// True if it is a number of JSON, where the row is an object.
    pub is_number: bool,
}

impl<'c> NewCell<'c> {
    /// A cell with a text.
    pub fn text(name: &'c str, value: &'c [u8]) -> Self {
        Self {
            name,
            value,
            is_number: false,
        }
    }
}
