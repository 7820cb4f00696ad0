//! `demo`: the sample files and the walk.

use crate::support::Sandbox;
use crate::support::term::Term;

#[test]
fn the_walk_runs_every_command_it_names() {
    let sandbox = Sandbox::new();
    let got = sandbox.run("demo").ok();
    let folder = got
        .out
        .split("$ cd ")
        .nth(1)
        .unwrap()
        .lines()
        .next()
        .unwrap();
    assert!(
        got.out.contains("Wrote 102 changes in 16 files: run 1."),
        "{}",
        got.out
    );
    assert_eq!(got.out.matches("$ bquill ").count(), 16);
    assert!(
        got.out.contains("Reverted run 1: 102 changes in 16 files."),
        "{}",
        got.out
    );
    assert!(got.out.contains("4 of 4 examples"), "{}", got.out);
    assert_eq!(got.err, "");
    assert!(
        std::path::Path::new(folder)
            .join("notices/01-dredging.md")
            .is_file()
    );
    assert_eq!(sandbox.snapshot(), [], "the walk leaves this folder alone");
    std::fs::remove_dir_all(folder).unwrap();
}

/// At a terminal each step waits.
#[test]
fn the_walk_waits_at_a_terminal() {
    let sandbox = Sandbox::new();
    let mut term = Term::new(&sandbox, 100, 40, &["demo"]);
    term.wait(&["1. Match", "(Enter: step 2 of 13, q: end)"]);
    term.press("\r", &["2. Which lines", "(Enter: step 3 of 13, q: end)"]);
    term.press("q\r", &["Go on yourself"]);
    let (status, _) = term.end();
    assert_eq!(status, 0);
}

#[test]
fn unpacking_only() {
    let sandbox = Sandbox::new();
    sandbox.run("demo --to here/larkmoor").ok();
    let unpacked = sandbox.snapshot();
    assert_eq!(unpacked.len(), Sandbox::larkmoor().snapshot().len());
    let again = sandbox.run("demo --to here/larkmoor");
    assert_eq!(again.status, 3);
    assert_eq!(sandbox.snapshot(), unpacked);
}
