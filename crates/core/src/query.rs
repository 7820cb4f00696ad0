//! A pattern with its *where* and *which*: what `find` shows and what a step acts on.

pub mod cell_condition;
pub mod findings;
pub mod note;
pub mod prefilter;
pub(crate) mod rows;
pub(crate) mod scan;
pub(crate) mod scanner;
pub mod scope;
mod selector;
pub mod table_end;
mod unit_search;
pub mod unit_view;

use crate::address::Spec;
use crate::columns::layout::{Columns, Layout};
use crate::columns::table::Table;
use crate::pattern::{Finder, Pattern};
use crate::query::scope::Scope;
use crate::stop::Stop;
use crate::unit::UnitKind;
use std::path::Path;

/// Through what the matches in place are counted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Per {
    /// Anew in each unit.
    #[default]
    Unit,
    /// Through the cells of one row.
    Row,
    /// Through one text.
    File,
    /// Through all texts of a run, in order.
    Run,
}

/// Which matches are taken, of those in place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pick {
    /// The numbers.
    pub spec: Spec,
    /// Through what they are counted.
    pub per: Per,
}

impl Default for Pick {
    fn default() -> Self {
        Self {
            spec: Spec::all(),
            per: Per::Unit,
        }
    }
}

/// A pattern, where it may match, and which of its matches are taken.
///
/// ```
/// use brisk_quill_core::query::Query;
/// use brisk_quill_core::step_spec::StepSpec;
/// let spec = StepSpec {
///     pattern: Some("closed".into()),
///     lines: Some("..10".into()),
///     ..StepSpec::default()
/// };
/// let query: Query = spec.query().expect("a query");
/// assert!(!query.spans_texts());
/// ```
#[derive(Clone, Debug)]
pub struct Query {
    /// The pattern. For units larger than a line, it should have been made with
    /// [`multi_line`](crate::pattern::options::MatchOptions::multi_line).
    pub pattern: Pattern,
    /// On what it is tried.
    pub unit: UnitKind,
    /// Which cells, where the unit is one.
    pub columns: Option<Columns>,
    /// The place.
    pub scope: Scope,
    /// Which of the matches in place.
    pub pick: Pick,
    /// At most this many matches are taken in a run over all texts.
    pub limit: Option<u64>,
}

impl Query {
    /// Every match of `pattern`, in every line.
    pub fn new(pattern: Pattern) -> Self {
        Self {
            pattern,
            unit: UnitKind::Line,
            columns: None,
            scope: Scope::default(),
            pick: Pick::default(),
            limit: None,
        }
    }

    /// The same query, whose searches end within a unit once `stop` is set: the unit is then reported
    /// as a problem.
    #[must_use]
    pub fn stopped_by(&self, stop: &Stop) -> Self {
        Self {
            pattern: self.pattern.clone().stopped_by(stop),
            scope: self.scope.clone().stopped_by(stop),
            ..self.clone()
        }
    }

    /// Scratch memory for searching its units with a pattern.
    pub(crate) fn finder_of(&self, pattern: &Pattern) -> Finder {
        match self.unit {
            UnitKind::Cell => pattern.value_finder(),
            UnitKind::Line | UnitKind::Paragraph | UnitKind::Text => pattern.finder(),
        }
    }

    /// True if it can only be evaluated on a text that is there as a whole.
    pub(crate) fn needs_whole_text(&self) -> bool {
        self.scope.needs_whole_text()
            || matches!(self.unit, UnitKind::Paragraph | UnitKind::Text)
            || (self.pick.per == Per::File && self.pick.spec.needs_total())
    }

    /// True if what is taken in a text depends on the texts before it, so that they must be
    /// evaluated one after the other.
    pub fn spans_texts(&self) -> bool {
        self.limit.is_some() || (self.pick.per == Per::Run && !self.pick.spec.is_all())
    }

    /// True if what is taken in a line of the file at `path` depends on nothing but that line, or its row, and its number.
    pub(crate) fn is_local(&self, path: &Path) -> bool {
        let counts_through = self.pick.per == Per::File && !self.pick.spec.is_all();
        (self.unit == UnitKind::Line || self.has_rows_apart(path))
            && self.scope.blocks.is_empty()
            && !counts_through
            && !self.spans_texts()
            && !self.needs_whole_text()
    }

    /// True if its units are cells of rows of which each may be read without the others, but for those that name the
    /// columns.
    pub(crate) fn has_rows_apart(&self, path: &Path) -> bool {
        let columns = self.columns.as_ref().zip(self.layout(path));
        // A table that is refused is refused once.
        let is_sound = |(columns, layout): (&Columns, Layout)| {
            !layout.has_pointers() || Table::of_pointers(layout, columns).is_ok()
        };
        self.unit == UnitKind::Cell && columns.is_some_and(is_sound)
    }

    /// True if the form of the file at `path` is known, where its columns are looked at.
    pub fn is_table(&self, path: &Path) -> bool {
        self.columns.is_none() || self.layout(path).is_some()
    }

    /// The layout of the file at `path`, where its cells are read.
    pub(crate) fn layout(&self, path: &Path) -> Option<Layout> {
        self.columns.as_ref()?.options.layout(path)
    }

    /// True if all texts must have been counted before the first is evaluated: which matches
    /// are taken depends on how many there are in the run.
    pub fn needs_run_total(&self) -> bool {
        self.pick.per == Per::Run && self.pick.spec.needs_total()
    }
}
