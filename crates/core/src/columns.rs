//! Columns: the cells of rows, in tables, in JSON Lines and in JSON documents.
//!
//! ```text
//! bytes → records → cells → values
//!         formats   formats spelling
//! ```
//!
//! * [`list`] is which columns are meant, as a user writes it; [`layout`] says how a file is read.
//! * [`formats`] holds one file for each format: where a text may be cut, the cells of a record,
//!   reading and writing a value, adding a column.
//! * [`table`] is a layout with its header; [`row`] is one record of it with all its cells.
//!
//! A cell is kept as the span of its bytes. Its *value* is what a reader means by it: without
//! quotes and escapes. New values are written back as the old cell was written, as far as that
//! can hold them.

pub mod around;
pub(crate) mod cell_offsets;
pub mod container;
pub mod dialect;
pub mod fault;
pub mod formats;
pub mod layout;
pub mod list;
pub(crate) mod members;
pub(crate) mod pointer;
pub(crate) mod record;
pub mod row;
pub(crate) mod spelling;
pub mod table;
pub(crate) mod token;
