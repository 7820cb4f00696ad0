//! All tests of the files in one program, which is linked once.

mod crash;
mod encodings;
#[allow(dead_code, reason = "the fuzz targets use the rest")]
mod model;
mod pieces;
mod plans;
mod walk;
mod writing;

/// A file that is not named above would not be run.
#[test]
fn no_file_is_forgotten() {
    let runner = include_str!("runner.rs");
    for entry in std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/tests")).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        let is_named = runner.lines().any(|line| line == format!("mod {name};"));
        assert!(is_named || name == "runner", "{name}");
    }
}
