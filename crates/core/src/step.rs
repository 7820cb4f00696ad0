//! One instruction of a rewrite: a query and what is done with its matches.

pub mod actions;
pub mod describe;
pub(crate) mod edit_maker;
pub mod eval;
pub mod into_column;
pub(crate) mod new_text;
pub mod reach;
pub(crate) mod template_reader;

use crate::address::Count;
use crate::pattern::Pattern;
use crate::query::Query;
use crate::step::actions::Action;
use crate::step::into_column::IntoColumn;
use crate::stop::Stop;
use crate::template::Template;
use std::path::Path;

/// A query and an action.
///
/// ```
/// use brisk_quill_core::step::describe::sentence;
/// use brisk_quill_core::step_spec::StepSpec;
/// use brisk_quill_core::template::tables::NoTables;
/// let spec = StepSpec {
///     pattern: Some("quay".into()),
///     remove: true,
///     ..StepSpec::default()
/// };
/// let step = spec.build(&mut NoTables).expect("a step");
/// assert_eq!(sentence(&step), "Every match of `quay` is deleted, in every line.");
/// ```
#[derive(Clone, Debug)]
pub struct Step {
    /// The matches, their scope, and which are taken.
    pub query: Query,
    /// The action on the matches.
    pub action: Action,
    /// The numbers of matches it is expected to change; all of them hold.
    pub expect: Vec<Count>,
    /// The column that takes the new text of a cell, in the place of its own.
    pub into: Option<IntoColumn>,
    /// Patterns that every unit in its scope must match afterwards, every one of them.
    pub ensure: Vec<Pattern>,
}

impl Step {
    /// The step that does `action` with the matches of `query`.
    pub fn new(query: Query, action: Action) -> Self {
        Self {
            query,
            action,
            expect: Vec::new(),
            into: None,
            ensure: Vec::new(),
        }
    }

    /// The same step, whose searches end within a unit once `stop` is set.
    #[must_use]
    pub(crate) fn stopped_by(&self, stop: &Stop) -> Self {
        let ensure = self.ensure.iter();
        Self {
            query: self.query.stopped_by(stop),
            ensure: ensure
                .map(|pattern| pattern.clone().stopped_by(stop))
                .collect(),
            action: self.action.clone(),
            expect: self.expect.clone(),
            into: self.into.clone(),
        }
    }

    /// True if what it does in a text depends on the texts before it.
    pub(crate) fn spans_texts(&self) -> bool {
        self.action.templates().any(Template::counts) || self.query.spans_texts()
    }

    /// True if what becomes of a line is known as soon as it is read.
    pub(crate) fn needs_no_end(&self) -> bool {
        !self.query.needs_whole_text() && !self.query.needs_run_total()
    }

    /// True if a line may turn out to be one that it cannot work on, but for its length.
    pub(crate) fn can_fail(&self) -> bool {
        let query = &self.query;
        let mut patterns = query.scope.patterns().chain([&query.pattern]);
        query.columns.is_some()
            || patterns.any(Pattern::backtracks)
            || self.action.templates().any(Template::can_fail)
    }

    /// True if what it does with a line of the file at `path` depends on nothing but that line and where it lies.
    pub(crate) fn is_local(&self, path: &Path) -> bool {
        self.query.is_local(path) && !self.spans_texts()
    }

    /// True if it does the same with a line wherever that lies.
    pub(crate) fn needs_no_place(&self) -> bool {
        let takes_ending = matches!(self.action, Action::Above(_) | Action::Below(_));
        let tells_line = self.action.templates().any(Template::writes_line);
        self.query.scope.lines.is_all() && !takes_ending && !tells_line
    }

    fn needs_groups(&self) -> bool {
        self.action.templates().any(Template::needs_groups)
    }
}
