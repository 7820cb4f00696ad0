//! Values of a file that become others.

use super::cells::Cell;
use super::columns::{Spot, each_type};
use super::rows::{RowLine, Rows};
use super::schema::Kind;
use super::{damaged, failed, footer, opened};
use crate::store::whole::NewLines;
use bytes::Bytes;
use parquet::basic::Encoding;
use parquet::column::reader::{ColumnReader, ColumnReaderImpl};
use parquet::column::writer::ColumnCloseResult;
use parquet::data_type::DataType;
use parquet::file::metadata::{ColumnChunkMetaData, ParquetMetaData, SortingColumn};
use parquet::file::properties::{EnabledStatistics, WriterProperties, WriterPropertiesBuilder};
use parquet::file::reader::{FileReader, RowGroupReader};
use parquet::file::writer::{
    SerializedColumnWriter, SerializedFileWriter, SerializedRowGroupWriter,
};
use parquet::schema::types::ColumnDescriptor;
use serde_json::Value;
use std::collections::BTreeMap;
use std::io;
use std::sync::Arc;

/// Rows that are copied at a time.
const AT_ONCE: usize = 8192;

/// New values of a chunk, each with its number among the values that are there, and its JSON.
type Chunk = Vec<(usize, Vec<u8>)>;

/// The chunks with changed values, by row group and column.
type Changes = BTreeMap<(usize, usize), Chunk>;

/// The bytes of the file with the rows of `text` in the place of its own.
///
/// # Errors
///
/// When a value cannot be written, or would be read back as another.
pub fn updated(old: &Bytes, text: &[u8]) -> io::Result<Vec<u8>> {
    let mut rows = Rows::new(opened(old.clone())?)?;
    let changes = changes(&mut rows, text)?;
    let file = rows.file();
    let facts = file.metadata();
    let schema = facts.file_metadata().schema_descr().root_schema_ptr();
    let properties = Arc::new(properties(facts, &changes));
    let mut writer = SerializedFileWriter::new(Vec::new(), schema, properties).map_err(failed)?;
    for number in 0..facts.num_row_groups() {
        let from = Source {
            bytes: old,
            facts,
            number,
            group: &*file.get_row_group(number).map_err(failed)?,
        };
        let mut group = writer.next_row_group().map_err(failed)?;
        for column in 0..facts.row_group(number).num_columns() {
            match changes.get(&(number, column)) {
                Some(chunk) => from.rewrite(column, chunk, &mut group)?,
                None => from.copy(column, &mut group)?,
            }
        }
        group.close().map_err(failed)?;
    }
    let mut new = writer.into_inner().map_err(failed)?;
    footer::keep(&mut new, facts.file_metadata())?;
    check_written(&new, text)?;
    Ok(new)
}

/// The changes that lead from the rows that there are to those of `text`.
fn changes(rows: &mut Rows, text: &[u8]) -> io::Result<Changes> {
    let mut lines = NewLines::new(text);
    let (mut row, mut changes) = (RowLine::default(), Changes::new());
    while rows.next(&mut row)? {
        let line = lines.next()?;
        if line != row.text {
            let of_row = of_row(&row, line);
            let fault = || damaged(format!("row {} has no such cell to be written", row.number));
            for (spot, json) in of_row.ok_or_else(fault)? {
                let chunk = changes.entry((row.group, spot.column)).or_default();
                chunk.push((spot.value, json.to_owned()));
            }
        }
    }
    lines.end()?;
    Ok(changes)
}

/// The place of each value of a row that is another in `line`, and its JSON there; `None` where anything else is another.
fn of_row<'r>(row: &'r RowLine, line: &'r [u8]) -> Option<Vec<(&'r Spot, &'r [u8])>> {
    let (mut changed, mut rest, mut at) = (Vec::new(), line, 0);
    for spot in &row.spots {
        rest = rest.strip_prefix(&row.text[at..spot.bytes.start])?;
        let (json, after) = rest.split_at(value_length(rest)?);
        if json != &row.text[spot.bytes.clone()] {
            changed.push((spot, json));
        }
        (rest, at) = (after, spot.bytes.end);
    }
    (rest == &row.text[at..]).then_some(changed)
}

/// The length of the text or number at the beginning of `json`.
fn value_length(json: &[u8]) -> Option<usize> {
    let mut values = serde_json::Deserializer::from_slice(json).into_iter::<Value>();
    let is_simple = |value: Value| value.is_string() || value.is_number();
    let found = values.next()?.ok().is_some_and(is_simple);
    found.then(|| values.byte_offset())
}

/// The properties that new chunks are written with: those of the old ones.
fn properties(facts: &ParquetMetaData, changes: &Changes) -> WriterProperties {
    let file = facts.file_metadata();
    let has_places = (0..facts.num_row_groups()).any(|group| {
        let index = facts.page_index_for_row_group(group);
        (0..facts.row_group(group).num_columns()).any(|column| index.offset_index(column).is_some())
    });
    let mut builder = WriterProperties::builder()
        .set_key_value_metadata(file.key_value_metadata().cloned())
        .set_offset_index_disabled(!has_places)
        .set_statistics_enabled(EnabledStatistics::None)
        .set_sorting_columns(sorting(facts, changes));
    if let Some(program) = file.created_by() {
        builder = builder.set_created_by(program.to_owned());
    }
    for (group, column) in changes.keys() {
        let has_index = facts
            .page_index_for_row_group(*group)
            .column_index(*column)
            .is_some();
        builder = like(builder, facts.row_group(*group).column(*column), has_index);
    }
    builder.build()
}

/// Properties with those of a chunk.
fn like(
    builder: WriterPropertiesBuilder,
    chunk: &ColumnChunkMetaData,
    has_index: bool,
) -> WriterPropertiesBuilder {
    let path = chunk.column_path().clone();
    let statistics = match (has_index, chunk.statistics()) {
        (true, _) => EnabledStatistics::Page,
        (false, Some(_)) => EnabledStatistics::Chunk,
        (false, None) => EnabledStatistics::None,
    };
    let dictionary = |encoding| {
        matches!(
            encoding,
            Encoding::RLE_DICTIONARY | Encoding::PLAIN_DICTIONARY
        )
    };
    let delta = |encoding: &Encoding| {
        matches!(
            encoding,
            Encoding::DELTA_BINARY_PACKED
                | Encoding::DELTA_BYTE_ARRAY
                | Encoding::DELTA_LENGTH_BYTE_ARRAY
                | Encoding::BYTE_STREAM_SPLIT
        )
    };
    let builder = builder
        .set_column_compression(path.clone(), chunk.compression())
        .set_column_statistics_enabled(path.clone(), statistics)
        .set_column_bloom_filter_enabled(path.clone(), chunk.bloom_filter_offset().is_some())
        .set_column_dictionary_enabled(path.clone(), chunk.encodings().any(dictionary));
    match chunk.encodings().find(delta) {
        Some(encoding) => builder.set_column_encoding(path, encoding),
        None => builder,
    }
}

/// The columns by which rows are in order, as far as they have not changed.
fn sorting(facts: &ParquetMetaData, changes: &Changes) -> Option<Vec<SortingColumn>> {
    let mut groups = facts
        .row_groups()
        .iter()
        .map(|group| group.sorting_columns());
    let first = groups.next()??;
    if groups.any(|other| other != Some(first)) {
        return None;
    }
    let changed = |column: i32| {
        changes
            .keys()
            .any(|(_, other)| i32::try_from(*other) == Ok(column))
    };
    let kept = first.iter().take_while(|by| !changed(by.column_idx));
    Some(kept.cloned().collect()).filter(|kept: &Vec<_>| !kept.is_empty())
}

/// A row group that is copied.
struct Source<'s> {
    bytes: &'s Bytes,
    facts: &'s ParquetMetaData,
    number: usize,
    group: &'s dyn RowGroupReader,
}

type Group<'g, 'w> = SerializedRowGroupWriter<'g, Vec<u8>>;

impl Source<'_> {
    /// Copies a chunk, byte by byte.
    fn copy(&self, column: usize, to: &mut Group<'_, '_>) -> io::Result<()> {
        let group = self.facts.row_group(self.number);
        let index = self.facts.page_index_for_row_group(self.number);
        let chunk = group.column(column);
        let close = ColumnCloseResult {
            bytes_written: chunk.compressed_size().unsigned_abs(),
            rows_written: group.num_rows().unsigned_abs(),
            metadata: chunk.clone(),
            bloom_filter: self.group.get_column_bloom_filter(column).cloned(),
            column_index: index.column_index(column).cloned(),
            offset_index: index.offset_index(column).cloned(),
        };
        to.append_column(self.bytes, close).map_err(failed)
    }

    /// Writes a chunk with some values that are new.
    fn rewrite(&self, column: usize, chunk: &Chunk, to: &mut Group<'_, '_>) -> io::Result<()> {
        let reader = self.group.get_column_reader(column).map_err(failed)?;
        let missing = || damaged("a column is missing");
        let mut writer = to.next_column().map_err(failed)?.ok_or_else(missing)?;
        let of = self
            .facts
            .row_group(self.number)
            .column(column)
            .column_descr();
        each_type!(reader, reader => write(reader, of, chunk, &mut writer))?;
        writer.close().map_err(failed)
    }
}

/// Copies the values of a column, those of `chunk` changed.
fn write<T: DataType>(
    mut reader: ColumnReaderImpl<T>,
    of: &ColumnDescriptor,
    chunk: &Chunk,
    to: &mut SerializedColumnWriter<'_>,
) -> io::Result<()>
where
    T::T: Cell,
{
    let kind = Kind::of(of);
    let (mut values, mut defs, mut reps) = (Vec::new(), Vec::new(), Vec::new());
    let (mut before, mut changes) = (0, chunk.iter().peekable());
    loop {
        let read = reader.read_records(AT_ONCE, Some(&mut defs), Some(&mut reps), &mut values);
        if read.map_err(failed)?.0 == 0 {
            return Ok(());
        }
        let end = before + values.len();
        while let Some((number, json)) = changes.next_if(|(number, _)| *number < end) {
            let fault = || {
                let (json, column) = (String::from_utf8_lossy(json), of.path().string());
                damaged(format!("{json} cannot be written into {column}"))
            };
            values[number - before] = T::T::read(json, kind).ok_or_else(fault)?;
        }
        before = end;
        to.typed::<T>()
            .write_batch(&values, there(&defs), there(&reps))
            .map_err(failed)?;
        values.clear();
        defs.clear();
        reps.clear();
    }
}

/// Levels, of which a column that is always there has none.
fn there(levels: &[i16]) -> Option<&[i16]> {
    (!levels.is_empty()).then_some(levels)
}

/// All rows are read back: each must be as it was shown.
fn check_written(new: &[u8], text: &[u8]) -> io::Result<()> {
    let mut rows = Rows::new(opened(Bytes::copy_from_slice(new))?)?;
    let (mut row, mut lines) = (RowLine::default(), text.split(|byte| *byte == b'\n'));
    while rows.next(&mut row)? {
        let line = lines.next().unwrap_or_default();
        let is_same =
            |(spot, json): (&Spot, &[u8])| means_same(&row.text[spot.bytes.clone()], json);
        let are_same = line == row.text
            || of_row(&row, line).is_some_and(|values| values.into_iter().all(is_same));
        if !are_same {
            return Err(damaged(format!(
                "row {} would be read back as another than was shown",
                row.number
            )));
        }
    }
    Ok(())
}

/// True if two values of JSON differ only in the way they are written.
fn means_same(one: &[u8], other: &[u8]) -> bool {
    let value = |json| serde_json::from_slice::<Value>(json).ok();
    match (value(one), value(other)) {
        (Some(Value::Number(one)), Some(Value::Number(other))) => one.as_f64() == other.as_f64(),
        (one, other) => one.is_some() && one == other,
    }
}
