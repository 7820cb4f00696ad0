//! All tests of the engine in one program, which is linked once.

mod around;
mod borders;
mod containers;
mod draft;
mod encodings;
mod hints;
mod pieces;
mod port;
mod schedule;
mod whole_loop;

#[path = "../../forgotten.rs"]
mod forgotten;
