//! A step evaluated while it is being written: what is in sight first, then the counts.
//!
//! ```text
//! Draft ──┐
//! Wanted ─┴ Evaluator::evaluate → Answers: rows, counts so far, all counts
//! ```
//!
//! * [`request`] says what is evaluated, and what is wanted of it.
//! * [`evaluator`] evaluates a draft, and keeps what it may be asked for again.
//! * [`newest_first`] runs the newest of several jobs on a thread, and stops the one before it.
//! * [`kept_tries`] keeps the last tries of a folder.
//! * [`worker`] takes steps in words, and does all that a front wants of them.
//! * [`row`] and [`row_index`] hold the rows of a list, and where each of them lies.
//! * [`places`] compares the places that two drafts match or change.
//! * [`detail`] reports one unit what its groups hold, and what the template makes of them.

mod before;
pub mod detail;
pub mod evaluator;
pub mod kept_tries;
mod misses;
pub mod newest_first;
mod pass;
pub mod places;
pub mod request;
mod result;
pub mod row;
pub mod row_index;
pub mod worker;
