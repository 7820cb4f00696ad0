//! The list of rows: a part of it in memory, and the row at the cursor.

use brisk_quill_engine::draft::evaluator::RowList;
use brisk_quill_engine::draft::row::{Row, RowPlace};

/// Bytes that a list whose rows are not counted is moved back.
pub(super) const BACK: u64 = 64 << 10;

/// A list of rows.
#[derive(Debug, Default)]
pub struct List {
    pub rows: Vec<Row>,
    /// The number of the first of them, from 0, where that is known.
    pub first: Option<u64>,
    /// Nothing follows them.
    pub is_end: bool,
    /// Only this many units without a match were looked at.
    pub looked_at_most: Option<u64>,
    /// The row at the cursor, from 0.
    pub cursor: usize,
    /// The mark at the cursor in its row, from 0.
    pub mark: usize,
    /// The place that the rows begin at.
    pub from: RowPlace,
    /// The place that the cursor is to stay at, once other rows come.
    pub(super) anchor: RowPlace,
    /// The row whose matches were asked for, and the request it belongs to.
    pub looked_at: Option<(u64, RowPlace, Option<String>)>,
    /// The request whose rows are counted.
    pub index_is_of: Option<u64>,
}

impl List {
    /// The row at the cursor.
    pub fn current(&self) -> Option<&Row> {
        self.rows.get(self.cursor)
    }

    /// The marks in the row at the cursor.
    pub fn marks(&self) -> usize {
        self.current().map_or(0, |row| row.was.marks.len())
    }

    /// Takes other rows; the cursor stays at its place.
    pub fn take(&mut self, list: RowList) {
        let RowList {
            rows,
            first,
            is_end,
            looked_at,
        } = list;
        let at = rows.iter().position(|row| row.place >= self.anchor);
        self.cursor = at.unwrap_or(rows.len().saturating_sub(1));
        let is_same = self.rows.get(self.cursor) == rows.get(self.cursor);
        self.mark = if is_same { self.mark } else { 0 };
        self.rows = rows;
        self.first = first;
        self.is_end = is_end;
        self.looked_at_most = looked_at;
    }

    /// Has the next rows begin a little before the cursor.
    pub fn begin_at_cursor(&mut self) {
        let place = self.current().map_or(self.anchor, |row| row.place);
        self.anchor = place;
        self.from = match place.at > BACK {
            true => RowPlace {
                at: place.at - BACK,
                ..place
            },
            false => RowPlace { at: 0, ..place },
        };
    }

    /// Puts the cursor on a row, as long as nothing else is asked for.
    pub(super) fn go(&mut self, row: usize) {
        self.cursor = row.min(self.rows.len().saturating_sub(1));
        self.mark = 0;
        self.anchor = self.current().map_or(RowPlace::default(), |row| row.place);
    }
}
