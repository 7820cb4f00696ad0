//! A test that each crate's test runner includes.

/// A file that the runner does not name would not be run.
#[test]
fn no_file_is_forgotten() {
    let tests = concat!(env!("CARGO_MANIFEST_DIR"), "/tests");
    let runner = std::fs::read_to_string(format!("{tests}/runner.rs")).unwrap();
    for entry in std::fs::read_dir(tests).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() && !path.join("mod.rs").exists() {
            // It holds data.
            continue;
        }
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        let is_named = runner.lines().any(|line| line == format!("mod {name};"));
        assert!(is_named || name == "runner", "{name}");
    }
}
