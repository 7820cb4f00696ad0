//! All tests of the core in one program, which is linked once.

mod columns;
mod counting;
mod laws;
mod messages;
mod pairs;
mod plan;
mod prefilter;
mod relocating;
mod support;
mod tables;

#[path = "../../forgotten.rs"]
mod forgotten;
