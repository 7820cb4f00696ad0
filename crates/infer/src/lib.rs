//! A rewrite from examples: of texts before and after, patterns and templates are proposed. Only fronts use it.
//!
//! ```text
//! examples → copies → templates → readings → patterns → candidates → proposals
//!            copies   templates   readings   slots,     search,      rank
//!                                            form       candidate
//! ```
//!
//! * [`copies`] lists which spans of the old text stand, filtered or not, in the new one.
//! * [`templates`] writes the new text of one example as text and copies, in several ways.
//! * [`readings`] finds in the further examples what a template takes from the old text there.
//! * [`layouts`] cuts the old text into spans, [`slots`] gives the patterns that a span may have, [`bounds`] the ways to
//!   bound a match, and [`search`] tries them together, the cheapest first, on all examples.
//! * [`regions`] cuts lines into what changed and what did not; cells are taken as they are.
//! * [`conditions`], [`rename`] and [`several`] are for what one pattern and one template cannot say.
//! * [`found`] keeps of candidates that do the same to the data only the cheapest, and [`rank`] compares them by what they do.
//! * [`data`] reads the texts and the examples from files, and makes proposals into rewrites that can be run; [`draft`] is for a
//!   front that tries one step after another.
//! * [`questions`] finds the texts that proposals disagree about, and those where all of them may be wrong.
//!
//! The same task always gives the same answer. The costs are those of a description: what has to be said
//! to write a pattern and a template down, and what would be chance if they were right.
#![warn(missing_docs)]

mod bounds;
mod budget;
mod candidate;
mod case;
mod conditions;
mod copies;
pub mod data;
mod deeds;
pub mod draft;
mod evidence;
mod examples;
mod filter_choice;
mod filters;
mod find;
mod form;
mod found;
pub mod inference;
mod joint_cost;
mod keywords;
mod known_texts;
mod layouts;
mod program;
pub mod proposal;
pub mod questions;
mod rank;
mod readings;
pub mod refusal;
mod regions;
mod rename;
pub mod sample;
mod search;
mod several;
mod slots;
mod span_patterns;
pub mod task;
mod templates;
mod tokens;
pub mod trial;
pub mod values;
