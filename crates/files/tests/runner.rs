//! All tests of the files in one program, which is linked once.

mod crash;
mod encodings;
#[allow(dead_code, reason = "the fuzz targets use the rest")]
mod model;
mod pieces;
mod plans;
mod walk;
mod writing;

#[path = "../../forgotten.rs"]
mod forgotten;
