//! Rows of a workbook or a database, which are given as JSON Lines. No row and no column of them can come or go.

use crate::columns::container::Container;
use crate::columns::fault::{CellFault, RowFault};
use crate::columns::formats::jsonl::Objects;
use crate::columns::formats::{PointedCell, RecordSource, RowFormat};
use crate::columns::record::{NewCell, Record};
use crate::columns::spelling::Spelling;
use crate::columns::token::Token;

/// The rows of a container.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ContainedRows {
    /// The kind of container.
    pub of: Container,
}

impl RowFormat for ContainedRows {
    fn records<'t>(&self, text: &'t [u8]) -> Box<dyn RecordSource<'t> + 't> {
        Objects.records(text)
    }

    fn spelling_of(&self, raw: &[u8]) -> Spelling {
        Objects.spelling_of(raw)
    }

    fn spelling_at(&self, record: &Record<'_>, index: usize) -> Option<Spelling> {
        Objects.spelling_at(record, index)
    }

    fn follow(&self, record: &Record<'_>, pointer: &str) -> Result<Vec<PointedCell>, RowFault> {
        Objects.follow(record, pointer)
    }

    fn tokens(&self, record: &Record<'_>, pointer: &str) -> Result<Vec<Token>, RowFault> {
        Objects.tokens(record, pointer)
    }

    fn appended(
        &self,
        _: &Record<'_>,
        _: usize,
        _: &[NewCell<'_>],
    ) -> Result<(usize, Vec<u8>), CellFault> {
        Err(CellFault::Contained(self.of))
    }
}
