//! All tests of the inference in one program, which is linked once.

mod examples;
mod infer;

#[path = "../../forgotten.rs"]
mod forgotten;
