//! Files for Brisk Quill: which ones, what they hold, and how they are rewritten safely.
//!
//! * [`discover`] turns paths and globs into [`Source`]s in order of path.
//! * [`Reader`] hands a source's text on in pieces and tells its [`Facts`].
//! * [`in_order`] does the same work on many sources at a time, and tells of them in order;
//!   [`read_in_parts`] on the parts of a large one.
//! * [`evaluate`] runs a rewrite over a source, [`evaluate_in_parts`] over parts of it;
//!   [`Plan`] keeps what came out.
//! * [`PlanDoc`] is a plan in a file, with its decisions.
//! * [`make_run`] splices a plan into files, all or nothing, and tells the [`Journal`];
//!   [`recover`] finishes what was stopped, [`undo_plan`] leads back.
//! * [`stage_all`] copies the files of a plan for another place, and [`Copying`] those that are
//!   being evaluated; [`Staging`] puts them there.
#![warn(missing_docs)]

pub mod background_writer;
pub mod cancel;
pub mod change;
pub mod changes;
pub mod coding;
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
pub mod run;
pub mod signature;
pub mod source;
pub mod splice;
pub mod splicer;
pub mod spool;
pub mod staging;
pub mod stoppable;
pub mod temporary;
pub mod undo;
pub mod waiting;
