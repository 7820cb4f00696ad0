//! From what was found to bytes. Nothing here decides where they go.

pub mod annotations;
pub mod beside;
pub mod columns;
pub mod compared;
pub mod decisions;
pub mod diagnostic;
pub mod diff;
pub mod examples;
pub mod explain;
pub mod find;
pub mod grid;
pub mod highlight;
pub mod hints;
pub mod history;
pub mod json;
pub mod kinds;
pub mod labelled;
pub mod names;
pub mod paint;
pub mod positions;
pub mod preview;
pub mod row_writer;
pub mod sentence;
pub mod table;
pub mod whole;
pub mod why;
