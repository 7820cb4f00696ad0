//! One instruction of a rewrite: a query and what is done with its matches.

pub mod eval;

use crate::address::Count;
use crate::columns::list::Column;
use crate::pattern::Pattern;
use crate::query::Query;
use crate::template::Template;
use std::collections::BTreeMap;

/// What a step does.
///
/// Note to the maintainer: a new action needs a key in `StepText`, an arm in `step/eval.rs`, one
/// in the reference evaluator of the tests, and a clause in the sentence that is shown.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Action {
    /// Each match becomes what the template writes.
    Replace(Template),
    /// Each match is taken out.
    Remove,
    /// Each line with a match goes, with its line end.
    DropLines,
    /// Each line in scope without a match goes.
    DropOtherLines,
    /// A line is inserted above each line with a match.
    Above(Template),
    /// A line is inserted below each line with a match.
    Below(Template),
    /// Text is put at the start of each unit with a match.
    Lead(Template),
    /// Text is put at the end of each unit with a match.
    Trail(Template),
    /// Each character of a match, which is a run of them, becomes another.
    SwapChars(BTreeMap<char, char>),
    /// Cells of each row with a match are written anew, and columns are added to all rows.
    Cells(Vec<CellText>),
}

/// The text for one cell of a row.
#[derive(Clone, Debug)]
pub struct CellText {
    /// The cell that takes it.
    pub target: CellTarget,
    /// The text, written for the first match in the row.
    pub template: Template,
}

/// The cell of a row that takes a text.
#[derive(Clone, Debug)]
pub enum CellTarget {
    /// The cell of a column that is there.
    Column(Column),
    /// The cell of a column of this name, which is added at the end; it is empty in rows without
    /// a match.
    Added(String),
}

impl Action {
    /// The template that it writes for each match or unit, where it has one.
    pub fn template(&self) -> Option<&Template> {
        match self {
            Self::Replace(template)
            | Self::Above(template)
            | Self::Below(template)
            | Self::Lead(template)
            | Self::Trail(template) => Some(template),
            Self::Remove
            | Self::DropLines
            | Self::DropOtherLines
            | Self::SwapChars(_)
            | Self::Cells(_) => None,
        }
    }

    /// Every template that it writes: one for each match or unit, or one for each cell.
    pub fn templates(&self) -> impl Iterator<Item = &Template> {
        let cells = match self {
            Self::Cells(cells) => cells.as_slice(),
            _ => &[],
        };
        let of_cells = cells.iter().map(|cell| &cell.template);
        self.template().into_iter().chain(of_cells)
    }

    /// Whether it acts on whole rows, and not on the cells with the matches.
    pub fn is_for_rows(&self) -> bool {
        matches!(self, Self::Cells(_))
    }

    /// Whether it acts on whole lines.
    pub fn is_for_lines(&self) -> bool {
        matches!(
            self,
            Self::DropLines | Self::DropOtherLines | Self::Above(_) | Self::Below(_)
        )
    }
}

/// A query and an action.
#[derive(Clone, Debug)]
pub struct Step {
    /// What it matches, where, and which.
    pub query: Query,
    /// What it does with the matches.
    pub action: Action,
    /// How many matches it is expected to change; all of them hold.
    pub expect: Vec<Count>,
    /// What every unit in its scope must match afterwards, every one of them.
    pub ensure: Vec<Pattern>,
}

impl Step {
    /// The step that does `action` with the matches of `query`.
    pub fn new(query: Query, action: Action) -> Self {
        Self {
            query,
            action,
            expect: Vec::new(),
            ensure: Vec::new(),
        }
    }

    /// Whether what it does in a text depends on the texts before it.
    pub(crate) fn spans_texts(&self) -> bool {
        self.action.templates().any(Template::counts) || self.query.spans_texts()
    }

    /// Whether what becomes of a line is known as soon as it is read.
    pub(crate) fn needs_no_end(&self) -> bool {
        !self.query.needs_whole_text() && !self.query.needs_run_total()
    }

    /// Whether a line may turn out to be one that it cannot work on, but for its length.
    pub(crate) fn can_fail(&self) -> bool {
        let query = &self.query;
        let mut patterns = query.scope.patterns().chain([&query.pattern]);
        query.columns.is_some()
            || patterns.any(Pattern::backtracks)
            || self.action.templates().any(Template::can_fail)
    }

    /// Whether what it does with a line depends on nothing but that line and where it lies.
    pub(crate) fn is_local(&self) -> bool {
        self.query.is_local() && !self.spans_texts()
    }

    /// Whether it does the same with a line wherever that lies.
    pub(crate) fn needs_no_place(&self) -> bool {
        let takes_ending = matches!(self.action, Action::Above(_) | Action::Below(_));
        let tells_line = self.action.templates().any(Template::writes_line);
        self.query.scope.lines.is_all() && !takes_ending && !tells_line
    }

    fn needs_groups(&self) -> bool {
        self.action.templates().any(Template::needs_groups)
    }
}
