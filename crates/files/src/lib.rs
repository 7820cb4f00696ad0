//! Files for Brisk Quill: which ones, what they hold, and how they are rewritten safely.
//!
//! * [`discover`] turns paths and globs into [`source::Source`]s in order of path.
//! * [`read`] hands the text of a source on in pieces, with its [`read::facts::Facts`].
//! * [`store`] is how a text lies in its file, and [`text_map`] the way from a decoded text to its bytes.
//! * [`plan`] is what a rewrite makes of files, and [`plan_file`] a plan in a file, with its decisions.
//! * [`run`] splices a plan into files, all or nothing, and records it in the [`journal`];
//!   [`recover`] finishes what was stopped, [`undo`] leads back.
//! * [`staging`] copies the files of a plan to another place.
#![warn(missing_docs)]

pub mod background_writer;
pub(crate) mod blocks;
pub mod cancel;
pub mod change;
pub mod changes;
pub mod copy_name;
pub mod discover;
pub mod early_sync;
pub mod edit;
pub mod encoding;
pub mod error;
pub mod fs;
pub mod hash;
pub mod journal;
pub mod parallel;
pub mod plan;
pub mod plan_file;
pub mod read;
pub mod recover;
pub mod repository;
pub mod run;
pub mod short_plan;
pub mod signature;
pub mod source;
pub mod splice;
pub mod splicer;
pub mod spool;
pub mod staging;
pub mod stoppable;
pub mod store;
pub mod temporary;
pub mod text_map;
pub mod undo;
pub mod waiting;
