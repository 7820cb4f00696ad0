//! All tests of the inference in one program, which is linked once.

mod examples;
mod families;
mod infer;

#[path = "../../forgotten.rs"]
mod forgotten;
