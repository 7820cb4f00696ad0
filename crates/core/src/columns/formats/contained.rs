//! Rows of a container, which are given as JSON Lines. No row and no column of them can come or go.

use crate::columns::container::{Container, LEFT_ALONE};
use crate::columns::fault::{CellFault, RowFault};
use crate::columns::formats::compact::read_compact;
use crate::columns::formats::jsonl::{JsonRecords, Objects};
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

/// True for the place of a row, and for a value that is the only member, named by its kind, of an object.
fn is_left_alone(text: &[u8], cell: &PointedCell) -> bool {
    let Some((_, kind)) = cell.pointer.rsplit_once('/') else {
        return false;
    };
    let is_kind = LEFT_ALONE.contains(&kind) && {
        let begin = text[..cell.span.from].strip_suffix(b"\":");
        let begin = begin.and_then(|begin| begin.strip_suffix(kind.as_bytes()));
        begin.is_some_and(|begin| begin.ends_with(b"{\"")) && text[cell.span.to..].starts_with(b"}")
    };
    is_kind || cell.pointer.starts_with("/@/")
}

impl RowFormat for ContainedRows {
    fn records<'t>(&self, text: &'t [u8]) -> Box<dyn RecordSource<'t> + 't> {
        Box::new(JsonRecords::new(text, read_compact))
    }

    fn spelling_of(&self, raw: &[u8]) -> Spelling {
        Objects.spelling_of(raw)
    }

    fn spelling_at(&self, record: &Record<'_>, index: usize) -> Option<Spelling> {
        Objects.spelling_at(record, index)
    }

    fn follow(&self, record: &Record<'_>, pointer: &str) -> Result<Vec<PointedCell>, RowFault> {
        let mut cells = Objects.follow(record, pointer)?;
        for cell in &mut cells {
            if is_left_alone(record.text, cell) {
                cell.spelling = cell.spelling.left_alone();
            }
        }
        Ok(cells)
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
