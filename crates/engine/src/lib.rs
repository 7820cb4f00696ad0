//! One path from a request to results, for every front of Brisk Quill.
//!
//! ```text
//! Sources ─┐
//! Work ────┴ Session::run → events → a Collector of each file → taken in order → Summary
//! ```
//!
//! * [`host`] is the world around it: folders, clock, cancellation, provided by the program that runs it.
//! * [`sources`] finds the files of a request; [`request`] says what is done with each.
//! * [`session`] reads them, searches or rewrites them, and hands on what is found.
//! * [`collector`] holds the events, and the trait of what a front gathers of each file.
//! * [`context`] shows a change of a plan where it is in its file.
//! * [`keep`] makes a plan of a rewrite, [`open_plan`] opens one to be judged ([`decide`]) and written, and [`runs`]
//!   reverts what was written.
//! * [`rewrite_loading`] reads rewrite files.
//! * [`guards`] says whether the results are as they must be before anything is written.
//!
//! A front makes collectors and renders what it takes; it holds no thread and evaluates nothing.
//! Nothing here prints or knows a front's types.
#![warn(missing_docs)]

pub mod cell_values;
pub mod change_collector;
pub mod collector;
pub mod compare;
pub mod context;
pub mod copy_out;
pub mod decide;
pub mod draft;
mod evaluate;
pub mod file_note;
mod file_run;
pub mod guards;
pub mod hints;
pub mod host;
pub mod in_memory;
pub mod keep;
pub mod kept_hunk;
pub mod kinds;
pub mod open_plan;
pub mod plan_collector;
pub mod plan_parts;
pub mod plan_records;
pub mod plan_writer;
pub mod renew;
pub mod request;
pub mod revert;
pub mod rewrite_loading;
pub mod runs;
pub mod schedule;
pub mod session;
pub mod sources;
pub mod summary;
pub mod tables;
mod text_worker;
mod watched;
pub mod why;
pub mod worked_examples;
