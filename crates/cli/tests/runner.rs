//! All tests of the program in one program, which is linked once.

mod apply;
mod asking;
mod attacks;
mod bad_input;
mod columns;
mod demo;
mod documented;
mod examples;
mod find;
mod fuzzed;
mod journal;
mod large;
mod narrowing;
mod plans;
mod preview;
mod progress;
mod review;
mod rewriting;
mod sentences;
mod support;
mod threads;

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
