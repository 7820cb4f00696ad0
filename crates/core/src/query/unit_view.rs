//! Units of a text with a match, where they lie.

use crate::columns::cell_offsets::CellOffsets;
use crate::columns::row::{Row, RowCell};
use crate::problem::Problem;
use crate::query::findings::Findings;
use crate::span::Span;
use std::sync::Arc;

/// Reports that a scanner is asked for besides the matches.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Wanted {
    /// The groups of every match.
    pub groups: bool,
    /// Units in scope without a match.
    pub missing: Unmatched,
}

/// The way in which units in scope without a match are reported.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Unmatched {
    /// Not reported.
    #[default]
    Ignored,
    /// Counted where they need not be looked at, and shown elsewhere.
    Counted,
    /// Each is shown.
    Shown,
}

/// Is shown each unit of a text that holds something.
pub(crate) trait Visitor {
    /// A unit with matches, or one in scope without any where those were asked for.
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>);

    /// So many units in scope without a match, where they are counted.
    fn passed(&mut self, units: u64) {
        let _ = units;
    }

    /// A row of a table, the header too, behind those of its cells that hold something.
    fn row(&mut self, row: &Row<'_>) {
        let _ = row;
    }

    /// A unit that could not be looked at; it begins at `offset` of the current text.
    fn problem(&mut self, offset: usize, problem: Problem) {
        let _ = (offset, problem);
    }
}

/// One unit where it lies.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_core::query::Query;
/// use brisk_quill_core::query::findings::Findings;
/// use brisk_quill_core::query::unit_view::UnitView;
/// use brisk_quill_core::problem::Problem;
/// use brisk_quill_core::rewrite::options::RunOptions;
/// use brisk_quill_core::rewrite::sink::Sink;
/// use brisk_quill_core::rewrite::{Rewrite, Run};
///
/// struct Lines(Vec<(u64, Vec<u8>)>);
///
/// impl Sink for Lines {
///     fn unit(&mut self, unit: &UnitView<'_>, _: &Findings<'_>, _: u64) {
///         self.0.push((unit.line, unit.bytes().to_vec()));
///     }
///     fn problem(&mut self, problem: Problem) {
///         panic!("{problem:?}");
///     }
/// }
///
/// let query = Query::new(Pattern::new("quay", &MatchOptions::default()).expect("a pattern"));
/// let search = Rewrite::showing(query);
/// let mut run = Run::new(&search, &RunOptions::default());
/// let mut lines = Lines(Vec::new());
/// let mut text = run.text("-", 0);
/// text.push(b"pier 1\nquay 2\n", &mut lines);
/// text.finish(&mut lines);
/// assert_eq!(lines.0, [(2, b"quay 2".to_vec())]);
/// ```
#[derive(Clone, Copy, Debug)]
pub struct UnitView<'t> {
    /// The text around the unit, as far as it is in memory.
    pub text: &'t [u8],
    /// The unit in `text`, without its line end.
    pub span: Span,
    /// The line end in `text`.
    pub ending: Span,
    /// Offset of `text` in the whole text, in bytes from 0.
    pub base: u64,
    /// The number of its first line in the whole text, from 1.
    pub line: u64,
    /// True if the query's conditions hold here, or in a part of it.
    pub in_scope: bool,
    /// Further facts about a cell.
    pub cell: Option<CellView<'t>>,
}

/// A cell as a unit.
#[derive(Clone, Copy, Debug)]
pub struct CellView<'t> {
    pub(crate) value: &'t [u8],
    pub(crate) cell: &'t RowCell,
    pub(crate) row: &'t Row<'t>,
}

impl<'t> CellView<'t> {
    /// The name of its column.
    pub fn name(&self) -> Arc<str> {
        self.cell.name(self.row.table())
    }

    /// The column it belongs to: its name, or its pointer with `-` for every number of an
    /// element.
    pub fn column(&self) -> String {
        let name = self.name();
        if !self.row.table().layout().has_pointers() {
            return name.to_string();
        }
        let segments = name.split('/').map(|segment| {
            let number = !segment.is_empty() && segment.bytes().all(|b| b.is_ascii_digit());
            if number { "-" } else { segment }
        });
        segments.collect::<Vec<_>>().join("/")
    }

    /// The name of its row, where rows are to be named.
    pub fn label(&self) -> Option<Arc<str>> {
        self.row.label(Some(&self.name()))
    }

    /// The row it belongs to.
    pub fn row(&self) -> &'t Row<'t> {
        self.row
    }
}

impl<'t> UnitView<'t> {
    /// The bytes that are searched: those of the unit, or the value of a cell.
    pub fn bytes(&self) -> &'t [u8] {
        match self.cell {
            Some(cell) => cell.value,
            None => &self.text[self.span.range()],
        }
    }

    /// The place in the whole text of offset `at` of what is searched.
    pub fn offset(&self, at: usize) -> u64 {
        self.offsets().of(at)
    }

    /// The places in the whole text of offsets of what is searched.
    pub fn offsets(&self) -> UnitOffsets<'t> {
        let cell = |view: CellView<'t>| {
            let offsets = view.cell.offsets(self.text, view.value.len());
            (offsets, &self.text[view.cell.span.range()])
        };
        UnitOffsets {
            base: self.base,
            from: self.span.from,
            cell: self.cell.map(cell),
        }
    }
}

/// The places of the bytes of a unit in the whole text.
pub struct UnitOffsets<'t> {
    base: u64,
    from: usize,
    cell: Option<(CellOffsets, &'t [u8])>,
}

impl UnitOffsets<'_> {
    /// The place of offset `at` of what is searched.
    pub fn of(&self, at: usize) -> u64 {
        let place = match &self.cell {
            Some((offsets, raw)) => offsets.of(at, raw),
            None => self.from + at,
        };
        self.base + place as u64
    }
}
