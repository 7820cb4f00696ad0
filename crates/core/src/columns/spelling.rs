//! Values of cells, read and written as the format of their file spells them.

use crate::columns::dialect::Dialect;
use std::borrow::Cow;
use std::fmt;

/// The way the value of one cell is written.
#[derive(Clone, Copy)]
pub(crate) struct Spelling {
    rules: &'static dyn CellSpelling,
    form: CellForm,
}

/// Facts about one cell, as far as its format asks for them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct CellForm {
    /// The delimiter and the quote.
    pub dialect: Dialect,
    /// True if it stands between quotes.
    pub quoted: bool,
    /// True if it is the only cell of its row.
    pub alone: bool,
    /// True if its file holds it in a form that is shown and not written.
    pub is_left_alone: bool,
}

impl CellForm {
    /// A cell of which nothing is asked.
    pub const PLAIN: Self = Self {
        dialect: Dialect {
            delimiter: b',',
            quote: None,
        },
        quoted: false,
        alone: false,
        is_left_alone: false,
    };
}

impl fmt::Debug for Spelling {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Spelling")
            .field("form", &self.form)
            .finish_non_exhaustive()
    }
}

impl Spelling {
    /// Spelling by the rules of a format.
    pub fn new(rules: &'static dyn CellSpelling, form: CellForm) -> Self {
        Self { rules, form }
    }

    /// True if its file holds it in a form that is shown and not written.
    pub fn is_left_alone(self) -> bool {
        self.form.is_left_alone
    }

    /// The same for a cell that is left alone.
    pub fn left_alone(mut self) -> Self {
        self.form.is_left_alone = true;
        self
    }

    /// True if it is written between quotes.
    pub fn is_quoted(self, raw: &[u8]) -> bool {
        self.rules.is_quoted(self.form, raw)
    }

    /// Bytes that the next character takes as it is written, and in the value.
    pub fn one_char(self, raw: &[u8]) -> (usize, usize) {
        self.rules.one_char(self.form, raw)
    }

    /// The value of a cell that is written as `raw`; `None` where an escape stands for no
    /// character.
    pub fn read(self, raw: &[u8]) -> Option<Cow<'_, [u8]>> {
        self.rules.read(self.form, raw)
    }

    /// A cell that holds `value`; `None` where it cannot hold it.
    pub fn write(self, value: &[u8]) -> Option<Vec<u8>> {
        self.rules.write(self.form, value)
    }

    /// See [`CellSpelling::respell`].
    pub fn respell(self, part: &[u8]) -> Option<Option<Vec<u8>>> {
        self.rules.respell(part)
    }

    /// True if it is a number without quotes.
    pub fn is_number(self) -> bool {
        self.rules.is_number()
    }
}

/// The way a value is written in a cell.
pub(crate) trait CellSpelling: Sync {
    /// True if it is written between quotes.
    fn is_quoted(&self, form: CellForm, raw: &[u8]) -> bool {
        let _ = (form, raw);
        false
    }

    /// Bytes that the next character takes as it is written, and in the value.
    fn one_char(&self, form: CellForm, raw: &[u8]) -> (usize, usize) {
        let _ = (form, raw);
        (1, 1)
    }

    /// The value of a cell that is written as `raw`; `None` where an escape stands for no
    /// character.
    fn read<'r>(&self, form: CellForm, raw: &'r [u8]) -> Option<Cow<'r, [u8]>> {
        let _ = form;
        Some(Cow::Borrowed(raw))
    }

    /// A cell that holds `value`; `None` where it cannot hold it.
    fn write(&self, form: CellForm, value: &[u8]) -> Option<Vec<u8>>;

    /// True if it is a number without quotes.
    fn is_number(&self) -> bool {
        false
    }

    /// A part of a value as it is written within a cell whose other parts stay as they are
    /// written; the outer `None` where the whole cell is written anew.
    fn respell(&self, part: &[u8]) -> Option<Option<Vec<u8>>> {
        let _ = part;
        None
    }
}
