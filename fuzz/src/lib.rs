//! Checks that hold for every input, run by the fuzz targets and, on a small corpus, by the tests.

pub mod checks;
