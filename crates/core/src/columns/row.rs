//! One record with its cells: their values, and how new values are written.

use super::jsonl;
use crate::columns::jsonl::{Members, Token};
use crate::columns::list::Column;
use crate::columns::scan::{RawCell, Record, RowFault, Scanner, spaced};
use crate::columns::table::{Selected, Table, pointer_of};
use crate::columns::{Dialect, Layout, quote};
use crate::edits::{Edit, splice};
use crate::span::Span;
use crate::unit::lines;
use std::borrow::Cow;
use std::sync::Arc;

/// Why a value cannot be written into its cell, or read from it.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum CellFault {
    /// It holds a delimiter, a line end or a quote, and nothing can quote it.
    #[error(
        "`{}` cannot stand in {column}: it would be read as something else, and there are no quotes",
        crate::escape::visible(value)
    )]
    Unquotable {
        /// The column.
        column: String,
        /// The new value.
        value: Vec<u8>,
    },
    /// A number of JSON would become something else.
    #[error(
        "`{}` is not a number, and {column} holds one without quotes",
        crate::escape::visible(value)
    )]
    NotANumber {
        /// The column.
        column: String,
        /// The new value.
        value: Vec<u8>,
    },
    /// An escape in a string of JSON that stands for no character.
    #[error("{0} holds an escape that stands for no character")]
    NoCharacter(String),
    /// The row has no such cell.
    #[error("there is no {0} to write in this row")]
    Absent(String),
    /// The row is longer than the first one, so that a cell behind it is in no column.
    #[error(
        "the row has {found} cells and the first row {wanted}: the last would stand below the new column"
    )]
    Surplus {
        /// Cells it has.
        found: usize,
        /// Cells of the first row.
        wanted: usize,
    },
    /// Two columns that are to be written are one cell in this row.
    #[error("two columns to be set are the same cell in this row")]
    WrittenTwice,
    /// The row has a cell of the name that is to be added.
    #[error("there is a `{0}` already in this row")]
    There(String),
}

/// The next row of a piece, before it is known what it means.
pub(crate) struct ScannedRow {
    /// Without its line end.
    pub content: Span,
    /// Line ends within it.
    pub inner_lines: u64,
    /// What is wrong with its form, and where in the text that shows.
    pub fault: Option<(usize, RowFault)>,
    /// Nothing stands on it.
    pub blank: bool,
}

/// Reads the rows of a piece of whole records.
pub(crate) struct RowReader<'t> {
    text: &'t [u8],
    source: RowSource<'t>,
    /// The cells of the current row; empty in JSON Lines.
    pub cells: Vec<RawCell>,
    /// The members of the current row in JSON Lines.
    pub members: Members<'t>,
}

enum RowSource<'t> {
    Delimited(Scanner<'t>),
    Lines {
        lines: Box<dyn Iterator<Item = crate::unit::Line> + 't>,
        json: bool,
    },
}

impl<'t> RowReader<'t> {
    pub fn new(text: &'t [u8], layout: Layout) -> Self {
        let source = match layout {
            Layout::Delimited(dialect) => RowSource::Delimited(Scanner::new(text, dialect)),
            Layout::Spaced | Layout::JsonLines => RowSource::Lines {
                lines: Box::new(lines(text)),
                json: layout == Layout::JsonLines,
            },
        };
        Self {
            text,
            source,
            cells: Vec::new(),
            members: Members::default(),
        }
    }

    /// Goes to the next row.
    pub fn next(&mut self) -> Option<ScannedRow> {
        match &mut self.source {
            RowSource::Delimited(scanner) => {
                let record = scanner.next(&mut self.cells)?;
                let Record {
                    content,
                    inner_lines,
                    fault,
                    ..
                } = record;
                Some(ScannedRow {
                    blank: content.is_empty(),
                    content,
                    inner_lines,
                    fault,
                })
            }
            RowSource::Lines { lines, json } => {
                let line = lines.next()?;
                let bytes = &self.text[line.content.range()];
                let blank = bytes.iter().all(|b| matches!(b, b' ' | b'\t'));
                let mut fault = None;
                if *json {
                    match blank
                        .then(Members::default)
                        .map_or_else(|| jsonl::object(bytes), Ok)
                    {
                        Ok(members) => self.members = members,
                        Err(wrong) => fault = Some((line.content.from, wrong)),
                    }
                } else {
                    spaced(self.text, line.content, &mut self.cells);
                }
                Some(ScannedRow {
                    content: line.content,
                    inner_lines: 0,
                    fault,
                    blank,
                })
            }
        }
    }
}

impl RowReader<'_> {
    /// The values of the current row as the names of columns.
    pub fn names(&self, layout: Layout) -> Vec<String> {
        let value = |cell: &RawCell| {
            let raw = &self.text[cell.span.range()];
            String::from_utf8_lossy(&layout.read_value(raw)).into_owned()
        };
        self.cells.iter().map(value).collect()
    }
}

/// A cell of a row: what is needed to read and to write it.
#[derive(Clone, Debug)]
pub(crate) struct RowCell {
    /// Its bytes in the text.
    pub span: Span,
    column: CellColumn,
    kind: CellKind,
}

/// The column of a cell.
#[derive(Clone, Debug)]
enum CellColumn {
    /// Its number, from 0.
    Index(usize),
    /// The pointer to it.
    Pointer(Arc<str>),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum CellKind {
    Delimited {
        dialect: Dialect,
        quoted: bool,
        /// The only cell of its row.
        alone: bool,
    },
    Spaced,
    Text,
    Number,
}

impl RowCell {
    /// What its column is called.
    pub fn name(&self, table: &Table) -> Arc<str> {
        match &self.column {
            CellColumn::Index(index) => table.name(*index),
            CellColumn::Pointer(pointer) => Arc::clone(pointer),
        }
    }

    /// Its value in a row.
    pub fn value<'t>(&self, row: &Row<'t>) -> Result<Cow<'t, [u8]>, CellFault> {
        let value = self.kind.read(&row.text[self.span.range()]);
        value.ok_or_else(|| CellFault::NoCharacter(self.name(row.table).to_string()))
    }

    /// Whether it is a number of JSON.
    pub fn is_number(&self) -> bool {
        self.kind == CellKind::Number
    }

    /// Where the offsets of its value, which is `length` bytes long, lie in the text.
    pub fn offsets(&self, text: &[u8], length: usize) -> CellOffsets {
        CellOffsets::new(self.kind, &text[self.span.range()], self.span.from, length)
    }

    /// How it is written with `edits` made to its value.
    pub fn rewritten(
        &self,
        row: &Row<'_>,
        value: &[u8],
        edits: &[Edit],
    ) -> Result<Vec<u8>, CellFault> {
        let new = match self.kind {
            CellKind::Text => self.respelled(row, value.len(), edits),
            kind => {
                let value = splice(value, edits);
                kind.write(&value).ok_or(value)
            }
        };
        new.map_err(|value| {
            let column = self.name(row.table).to_string();
            match self.kind {
                CellKind::Number => CellFault::NotANumber { column, value },
                _ => CellFault::Unquotable { column, value },
            }
        })
    }

    /// A string of JSON with `edits` made to its value; what is not touched keeps its escapes.
    /// The error is the text that cannot stand in it.
    fn respelled(&self, row: &Row<'_>, length: usize, edits: &[Edit]) -> Result<Vec<u8>, Vec<u8>> {
        let raw = &row.text[self.span.range()];
        let offsets = CellOffsets::new(self.kind, raw, 0, length);
        let mut new = Vec::with_capacity(raw.len());
        let mut at = 0;
        for edit in edits {
            let from = offsets.of(edit.span.from, raw);
            new.extend_from_slice(&raw[at..from]);
            new.extend(jsonl::escape(&edit.text).ok_or_else(|| edit.text.clone())?);
            at = offsets.of(edit.span.to, raw);
        }
        new.extend_from_slice(&raw[at..]);
        Ok(new)
    }
}

fn unquotable((name, value): (&str, &[u8])) -> CellFault {
    CellFault::Unquotable {
        column: name.to_owned(),
        value: value.to_vec(),
    }
}

/// Value bytes between two known places of [`CellOffsets`].
const KNOWN_EVERY: usize = 64;

/// Where the bytes of a cell's value are written.
pub(crate) struct CellOffsets {
    kind: CellKind,
    /// Where the cell begins.
    from: usize,
    /// Bytes before the value, where every byte of it stands for itself.
    plain: Option<usize>,
    /// Else some offsets of the value, in order, with their places in the cell.
    known: Vec<(usize, usize)>,
}

impl CellOffsets {
    fn new(kind: CellKind, raw: &[u8], from: usize, length: usize) -> Self {
        let quotes = usize::from(kind.is_quoted(raw));
        let mut offsets = Self {
            kind,
            from,
            plain: (raw.len() == length + 2 * quotes).then_some(quotes),
            known: Vec::new(),
        };
        let (mut passed, mut at) = (0, quotes);
        while offsets.plain.is_none() && passed < length {
            if offsets
                .known
                .last()
                .is_none_or(|(last, _)| passed >= last + KNOWN_EVERY)
            {
                offsets.known.push((passed, at));
            }
            let (written, stands_for) = kind.one_char(&raw[at..]);
            (passed, at) = (passed + stands_for, at + written);
        }
        offsets
    }

    /// Where offset `at` of the value lies in the text, of which the cell is `raw`.
    pub fn of(&self, at: usize, raw: &[u8]) -> usize {
        if let Some(quotes) = self.plain {
            return self.from + quotes + at;
        }
        let next = self.known.partition_point(|(passed, _)| *passed <= at);
        let known = next.checked_sub(1).and_then(|last| self.known.get(last));
        let (mut passed, mut place) = known.copied().unwrap_or((0, 1));
        while passed < at {
            let (written, stands_for) = self.kind.one_char(&raw[place..]);
            (passed, place) = (passed + stands_for, place + written);
        }
        self.from + place
    }
}

impl CellKind {
    /// Whether it is written between quotes.
    fn is_quoted(self, raw: &[u8]) -> bool {
        match self {
            Self::Delimited {
                dialect, quoted, ..
            } => quoted && dialect.quote.is_some(),
            Self::Spaced | Self::Number => false,
            Self::Text => raw.starts_with(b"\""),
        }
    }

    /// How many bytes the next character takes as it is written, and in the value.
    fn one_char(self, raw: &[u8]) -> (usize, usize) {
        match self {
            Self::Delimited { dialect, .. } if dialect.quote == raw.first().copied() => (2, 1),
            Self::Delimited { .. } | Self::Spaced | Self::Number => (1, 1),
            Self::Text => jsonl::one_char(raw),
        }
    }

    /// The kind of a cell that is written as `raw`, where nothing else is known of it.
    fn of(layout: Layout, raw: &[u8]) -> Self {
        match layout {
            Layout::Delimited(dialect) => Self::Delimited {
                dialect,
                quoted: dialect.quote.is_some_and(|quote| {
                    raw.len() >= 2 && raw.first() == Some(&quote) && raw.last() == Some(&quote)
                }),
                alone: false,
            },
            Layout::Spaced => Self::Spaced,
            Layout::JsonLines if raw.starts_with(b"\"") => Self::Text,
            Layout::JsonLines => Self::Number,
        }
    }

    /// The value of a cell that is written as `raw`; `None` where an escape stands for no
    /// character.
    fn read(self, raw: &[u8]) -> Option<Cow<'_, [u8]>> {
        match self {
            Self::Delimited {
                dialect, quoted, ..
            } => Some(quote::decode(raw, quoted, dialect)),
            Self::Spaced | Self::Number => Some(Cow::Borrowed(raw)),
            Self::Text => jsonl::decode(raw),
        }
    }

    /// How a cell that holds `value` is written; `None` where it cannot hold it.
    fn write(self, value: &[u8]) -> Option<Vec<u8>> {
        match self {
            Self::Delimited {
                dialect,
                quoted,
                alone,
            } => quote::encode(value, quoted, dialect, alone),
            Self::Spaced => {
                let blank = |b: &u8| matches!(b, b' ' | b'\t' | b'\n' | b'\r');
                (!value.is_empty() && !value.iter().any(blank)).then(|| value.to_vec())
            }
            Self::Number => jsonl::is_number(value).then(|| value.to_vec()),
            Self::Text => Some([b"\"", &*jsonl::escape(value)?, b"\""].concat()),
        }
    }
}

/// A cell by itself, for a value that is written by hand.
impl Layout {
    /// The value of a cell that is written as `raw`; `raw` itself where it stands for none.
    pub fn read_value(self, raw: &[u8]) -> Vec<u8> {
        let value = CellKind::of(self, raw).read(raw);
        value.map_or_else(|| raw.to_vec(), Cow::into_owned)
    }

    /// How `value` is written in the place of a cell that is written as `before`; `None` where
    /// it cannot stand there.
    pub fn write_value(self, before: &[u8], value: &[u8]) -> Option<Vec<u8>> {
        CellKind::of(self, before).write(value)
    }
}

/// What stands in a cell.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Field<'t> {
    /// Text, without quotes and escapes.
    Text(Cow<'t, [u8]>),
    /// Another value of JSON, as it is written.
    Json(&'t str),
}

impl<'t> Field<'t> {
    fn of_json(raw: &'t str) -> Self {
        match jsonl::kind(raw) {
            jsonl::Kind::Text => match jsonl::decode(raw.as_bytes()) {
                Some(text) => Self::Text(text),
                None => Self::Json(raw),
            },
            _ => Self::Json(raw),
        }
    }
}

/// One record where it lies, with all its cells.
#[derive(Clone, Copy, Debug)]
pub struct Row<'t> {
    /// The text around it, as far as it is at hand.
    pub text: &'t [u8],
    /// The record in `text`, without its line end.
    pub span: Span,
    /// The number of its first line in the whole text, from 1.
    pub line: u64,
    /// Its number, from 1; `None` for the header.
    pub number: Option<u64>,
    /// Whether the conditions on records hold.
    pub in_scope: bool,
    pub(crate) table: &'t Table,
    pub(crate) cells: &'t [RawCell],
    pub(crate) members: &'t Members<'t>,
}

impl<'t> Row<'t> {
    /// Its lines in `text`, with their ends.
    pub fn whole_lines(&self) -> Span {
        let rest = &self.text[self.span.to..];
        let end = memchr::memchr(b'\n', rest).map_or(rest.len(), |at| at + 1);
        Span::new(self.span.from, self.span.to + end)
    }

    /// How many cells, or members of the outermost object, it has.
    pub fn width(&self) -> usize {
        match self.table.layout() {
            Layout::JsonLines => self.members.iter().count(),
            Layout::Delimited(_) | Layout::Spaced => self.cells.len(),
        }
    }

    /// The table it belongs to.
    pub fn table(&self) -> &'t Table {
        self.table
    }

    /// Puts the cells that are the units of the query behind `cells`, a pointer's elements one
    /// by one; counts each pointer that leads to none.
    pub(crate) fn select(
        &self,
        cells: &mut Vec<RowCell>,
        absent: &mut [u64],
    ) -> Result<(), RowFault> {
        match self.table.selected() {
            Selected::Indexes(ranges) => {
                for range in ranges {
                    let range = range.start..range.end.min(self.cells.len());
                    cells.extend(range.filter_map(|index| self.at(index)));
                }
            }
            Selected::Pointers(pointers) => {
                for (pointer, absent) in pointers.iter().zip(absent) {
                    let before = cells.len();
                    cells.extend(self.follow(pointer)?);
                    *absent += u64::from(cells.len() == before);
                }
                cells.sort_by_key(|cell| cell.span);
                cells.dedup_by_key(|cell| cell.span);
            }
            Selected::Members => {
                for (key, _) in self.members.iter() {
                    cells.extend(self.follow(&format!("/{}", jsonl::escaped(key)))?);
                }
            }
        }
        Ok(())
    }

    /// The cells that a column means here: none where it is absent, several for a pointer to
    /// every element.
    pub(crate) fn named(&self, column: &Column) -> Result<Vec<RowCell>, RowFault> {
        match self.table.layout() {
            // Its columns were found sound when the table was.
            Layout::JsonLines => match pointer_of(column) {
                Ok(pointer) => self.follow(&pointer),
                Err(_) => Ok(Vec::new()),
            },
            _ => Ok(self
                .table
                .index(column)
                .ok()
                .and_then(|index| self.at(index))
                .into_iter()
                .collect()),
        }
    }

    pub(crate) fn follow(&self, pointer: &str) -> Result<Vec<RowCell>, RowFault> {
        let line = &self.text[self.span.range()];
        let tokens = jsonl::follow(line, self.members, pointer)?;
        let cell = |token: Token| {
            Some(RowCell {
                span: token.span.shifted(self.span.from),
                column: CellColumn::Pointer(token.pointer.into()),
                kind: match token.kind {
                    jsonl::Kind::Number => CellKind::Number,
                    jsonl::Kind::Text => CellKind::Text,
                    jsonl::Kind::Other => return None,
                },
            })
        };
        Ok(tokens.into_iter().filter_map(cell).collect())
    }

    /// The cell at `index`, from 0, of a row that is not JSON.
    fn at(&self, index: usize) -> Option<RowCell> {
        let raw = *self.cells.get(index)?;
        let kind = match self.table.layout() {
            Layout::Delimited(dialect) => CellKind::Delimited {
                dialect,
                quoted: raw.quoted,
                alone: self.cells.len() == 1,
            },
            _ => CellKind::Spaced,
        };
        Some(RowCell {
            span: raw.span,
            column: CellColumn::Index(index),
            kind,
        })
    }

    /// The value of a column; several elements are joined by a comma and a blank. `None` where
    /// the row has no such cell.
    pub fn value(&self, column: &Column) -> Option<Cow<'t, [u8]>> {
        let cells = self.named(column).ok()?;
        let mut values = cells.iter().filter_map(|cell| cell.value(self).ok());
        let first = values.next()?;
        let rest: Vec<_> = values.collect();
        if rest.is_empty() {
            return Some(first);
        }
        let mut joined = first.into_owned();
        for value in rest {
            joined.extend_from_slice(b", ");
            joined.extend_from_slice(&value);
        }
        Some(Cow::Owned(joined))
    }

    /// Every cell with the name of its column, in order; in JSON Lines these are the members of
    /// the outermost object.
    pub fn fields(&self) -> Vec<(Arc<str>, Field<'t>)> {
        let member = |(key, raw): (&str, &'t str)| (Arc::from(key), Field::of_json(raw));
        let cell = |index| {
            let cell = self.at(index)?;
            Some((cell.name(self.table), Field::Text(cell.value(self).ok()?)))
        };
        let cells = (0..self.cells.len()).filter_map(cell);
        self.members.iter().map(member).chain(cells).collect()
    }

    /// The cell of a column; `None` where the row has none. Of several that a pointer leads to,
    /// the first.
    pub fn field(&self, column: &Column) -> Option<Field<'t>> {
        if self.table.layout() != Layout::JsonLines {
            let cell = self.at(self.table.index(column).ok()?)?;
            return Some(Field::Text(cell.value(self).ok()?));
        }
        let line = &self.text[self.span.range()];
        let tokens = jsonl::follow(line, self.members, &pointer_of(column).ok()?).ok()?;
        let raw = &line[tokens.first()?.span.range()];
        // The line was read as JSON.
        Some(Field::of_json(std::str::from_utf8(raw).ok()?))
    }

    /// Where more cells, with their names and values, go at the end of the row, and how they are
    /// written there.
    pub(crate) fn appended(&self, cells: &[(&str, &[u8])]) -> Result<(usize, Vec<u8>), CellFault> {
        match self.table.layout() {
            Layout::Delimited(dialect) => self.delimited(dialect, cells),
            Layout::Spaced => Err(unquotable(cells[0])),
            Layout::JsonLines => self.members_added(cells),
        }
    }

    fn delimited(
        &self,
        dialect: Dialect,
        cells: &[(&str, &[u8])],
    ) -> Result<(usize, Vec<u8>), CellFault> {
        let (found, wanted) = (self.cells.len(), self.table.names().len());
        if found > wanted {
            return Err(CellFault::Surplus { found, wanted });
        }
        let mut text = vec![dialect.delimiter; wanted - found];
        for cell in cells {
            text.push(dialect.delimiter);
            let raw = quote::encode(cell.1, false, dialect, false);
            text.extend(raw.ok_or_else(|| unquotable(*cell))?);
        }
        Ok((self.span.to, text))
    }

    fn members_added(&self, cells: &[(&str, &[u8])]) -> Result<(usize, Vec<u8>), CellFault> {
        let line = &self.text[self.span.range()];
        // An object ends in a brace, perhaps with blanks around it.
        let brace = memchr::memrchr(b'}', line).unwrap_or(line.len());
        let inner = line[..brace].trim_ascii_end().len();
        let mut text = Vec::new();
        for cell @ (name, value) in cells {
            if !matches!(self.members.get(name), Ok(None)) {
                return Err(CellFault::There((*name).to_owned()));
            }
            if !self.members.is_empty() || !text.is_empty() {
                text.extend_from_slice(b", ");
            }
            let key = jsonl::escape(name.as_bytes()).ok_or_else(|| unquotable(*cell))?;
            let value = jsonl::escape(value).ok_or_else(|| unquotable(*cell))?;
            text.extend([b"\"", &*key, b"\": \"", &value, b"\""].concat());
        }
        Ok((self.span.from + inner, text))
    }
}
