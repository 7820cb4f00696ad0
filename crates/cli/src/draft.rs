//! The full-screen draft: a rewrite built while one watches what it does.
//!
//! ```text
//! key → action ─┐
//!               ├ state → effects → jobs → worker → news
//! news ─────────┘   └→ screen
//! ```
//!
//! The worker evaluates on a thread of its own, and only the newest job: a key never waits for it.
//! News carry the number of the job they belong to, and those of an older one are dropped.
//!
//! Note to the maintainer. Nothing is evaluated here; that is the engine's. A new key needs an
//! action, a line in `keys` and an arm in `state`; the compiler leads from there.

pub mod action;
pub mod keys;
pub mod request;
pub mod run;
pub mod saved;
pub mod screen;
pub mod state;
pub mod stdin_sample;
#[cfg(test)]
mod tests;
pub mod worker;
