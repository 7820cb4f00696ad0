//! The places of all rows of a list, a few of them kept.

use crate::draft::row::RowPlace;

/// One of this many rows of a file is kept.
const STRIDE: u64 = 256;

/// Rows of a list by their number, from 0.
///
/// ```
/// use brisk_quill_engine::draft::row::RowPlace;
/// use brisk_quill_engine::draft::row_index::{FileRows, RowIndex};
/// let mut index = RowIndex::default();
/// let mut rows = FileRows::default();
/// (0..2000).for_each(|row| rows.push(row * 10));
/// index.push(FileRows::default());
/// index.push(rows);
/// assert_eq!(index.len(), 2000);
/// // The row that is known before row 1,500 is row 1,280.
/// let place = RowPlace { file: 1, at: 12800 };
/// assert_eq!((index.before(1500), index.number_of(place)), ((1280, place), Some(1280)));
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RowIndex {
    files: Vec<FileRows>,
    /// The number of the first row of each file.
    first: Vec<u64>,
    rows: u64,
}

/// The rows of one file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FileRows {
    rows: u64,
    /// The offsets of the rows 0, [`STRIDE`], …
    kept: Vec<u64>,
}

impl FileRows {
    /// Adds the row at this offset.
    pub fn push(&mut self, at: u64) {
        if self.rows.is_multiple_of(STRIDE) {
            self.kept.push(at);
        }
        self.rows += 1;
    }

    /// The number of rows.
    pub fn len(&self) -> u64 {
        self.rows
    }

    /// True if there is none.
    pub fn is_empty(&self) -> bool {
        self.rows == 0
    }
}

impl RowIndex {
    /// Adds the rows of the next file.
    pub fn push(&mut self, file: FileRows) {
        self.first.push(self.rows);
        self.rows += file.rows;
        self.files.push(file);
    }

    /// The number of rows.
    pub fn len(&self) -> u64 {
        self.rows
    }

    /// True if there is none.
    pub fn is_empty(&self) -> bool {
        self.rows == 0
    }

    /// The number of the first row of a file.
    pub fn first_of(&self, file: usize) -> u64 {
        self.first.get(file).copied().unwrap_or(self.rows)
    }

    /// The last row at or before `row` whose place is known: its number and its place.
    pub fn before(&self, row: u64) -> (u64, RowPlace) {
        let row = row.min(self.rows.saturating_sub(1));
        // Files without rows begin where the next one does.
        let file = self.first.partition_point(|first| *first <= row);
        let Some(file) = file.checked_sub(1) else {
            return (0, RowPlace::default());
        };
        let (first, rows) = (self.first[file], &self.files[file]);
        let stride = (row - first) / STRIDE;
        // There are fewer than there are bytes in memory.
        let at = rows.kept.get(stride as usize).copied().unwrap_or(0);
        (first + stride * STRIDE, RowPlace { file, at })
    }

    /// The number of the row at a place, of one whose place is kept.
    pub fn number_of(&self, place: RowPlace) -> Option<u64> {
        let rows = self.files.get(place.file)?;
        let stride = rows.kept.binary_search(&place.at).ok()?;
        Some(self.first[place.file] + stride as u64 * STRIDE)
    }

    /// The next file after `file` with rows, or the one before it.
    pub fn file_beside(&self, file: usize, forward: bool) -> Option<usize> {
        let has_rows = |file: &usize| !self.files[*file].is_empty();
        match forward {
            true => (file + 1..self.files.len()).find(has_rows),
            false => (0..file.min(self.files.len())).rev().find(has_rows),
        }
    }
}
