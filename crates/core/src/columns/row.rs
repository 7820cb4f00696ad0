//! One record with its cells: their values, and how new values are written.

use crate::columns::cell_offsets::CellOffsets;
use crate::columns::fault::{CellFault, RowFault};
use crate::columns::formats::{PointedCell, RecordSource, compact, jsonl};
use crate::columns::layout::Layout;
use crate::columns::list::Column;
use crate::columns::members::Members;
use crate::columns::pointer::escaped;
use crate::columns::record::{NewCell, RawCell, Record, ScannedRecord};
use crate::columns::spelling::Spelling;
use crate::columns::table::{Selected, Table, pointer_of};
use crate::columns::token::{Kind, kind};
use crate::edits::{Edit, RowFacts, splice};
use crate::span::Span;
use smallvec::SmallVec;
use std::borrow::Cow;
use std::sync::Arc;

/// The key of the place of a row in a container, and, there, that of its number in its table.
const PLACE: &str = "@";
const ROW: &str = "row";

/// Reads the rows of a piece of whole records.
pub(crate) struct RowReader<'t> {
    text: &'t [u8],
    source: Box<dyn RecordSource<'t> + 't>,
    /// The cells of the current row; empty in JSON Lines.
    pub cells: Vec<RawCell>,
    /// The members of the current row in JSON Lines.
    pub members: Members<'t>,
}

impl<'t> RowReader<'t> {
    /// A reader of the rows of `text`.
    pub fn new(text: &'t [u8], layout: Layout) -> Self {
        Self {
            text,
            source: layout.as_dyn().records(text),
            cells: Vec::new(),
            members: Members::default(),
        }
    }

    /// Goes to the next row.
    pub fn next(&mut self) -> Option<ScannedRecord> {
        self.source.next(&mut self.cells, &mut self.members)
    }

    /// Line ends behind the last row that are not its own.
    pub fn lines_below(&self) -> u64 {
        self.source.lines_below()
    }

    /// True if the text may end here.
    pub fn is_complete(&self) -> bool {
        self.source.is_complete()
    }

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
    /// The bytes in the text.
    pub span: Span,
    column: CellColumn,
    spelling: Spelling,
}

/// The column of a cell.
#[derive(Clone, Debug)]
enum CellColumn {
    /// The number, from 0.
    Index(usize),
    /// The pointer to it.
    Pointer(Arc<str>),
}

impl RowCell {
    /// The name of its column.
    pub fn name(&self, table: &Table) -> Arc<str> {
        match &self.column {
            CellColumn::Index(index) => table.name(*index),
            CellColumn::Pointer(pointer) => Arc::clone(pointer),
        }
    }

    /// The value in a row.
    pub fn value<'t>(&self, row: &Row<'t>) -> Result<Cow<'t, [u8]>, CellFault> {
        let value = self.spelling.read(&row.text[self.span.range()]);
        value.ok_or_else(|| CellFault::NoCharacter(self.name(row.table).to_string()))
    }

    /// True if it is a number of JSON.
    pub fn is_number(&self) -> bool {
        self.spelling.is_number()
    }

    /// The places in the text of the offsets of its value, which is `length` bytes long.
    pub fn offsets(&self, text: &[u8], length: usize) -> CellOffsets {
        CellOffsets::new(
            self.spelling,
            &text[self.span.range()],
            self.span.from,
            length,
        )
    }

    /// The cell as it is written with `edits` made to its value.
    pub fn rewritten(
        &self,
        row: &Row<'_>,
        value: &[u8],
        edits: &[Edit],
    ) -> Result<Vec<u8>, CellFault> {
        if self.spelling.is_left_alone() {
            return Err(CellFault::LeftAlone(self.name(row.table).to_string()));
        }
        let raw = &row.text[self.span.range()];
        let new = self.respelled(raw, value.len(), edits).unwrap_or_else(|| {
            let value = splice(value, edits);
            self.spelling.write(&value).ok_or(value)
        });
        new.map_err(|value| {
            let column = self.name(row.table).to_string();
            match self.is_number() {
                true => CellFault::NotANumber { column, value },
                false => CellFault::Unquotable { column, value },
            }
        })
    }

    /// The cell with `edits` made to its value, where what is not touched keeps its escapes;
    /// `None` where the spelling knows no such thing. The error is the text that cannot are in
    /// it.
    fn respelled(
        &self,
        raw: &[u8],
        length: usize,
        edits: &[Edit],
    ) -> Option<Result<Vec<u8>, Vec<u8>>> {
        let offsets = CellOffsets::new(self.spelling, raw, 0, length);
        let mut new = Vec::with_capacity(raw.len());
        let mut at = 0;
        for edit in edits {
            let from = offsets.of(edit.span.from, raw);
            new.extend_from_slice(&raw[at..from]);
            match self.spelling.respell(&edit.text)? {
                Some(part) => new.extend(part),
                None => return Some(Err(edit.text.to_vec())),
            }
            at = offsets.of(edit.span.to, raw);
        }
        new.extend_from_slice(&raw[at..]);
        Some(Ok(new))
    }
}

/// A pointer whose `-` are the numbers that `at` has, as far as both go the same way.
fn aligned(pointer: &str, at: &str) -> String {
    let mut others = at.split('/');
    let mut same = true;
    let segments = pointer.split('/').map(|segment| {
        let other = others.next().filter(|_| same);
        match (segment, other) {
            ("-", Some(number)) if number.bytes().all(|b| b.is_ascii_digit()) => number,
            _ => {
                same &= other == Some(segment);
                segment
            }
        }
    });
    segments.collect::<Vec<_>>().join("/")
}

/// The value of a cell.
///
/// ```
/// use brisk_quill_core::columns::row::Field;
/// let number = Field::Json("12.5");
/// assert!(matches!(number, Field::Json(raw) if raw.starts_with("12")));
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Field<'t> {
    /// Text, without quotes and escapes.
    Text(Cow<'t, [u8]>),
    /// Another value of JSON, as it is written.
    Json(&'t str),
}

impl<'t> Field<'t> {
    fn into_shown(self) -> Cow<'t, str> {
        match self {
            Self::Text(Cow::Borrowed(text)) => String::from_utf8_lossy(text),
            Self::Text(Cow::Owned(text)) => String::from_utf8_lossy(&text).into_owned().into(),
            Self::Json(raw) => Cow::Borrowed(raw),
        }
    }

    fn of_json(raw: &'t str) -> Self {
        match kind(raw) {
            Kind::Text => match jsonl::decode(raw.as_bytes()) {
                Some(text) => Self::Text(text),
                None => Self::Json(raw),
            },
            _ => Self::Json(raw),
        }
    }
}

/// One record where it lies, with all its cells.
///
/// ```
/// use brisk_quill_core::columns::row::Row;
/// use brisk_quill_core::problem::Problem;
/// use brisk_quill_core::rewrite::options::RunOptions;
/// use brisk_quill_core::rewrite::sink::Sink;
/// use brisk_quill_core::rewrite::{Rewrite, Run};
/// use brisk_quill_core::step_spec::StepSpec;
///
/// #[derive(Default)]
/// struct Widths(Vec<usize>);
///
/// impl Sink for Widths {
///     fn problem(&mut self, problem: Problem) {
///         panic!("{problem:?}");
///     }
///     fn row(&mut self, row: &Row<'_>) {
///         self.0.push(row.width());
///     }
/// }
///
/// let spec = StepSpec {
///     pattern: Some("closed".into()),
///     columns: Some("status".into()),
///     ..StepSpec::default()
/// };
/// let search = Rewrite::showing(spec.query().expect("a query"));
/// let mut run = Run::new(&search, &RunOptions::default());
/// let mut widths = Widths::default();
/// let mut text = run.text("berths.csv", 0);
/// text.push(b"berth,status\nB-4,closed\n", &mut widths);
/// text.finish(&mut widths);
/// assert_eq!(widths.0, [2, 2]);
/// ```
#[derive(Clone, Copy, Debug)]
pub struct Row<'t> {
    /// The text around it, as far as it is in memory.
    pub text: &'t [u8],
    /// The record in `text`, without its line end.
    pub span: Span,
    /// The number of its first line in the whole text, from 1.
    pub line: u64,
    /// The number, from 1, in the text, or in the part of it that is evaluated; `None` for the header.
    pub number: Option<u64>,
    /// True if the conditions on records hold.
    pub in_scope: bool,
    /// True if no line end lies in it.
    pub(crate) is_one_line: bool,
    pub(crate) table: &'t Table,
    pub(crate) cells: &'t [RawCell],
    pub(crate) members: &'t Members<'t>,
}

impl<'t> Row<'t> {
    /// The lines in `text`, with their ends.
    pub fn whole_lines(&self) -> Span {
        let rest = &self.text[self.span.to..];
        let end = memchr::memchr(b'\n', rest).map_or(rest.len(), |at| at + 1);
        Span::new(self.span.from, self.span.to + end)
    }

    /// The number of its cells, or of the members of its outermost object.
    pub fn width(&self) -> usize {
        match self.table.layout().has_pointers() {
            true => self.members.iter().count(),
            false => self.cells.len(),
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
                    self.add_pointed(pointer, cells)?;
                    *absent += u64::from(cells.len() == before);
                }
                cells.sort_by_key(|cell| cell.span);
                cells.dedup_by_key(|cell| cell.span);
            }
            Selected::Members => {
                for (key, _) in self.members.iter() {
                    self.add_pointed(&Arc::from(format!("/{}", escaped(key))), cells)?;
                }
            }
        }
        Ok(())
    }

    /// The cells that a column means here: none where it is absent, several for a pointer to
    /// every element.
    pub(crate) fn named(&self, column: &Column) -> Result<SmallVec<[RowCell; 1]>, RowFault> {
        if self.table.layout().has_pointers() {
            // Its columns were found sound when the table was.
            return match pointer_of(column) {
                Ok(pointer) => Ok(self.follow(&pointer)?.into()),
                Err(_) => Ok(SmallVec::new()),
            };
        }
        let index = self.table.place(column);
        Ok(index.and_then(|index| self.at(index)).into_iter().collect())
    }

    fn record(&self) -> Record<'t> {
        Record {
            text: self.text,
            span: self.span,
            cells: self.cells,
            members: self.members,
        }
    }

    /// The cells that a pointer leads to.
    pub(crate) fn follow(&self, pointer: &str) -> Result<Vec<RowCell>, RowFault> {
        let layout = self.table.layout();
        let cells = layout.as_dyn().follow(&self.record(), pointer)?;
        let cell = |cell: PointedCell| RowCell {
            span: cell.span,
            column: CellColumn::Pointer(cell.pointer.into()),
            spelling: cell.spelling,
        };
        Ok(cells.into_iter().map(cell).collect())
    }

    /// Adds the cells that a pointer leads to.
    fn add_pointed(&self, pointer: &Arc<str>, cells: &mut Vec<RowCell>) -> Result<(), RowFault> {
        match self.member_key(pointer) {
            Some(key) => cells.extend(self.member(key, pointer)?),
            None => cells.extend(self.follow(pointer)?),
        }
        Ok(())
    }

    /// The key that a pointer is, where it leads to a member of a row that is an object on a line.
    fn member_key<'p>(&self, pointer: &'p str) -> Option<&'p str> {
        let key = pointer.strip_prefix('/')?;
        let is_plain = !key.contains(['/', '~']);
        let are_objects = matches!(
            self.table.layout(),
            Layout::JsonLines(_) | Layout::Contained(_)
        );
        (is_plain && are_objects).then_some(key)
    }

    /// The member with a key, where it is a cell.
    fn member(&self, key: &str, pointer: &Arc<str>) -> Result<Option<RowCell>, RowFault> {
        let Some(value) = self.members.get(key)? else {
            return Ok(None);
        };
        let from = value.as_ptr() as usize - self.text.as_ptr() as usize;
        let cell = || RowCell {
            span: Span::new(from, from + value.len()),
            column: CellColumn::Pointer(Arc::clone(pointer)),
            spelling: self.table.layout().as_dyn().spelling_of(value.as_bytes()),
        };
        Ok(match kind(value) {
            Kind::Text | Kind::Number => Some(cell()),
            Kind::Other => None,
        })
    }

    /// The cell at `index`, from 0, of a row that is not JSON.
    fn at(&self, index: usize) -> Option<RowCell> {
        let raw = *self.cells.get(index)?;
        let layout = self.table.layout();
        Some(RowCell {
            span: raw.span,
            column: CellColumn::Index(index),
            spelling: layout.as_dyn().spelling_at(&self.record(), index)?,
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

    /// The name of the row: of a workbook or a database, its place, and of another container, its number, unless it is to be named otherwise; elsewhere its values of the columns that it is to be named by; `None` where there are no such
    /// columns. For a cell of an inner list, `at` is the pointer to it: a pointer that goes through the
    /// same list then means the same element.
    pub fn label(&self, at: Option<&str>) -> Option<Arc<str>> {
        let labels = self.table.labels();
        if labels.is_empty() && self.table.layout().container().is_some() {
            let row = self.place_field(ROW)?;
            let table = self.of_tables().next();
            let table = table.as_deref().unwrap_or("row");
            return Some(Arc::from([table, " ", &*row].concat()));
        }
        let value = |column: &Column| {
            let aligned = match (column, at) {
                (Column::Pointer(pointer), Some(at)) => Column::Pointer(aligned(pointer, at)),
                _ => column.clone(),
            };
            let value = self.value(&aligned).unwrap_or_default();
            String::from_utf8_lossy(&value).trim().to_owned()
        };
        let values: Vec<String> = labels.iter().map(value).collect();
        (!labels.is_empty()).then(|| Arc::from(values.join(" ")))
    }

    /// The table of a database that it belongs to; the sheet of a workbook, and the table on it.
    pub(crate) fn of_tables(&self) -> impl Iterator<Item = Cow<'t, str>> {
        let container = self.table.layout().container();
        let keys = container.map_or(&[][..], |container| container.table_keys());
        keys.iter().filter_map(|key| self.place_field(key))
    }

    /// A value in the place of a row of a container, as text.
    fn place_field(&self, key: &str) -> Option<Cow<'t, str>> {
        let place = self.members.get(PLACE).ok()??;
        Some(Field::of_json(compact::member(place, key)?).into_shown())
    }

    /// The name of the row, as [`Row::label`] has it, and its `fields` where they are wanted.
    pub fn facts(&self, at: Option<&str>, fields: bool) -> RowFacts {
        let text = |field: Field<'_>| match field {
            Field::Text(text) => text.into_owned(),
            Field::Json(raw) => raw.as_bytes().to_vec(),
        };
        let fields = if fields { self.fields() } else { Vec::new() };
        let layout = self.table.layout();
        let fields = fields.into_iter().filter_map(|(name, field)| {
            Some((Arc::clone(&name), layout.shown(&name, text(field))?))
        });
        RowFacts {
            label: self.label(at),
            fields: fields.collect(),
        }
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
        if !self.table.layout().has_pointers() {
            let cell = self.at(self.table.place(column)?)?;
            return Some(Field::Text(cell.value(self).ok()?));
        }
        let line = &self.text[self.span.range()];
        let layout = self.table.layout();
        let tokens = layout.as_dyn();
        let tokens = tokens
            .tokens(&self.record(), &pointer_of(column).ok()?)
            .ok()?;
        let raw = &line[tokens.first()?.span.range()];
        // The line was read as JSON.
        Some(Field::of_json(std::str::from_utf8(raw).ok()?))
    }

    /// The place of more cells, with their names and values, at the end of the row, and how they are
    /// written there.
    pub(crate) fn appended(&self, cells: &[NewCell<'_>]) -> Result<(usize, Vec<u8>), CellFault> {
        let layout = self.table.layout();
        let width = self.table.names().len();
        layout.as_dyn().appended(&self.record(), width, cells)
    }
}
