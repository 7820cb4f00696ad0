//! All tests of the files in one program, which is linked once.

mod archive;
mod container;
mod crash;
mod databases;
#[allow(dead_code, reason = "the fuzz targets use the rest")]
mod model;
mod opening;
#[cfg(feature = "parquet")]
mod parquet;
mod plans;
mod stores;
mod walk;
mod workbooks;
mod writing;

#[path = "../../forgotten.rs"]
mod forgotten;
