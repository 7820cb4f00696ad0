//! All tests of the engine in one program, which is linked once.

mod borders;
mod draft;
mod encodings;
mod hints;
mod pieces;

#[path = "../../forgotten.rs"]
mod forgotten;
