//! The computing part of Brisk Quill: bytes and a rewrite go in, changes come out.
//!
//! Nothing here prints, reads arguments or opens files. Data goes one way:
//!
//! ```text
//! bytes → units → matches → changes
//!         unit    query     step, edits, rewrite
//! ```
//!
//! * [`Pattern`] finds matches in one unit of text; [`Template`] writes the new text.
//! * [`address`] holds the notation for lines, picks and counts.
//! * [`Query`] is a pattern with its *where* and *which*; [`Step`] is a query with an action.
//! * [`Rewrite`] is a list of steps; [`Run`] evaluates it over one text after another and
//!   hands [`Hunk`]s of changes to a [`Sink`].
//! * [`columns`] reads the cells of tables and of JSON Lines, which are units like any other.
//! * [`plan`] reads plans that were written down, and decisions about their changes.
//! * [`edits`] composes the edits of several steps into edits of the original bytes.
//!
//! ```
//! use brisk_quill_core::{rewrite_text, Action, MatchOptions, Pattern, Query, Rewrite, Step, Template};
//!
//! let pattern = Pattern::new(r"berth (\d+)", &MatchOptions::default())?;
//! let template = Template::parse("B-$1", pattern.groups())?;
//! let step = Step::new(Query::new(pattern), Action::Replace(template));
//! let outcome = rewrite_text(&Rewrite::new(vec![step]), b"berth 7 and berth 12\n");
//! assert_eq!(outcome.text, b"B-7 and B-12\n");
//! # Ok::<(), brisk_quill_core::Error>(())
//! ```
#![warn(missing_docs)]

pub mod address;
pub mod chars;
mod chunker;
pub mod columns;
mod decimal;
pub mod edits;
mod error;
pub mod escape;
pub mod explain;
mod inventory;
mod nearest;
mod pattern;
pub mod plan;
mod problem;
mod query;
mod rewrite;
mod rewrite_file;
pub mod shapes;
mod span;
mod step;
pub mod tally;
mod template;
mod unit;

pub use error::{Error, Fault};
pub use inventory::Inventory;
pub use pattern::{
    Finder, GroupSpans, Groups, MatchOptions, Matches, Pattern, PatternError, PatternNote,
    SearchError,
};
pub use problem::{Problem, ProblemKind};
pub use query::{
    Block, CellCondition, CellView, ColumnNote, Finding, Findings, LeftOut, MatchStatus, Near,
    Note, OpenBlock, Per, Pick, PrefilterUse, Query, Scope, Searcher, UnitView, Visitor,
};
pub use rewrite::{
    Counts, Evaluation, Extent, Hunk, HunkEdit, LeftOutCounts, Outcome, PartStart, Rewrite, Run,
    RunOptions, RunTotals, SPLIT_FROM, Sink, StepCounts, Unmet, rewrite_text,
};
pub use rewrite_file::{
    Example, ExampleOutcome, ExampleTroubles, RewriteFileError, RewriteText, StepFault, StepText,
};
pub use span::Span;
pub use step::{Action, CellTarget, CellText, Step};
pub use template::{
    FilterProblem, MatchContext, NoTables, Table, Tables, Template, TemplateError,
    TemplateErrorKind, TemplateNote,
};
pub use unit::{Line, MAX_UNIT_BYTES, UnitKind, line_ends, lines};
