//! Parquet files: the rows of all row groups as JSON Lines.
//!
//! ```text
//! {"@":{"row":7},"berth":"B 4","depth":4.8,"ship":null,"seen":{"date":"2031-05-01"},"notes":["calm","fog"]}
//! ```
//!
//! Text is text, a number a number, a list an array, a struct an object, and a map an array of objects with `key` and
//! `value`. Dates, times, decimals and bytes are objects, and left alone. Of what is written, only the chunks of columns
//! with a changed value are new; every other chunk is copied. What the library has written is read back before it leaves
//! memory.

mod cells;
mod columns;
mod footer;
mod rows;
mod schema;
mod update;

use crate::store::lines::LineReader;
use crate::store::parquet::rows::{RowLine, Rows};
use crate::store::whole::{WholePacking, read_whole};
use crate::store::{Pack, Store, Told};
use bytes::Bytes;
use parquet::errors::ParquetError;
use parquet::file::metadata::{ColumnChunkMetaData, RowGroupMetaData};
use parquet::file::properties::ReaderProperties;
use parquet::file::reader::FileReader;
use parquet::file::serialized_reader::{ReadOptionsBuilder, SerializedFileReader};
use std::cell::Cell;
use std::io::{self, BufRead, Read, Write};
use std::panic::{self, AssertUnwindSafe};
use std::sync::Once;

const MAGIC: &[u8] = b"PAR1";

/// Parquet files.
pub struct Parquet;

impl Store for Parquet {
    fn name(&self) -> &'static str {
        "parquet"
    }

    fn magic(&self) -> &'static [u8] {
        MAGIC
    }

    fn holds(&self, head: &[u8]) -> bool {
        // What follows is the tag of a field, and not a letter.
        let is_tag = |byte: &u8| byte.is_ascii_control() && !byte.is_ascii_whitespace();
        head.starts_with(MAGIC) && head.get(MAGIC.len()).is_some_and(is_tag)
    }

    fn is_table(&self) -> bool {
        true
    }

    fn judges_head(&self) -> bool {
        false
    }

    fn unpack<'d>(&self, disk: Box<dyn BufRead + 'd>) -> io::Result<Box<dyn Read + 'd>> {
        let bytes = Bytes::from(read_whole(disk)?);
        Ok(Box::new(LineReader::new(move |lines| {
            guarded(|| {
                let (mut rows, mut row) = (Rows::new(opened(bytes)?)?, RowLine::default());
                while rows.next(&mut row)? {
                    lines.add(&row.text)?;
                }
                Ok(())
            })
        })?))
    }

    fn pack<'o>(
        &self,
        head: &[u8],
        out: Box<dyn Write + Send + 'o>,
    ) -> io::Result<Box<dyn Pack + 'o>> {
        Ok(Box::new(WholePacking::new(head, out, write)))
    }
}

/// Writes the file `old` with the rows of `text` in the place of its own.
fn write(old: Vec<u8>, text: &[u8], out: &mut dyn Write) -> io::Result<()> {
    let new = guarded(|| update::updated(&Bytes::from(old), text))?;
    out.write_all(&new)
}

/// The file whose bytes these are.
fn opened(bytes: Bytes) -> io::Result<SerializedFileReader<Bytes>> {
    let properties = ReaderProperties::builder().set_read_bloom_filter(true);
    let options = ReadOptionsBuilder::new()
        .with_page_index()
        .with_reader_properties(properties.build())
        .build();
    let length = i64::try_from(bytes.len()).unwrap_or(i64::MAX);
    let file = SerializedFileReader::new_with_options(bytes, options).map_err(failed)?;
    let groups = file.metadata().row_groups().iter();
    let mut chunks = groups.flat_map(RowGroupMetaData::columns);
    match chunks.all(|chunk| is_within(chunk, length)) {
        true => Ok(file),
        false => Err(damaged(
            "the Parquet file is damaged: a column lies outside of it",
        )),
    }
}

/// True if a chunk lies in a file of `length` bytes, which the library takes for granted.
fn is_within(chunk: &ColumnChunkMetaData, length: i64) -> bool {
    let start = chunk.dictionary_page_offset();
    let start = start.unwrap_or_else(|| chunk.data_page_offset());
    let end = start.checked_add(chunk.compressed_size());
    start >= 0 && chunk.compressed_size() >= 0 && end.is_some_and(|end| end <= length)
}

/// An error with a sentence that goes on after the name of the file.
fn damaged(sentence: impl Into<String>) -> io::Error {
    Told::error(sentence)
}

/// The sentence for an error of the library.
fn failed(error: ParquetError) -> io::Error {
    damaged(match error {
        ParquetError::EOF(_) => "the Parquet file is cut off".to_owned(),
        ParquetError::General(said) | ParquetError::NYI(said) => {
            format!("the Parquet file is damaged, or of a kind that is not read: {said}")
        }
        error => format!("the Parquet file is damaged: {error}"),
    })
}

/// Runs a part of the library, which panics over some damaged files. Nothing is printed then.
fn guarded<T>(part: impl FnOnce() -> io::Result<T>) -> io::Result<T> {
    static HOOK: Once = Once::new();
    HOOK.call_once(|| {
        let before = panic::take_hook();
        panic::set_hook(Box::new(move |panic| {
            if !QUIET.get() {
                before(panic);
            }
        }));
    });
    let outer = QUIET.replace(true);
    let done = panic::catch_unwind(AssertUnwindSafe(part));
    QUIET.set(outer);
    done.unwrap_or_else(|_| Err(damaged("the Parquet file is damaged")))
}

thread_local! {
    /// A panic of this thread says nothing.
    static QUIET: Cell<bool> = const { Cell::new(false) };
}
