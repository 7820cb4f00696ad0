//! Facts about the columns of a text that are known at its end.

use crate::columns::fault::{ColumnFault, RowFault};
use crate::columns::pointer::escaped;
use crate::columns::table::Table;
use crate::nearest::nearest;
use crate::problem::{Problem, ProblemKind};
use crate::query::note::ColumnNote;
use std::sync::Arc;

/// Tables of a container that are named.
pub(super) const TABLES_MOST: usize = 20;

/// The columns of a table as its first rows name them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct TableHead {
    /// Known once the first sound row is.
    pub(super) table: Option<Arc<Table>>,
    /// The row with the names could not be read.
    pub(super) is_lost: bool,
    /// The table makes no sense for what is asked; all of it is passed over.
    pub(super) is_broken: bool,
}

impl TableHead {
    /// True if no row that follows can change it.
    pub fn is_known(&self) -> bool {
        self.table.is_some() || self.is_broken
    }
}

/// The end of the rows of a text, or of a part of it; those of all parts, one added to the other, are that of the text.
///
/// ```
/// use brisk_quill_core::query::table_end::TableEnd;
/// let (notes, problem) = TableEnd::default().finish();
/// assert!(notes.is_empty() && problem.is_none());
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct TableEnd {
    pub(crate) head: TableHead,
    /// The columns of a table with pointers that are named; none where it was refused.
    pub(super) pointers: Vec<String>,
    /// The last line, where the text lacks its end.
    pub(super) cut_off: Option<u64>,
    pub(super) rows: u64,
    /// The table of a container that is asked for, some of those that there are, and true once it was met.
    pub(super) table: Option<String>,
    pub(super) tables: Vec<String>,
    pub(super) found_table: bool,
    /// Rows of other tables.
    pub(super) others: u64,
    /// Rows in which each pointer leads to no text.
    pub(super) absent: Vec<u64>,
    /// The first number with a match, by its line and pointer, and how many there are.
    pub(super) numbers: Option<(u64, String, u64)>,
    /// The outermost keys of the first object, and a pointer into the value of each that is a list or an object.
    pub(super) keys: Vec<(String, Option<String>)>,
}

impl TableEnd {
    /// The number of rows, but for the header and those with a fault in their form.
    pub fn rows(&self) -> u64 {
        self.rows
    }

    /// Adds the end of the next part.
    pub fn add(&mut self, next: Self) {
        if self.rows == 0 {
            (self.pointers, self.keys) = (next.pointers, next.keys);
            self.table = next.table;
        }
        self.head = next.head;
        self.cut_off = next.cut_off;
        self.rows += next.rows;
        let new = next.tables.into_iter();
        let new: Vec<_> = new.filter(|name| !self.tables.contains(name)).collect();
        self.tables.extend(new);
        self.tables.truncate(TABLES_MOST);
        self.found_table |= next.found_table;
        self.others += next.others;
        self.absent
            .resize(self.absent.len().max(next.absent.len()), 0);
        for (all, more) in self.absent.iter_mut().zip(next.absent) {
            *all += more;
        }
        match (&mut self.numbers, next.numbers) {
            (Some((.., cells)), Some((.., more))) => *cells += more,
            (none, numbers) => *none = none.take().or(numbers),
        }
    }

    /// The notes about the columns, and what is wrong with the text.
    pub fn finish(self) -> (Vec<ColumnNote>, Option<Problem>) {
        let mut notes = Vec::new();
        if let Some(line) = self.cut_off {
            let kind = ProblemKind::Row(RowFault::CutOff);
            let line = Some(line);
            return (notes, Some(Problem { line, kind }));
        }
        let refused = |fault| {
            let kind = ProblemKind::Column(fault);
            Some(Problem { line: None, kind })
        };
        if let (Some(name), false, true) = (&self.table, self.found_table, self.rows > 0) {
            let (name, there) = (name.clone(), self.tables);
            return (notes, refused(ColumnFault::NoTable { name, there }));
        }
        let of = self.rows - self.others;
        for (pointer, &rows) in self.pointers.iter().zip(&self.absent) {
            if rows == of && self.rows > 0 {
                return (notes, refused(self.absence_of(pointer)));
            }
            if rows > 0 {
                let pointer = pointer.clone();
                notes.push(ColumnNote::Absent { pointer, rows, of });
            }
        }
        let numbers = self
            .numbers
            .map(|(line, pointer, cells)| ColumnNote::Numbers {
                line,
                pointer,
                cells,
            });
        notes.extend(numbers);
        (notes, None)
    }

    /// The fault of a pointer that leads to no text in any row.
    fn absence_of(&self, pointer: &str) -> ColumnFault {
        let own = |(key, _): &&(String, _)| pointer == format!("/{}", escaped(key));
        let inner = self.keys.iter().find(own);
        match inner.and_then(|(_, inner)| inner.clone()) {
            Some(inner) => ColumnFault::Inner {
                pointer: pointer.to_owned(),
                inner,
            },
            None => {
                // A key that is there is not the one that was meant instead.
                let others = self.keys.iter().filter(|key| !own(key));
                ColumnFault::Nowhere {
                    nearest: nearest(pointer, others.map(|(key, _)| key.as_str())),
                    pointer: pointer.to_owned(),
                }
            }
        }
    }
}
