//! The computing part of Brisk Quill: bytes and a rewrite go in, changes come out.
//!
//! Nothing here prints, reads arguments or opens files. Each item is imported from the module
//! that defines it. Data goes one way:
//!
//! ```text
//! bytes → units → matches → changes
//!         unit    query     step, edits, rewrite
//! ```
//!
//! * [`pattern`] finds matches in one unit of text; [`template`] writes the new text.
//! * [`address`] holds the notation for lines, picks and counts.
//! * [`query`] is a pattern with its *where* and *which*; [`step`] is a query with an action.
//! * [`rewrite`] is a list of steps and its evaluation over one text after another, which hands
//!   hunks of changes to a sink.
//! * [`columns`] reads the cells of tables and of JSON Lines, which are units like any other.
//! * [`plan`] reads plans that were written down, and decisions about their changes.
//! * [`edits`] composes the edits of several steps into edits of the original bytes.
//!
//! ```
//! use brisk_quill_core::pattern::Pattern;
//! use brisk_quill_core::pattern::options::MatchOptions;
//! use brisk_quill_core::query::Query;
//! use brisk_quill_core::rewrite::{Rewrite, rewrite_text};
//! use brisk_quill_core::step::Step;
//! use brisk_quill_core::step::actions::Action;
//! use brisk_quill_core::template::Template;
//!
//! let pattern = Pattern::new(r"berth (\d+)", &MatchOptions::default())?;
//! let template = Template::parse("B-$1", pattern.groups())?;
//! let step = Step::new(Query::new(pattern), Action::Replace(template));
//! let outcome = rewrite_text(&Rewrite::new(vec![step]), b"berth 7 and berth 12\n");
//! assert_eq!(outcome.text, b"B-7 and B-12\n");
//! # Ok::<(), brisk_quill_core::error::Error>(())
//! ```
#![warn(missing_docs)]

pub mod address;
pub mod calendar;
pub mod chars;
pub mod chunker;
pub mod columns;
pub mod common_ends;
pub mod decimal;
pub mod describe;
pub mod edits;
pub mod error;
pub mod escape;
pub mod example;
pub mod explain;
pub mod fault;
pub mod inventory;
pub mod kind_shapes;
pub mod near_miss;
pub mod nearest;
pub mod numbers;
pub mod pattern;
pub mod plan;
pub mod problem;
pub mod query;
pub mod records;
pub mod relocate;
pub mod rewrite;
pub mod rewrite_file;
pub mod shapes;
pub mod span;
pub mod step;
pub mod step_spec;
pub mod stop;
pub mod tally;
pub mod template;
pub mod unit;
pub mod word;
