//! Cells between delimiters: CSV, TSV and their like.

pub(crate) mod boundary;
pub(crate) mod marks;
pub(crate) mod quote;
pub(crate) mod scanner;

use crate::columns::dialect::Dialect;
use crate::columns::fault::{CellFault, RowFault};
use crate::columns::formats::delimited::boundary::Boundary;
use crate::columns::formats::delimited::scanner::Scanner;
use crate::columns::formats::{PointedCell, RecordEnds, RecordSource, RowFormat, unquotable};
use crate::columns::record::{NewCell, Record};
use crate::columns::spelling::{CellForm, CellSpelling, Spelling};
use std::borrow::Cow;

impl RowFormat for Dialect {
    fn record_ends(&self) -> Option<RecordEnds> {
        Boundary::new(*self).map(RecordEnds::Unquoted)
    }

    fn records<'t>(&self, text: &'t [u8]) -> Box<dyn RecordSource<'t> + 't> {
        Box::new(Scanner::new(text, *self))
    }

    fn spelling_of(&self, raw: &[u8]) -> Spelling {
        let is_between =
            |quote| raw.len() >= 2 && raw.first() == Some(&quote) && raw.last() == Some(&quote);
        Spelling::new(
            &DelimitedCell,
            CellForm {
                dialect: *self,
                quoted: self.quote.is_some_and(is_between),
                alone: false,
                ..CellForm::PLAIN
            },
        )
    }

    fn spelling_at(&self, record: &Record<'_>, index: usize) -> Option<Spelling> {
        Some(Spelling::new(
            &DelimitedCell,
            CellForm {
                dialect: *self,
                quoted: record.cells.get(index)?.quoted,
                alone: record.cells.len() == 1,
                ..CellForm::PLAIN
            },
        ))
    }

    fn follow(&self, _: &Record<'_>, _: &str) -> Result<Vec<PointedCell>, RowFault> {
        Ok(Vec::new())
    }

    fn appended(
        &self,
        record: &Record<'_>,
        width: usize,
        cells: &[NewCell<'_>],
    ) -> Result<(usize, Vec<u8>), CellFault> {
        let (found, wanted) = (record.cells.len(), width);
        if found > wanted {
            return Err(CellFault::Surplus { found, wanted });
        }
        let size: usize = cells.iter().map(|cell| cell.value.len() + 3).sum();
        let mut text = Vec::with_capacity(wanted - found + size);
        text.resize(wanted - found, self.delimiter);
        for cell in cells {
            text.push(self.delimiter);
            let raw = quote::encode(cell.value, false, *self, false);
            text.extend_from_slice(&raw.ok_or_else(|| unquotable(*cell))?);
        }
        Ok((record.span.to, text))
    }
}

/// A cell between delimiters.
struct DelimitedCell;

impl CellSpelling for DelimitedCell {
    fn is_quoted(&self, form: CellForm, _: &[u8]) -> bool {
        form.quoted && form.dialect.quote.is_some()
    }

    fn one_char(&self, form: CellForm, raw: &[u8]) -> (usize, usize) {
        match form.dialect.quote == raw.first().copied() {
            true => (2, 1),
            false => (1, 1),
        }
    }

    fn read<'r>(&self, form: CellForm, raw: &'r [u8]) -> Option<Cow<'r, [u8]>> {
        Some(quote::decode(raw, form.quoted, form.dialect))
    }

    fn write(&self, form: CellForm, value: &[u8]) -> Option<Vec<u8>> {
        quote::encode(value, form.quoted, form.dialect, form.alone).map(Cow::into_owned)
    }
}
