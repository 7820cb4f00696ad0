//! Delimiters and quotes.

/// The characters between cells and around them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Dialect {
    /// Between two cells.
    pub delimiter: u8,
    /// Around a cell; `None` where no sign does that.
    pub quote: Option<u8>,
}
