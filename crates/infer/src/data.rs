//! Inference over files: the texts of their units, examples placed in them, and proposals made into rewrites.

pub mod examples;
pub mod proposed;
pub mod units;
