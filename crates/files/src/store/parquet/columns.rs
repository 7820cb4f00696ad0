//! The values of a column, read some rows at a time.

use super::cells::Cell;
use super::schema::Kind;
use super::{damaged, failed};
use parquet::column::reader::{ColumnReader, ColumnReaderImpl};
use parquet::data_type::DataType;
use parquet::schema::types::ColumnDescriptor;
use std::io;

/// The place of a value that can be written anew.
pub struct Spot {
    /// The column, from 0.
    pub column: usize,
    /// The number of the value among those of the column in its row group, from 0; those that are null are not counted.
    pub value: usize,
    /// The bytes in the line.
    pub bytes: std::ops::Range<usize>,
}

/// The values of a column in a row group.
pub trait Column {
    /// Reads the next `rows` rows; those before must have been used.
    ///
    /// # Errors
    ///
    /// When there are fewer, or they cannot be read.
    fn read(&mut self, rows: usize) -> io::Result<()>;

    /// The level of the next value, which says how much of it is there; `None` after the last that was read.
    fn def(&self) -> Option<i16>;

    /// The level at which the next value begins something new.
    fn rep(&self) -> Option<i16>;

    /// Leaves out the next value, which is null.
    fn skip(&mut self);

    /// Adds the next value to a line, and its place to `spots`, where it can be written anew.
    ///
    /// # Errors
    ///
    /// When there is none.
    fn put(&mut self, line: &mut Vec<u8>, spots: &mut Vec<Spot>) -> io::Result<()>;
}

/// Values of a column of one type.
pub struct Values<T: DataType> {
    reader: ColumnReaderImpl<T>,
    number: usize,
    kind: Kind,
    /// The level of a value that is there, and the level of one that begins no row.
    def_most: i16,
    rep_most: i16,
    values: Vec<T::T>,
    defs: Vec<i16>,
    reps: Vec<i16>,
    /// Levels that were read, and those that have been used.
    levels: usize,
    used: usize,
    /// Values of `values` that have been used.
    used_values: usize,
    /// Values in earlier rows.
    before: usize,
}

/// Does the same with a reader of a column, whatever the type of its values.
macro_rules! each_type {
    ($of:expr, $reader:ident => $do:expr) => {
        match $of {
            ColumnReader::BoolColumnReader($reader) => $do,
            ColumnReader::Int32ColumnReader($reader) => $do,
            ColumnReader::Int64ColumnReader($reader) => $do,
            ColumnReader::Int96ColumnReader($reader) => $do,
            ColumnReader::FloatColumnReader($reader) => $do,
            ColumnReader::DoubleColumnReader($reader) => $do,
            ColumnReader::ByteArrayColumnReader($reader) => $do,
            ColumnReader::FixedLenByteArrayColumnReader($reader) => $do,
        }
    };
}
pub(super) use each_type;

/// The values of column `number`, as `reader` has them.
pub fn column(reader: ColumnReader, number: usize, of: &ColumnDescriptor) -> Box<dyn Column> {
    each_type!(reader, reader => Box::new(Values::new(reader, (number, of))))
}

impl<T: DataType> Values<T> {
    fn new(reader: ColumnReaderImpl<T>, (number, of): (usize, &ColumnDescriptor)) -> Self {
        Self {
            reader,
            number,
            kind: Kind::of(of),
            def_most: of.max_def_level(),
            rep_most: of.max_rep_level(),
            values: Vec::new(),
            defs: Vec::new(),
            reps: Vec::new(),
            levels: 0,
            used: 0,
            used_values: 0,
            before: 0,
        }
    }
}

impl<T: DataType> Column for Values<T>
where
    T::T: Cell,
{
    fn read(&mut self, rows: usize) -> io::Result<()> {
        self.before += self.values.len();
        self.values.clear();
        self.defs.clear();
        self.reps.clear();
        (self.used, self.used_values) = (0, 0);
        let (read, _, levels) = self
            .reader
            .read_records(
                rows,
                Some(&mut self.defs),
                Some(&mut self.reps),
                &mut self.values,
            )
            .map_err(failed)?;
        self.levels = levels;
        match read == rows {
            true => Ok(()),
            false => Err(damaged(format!(
                "the Parquet file is damaged: column {} has too few rows",
                self.number + 1
            ))),
        }
    }

    fn def(&self) -> Option<i16> {
        let level = || match self.def_most {
            0 => Some(0),
            _ => self.defs.get(self.used).copied(),
        };
        (self.used < self.levels).then(level).flatten()
    }

    fn rep(&self) -> Option<i16> {
        let level = || match self.rep_most {
            0 => Some(0),
            _ => self.reps.get(self.used).copied(),
        };
        (self.used < self.levels).then(level).flatten()
    }

    fn skip(&mut self) {
        self.used += 1;
    }

    fn put(&mut self, line: &mut Vec<u8>, spots: &mut Vec<Spot>) -> io::Result<()> {
        let missing = || damaged("the Parquet file is damaged: a value is missing");
        if self.def().ok_or_else(missing)? < self.def_most {
            line.extend_from_slice(b"null");
        } else {
            let value = self.values.get(self.used_values).ok_or_else(missing)?;
            let from = line.len();
            if value.show(self.kind, line) {
                spots.push(Spot {
                    column: self.number,
                    value: self.before + self.used_values,
                    bytes: from..line.len(),
                });
            }
            self.used_values += 1;
        }
        self.used += 1;
        Ok(())
    }
}
