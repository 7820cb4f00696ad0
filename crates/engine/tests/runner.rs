//! All tests of the engine in one program, which is linked once.

mod borders;
mod draft;
mod encodings;
mod hints;
mod pieces;
mod whole_loop;

#[path = "../../forgotten.rs"]
mod forgotten;
