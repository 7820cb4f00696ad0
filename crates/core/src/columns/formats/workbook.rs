//! Rows of a workbook, which are given as JSON Lines. No row and no column of them can come or go.

use crate::columns::fault::{CellFault, RowFault};
use crate::columns::formats::jsonl::Objects;
use crate::columns::formats::{PointedCell, RecordSource, RowFormat};
use crate::columns::record::{NewCell, Record};
use crate::columns::spelling::Spelling;
use crate::columns::token::Token;

/// The rows of a workbook.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SheetRows;

impl RowFormat for SheetRows {
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
        Err(CellFault::InWorkbook)
    }
}
