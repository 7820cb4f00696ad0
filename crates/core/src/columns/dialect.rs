//! Delimiters and quotes.

use crate::columns::formats::delimited::quote;
use std::borrow::Cow;

/// The characters between cells and around them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Dialect {
    /// Between two cells.
    pub delimiter: u8,
    /// Around a cell; `None` where no sign does that.
    pub quote: Option<u8>,
}

impl Dialect {
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
        quote::encode(value, false, self, alone)
    }
}
