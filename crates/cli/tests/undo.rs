//! Undo: which run it reverts, and the way on where files were changed since.

use crate::support::Sandbox;
use crate::support::term::Term;

/// The texts of `a.txt`, one for each run over it.
const STEPS: [&str; 4] = ["one\n", "two\n", "three\n", "four\n"];

fn stepped() -> Sandbox {
    let sandbox = Sandbox::with("a.txt", STEPS[0]);
    for pair in STEPS.windows(2) {
        let (old, new) = (pair[0].trim(), pair[1].trim());
        sandbox
            .run(&format!("apply {old} --with {new} a.txt --yes"))
            .ok();
    }
    sandbox
}

/// Again and again, it goes further back, and brings nothing back unasked.
#[test]
fn again_and_again() {
    let sandbox = stepped();
    for (text, run) in [(STEPS[2], 3), (STEPS[1], 2), (STEPS[0], 1)] {
        let got = sandbox.run("undo --yes").ok();
        assert!(
            got.out.contains(&format!("Reverted run {run}: ")),
            "{}",
            got.out
        );
        assert_eq!(sandbox.text("a.txt"), text);
    }
    let got = sandbox.run("undo --yes");
    assert_eq!(
        (got.status, &*sandbox.text("a.txt")),
        (1, STEPS[0]),
        "{got:#?}"
    );
    assert!(got.err.contains("has been reverted"), "{}", got.err);
    // Named, an undo is undone, and the run is in effect again.
    let got = sandbox.run("undo 6 --yes").ok();
    assert!(
        got.out
            .contains("Reverted run 6, itself an undo of run 1: "),
        "{}",
        got.out
    );
    assert_eq!(sandbox.text("a.txt"), STEPS[1]);
    sandbox.run("undo --yes").ok();
    assert_eq!(sandbox.text("a.txt"), STEPS[0]);
}

#[test]
fn the_question_says_what_it_is() {
    let sandbox = stepped();
    sandbox.run("undo --yes").ok();
    let mut term = Term::new(&sandbox, 120, 20, &["undo", "4"]);
    term.wait(&["Revert run 4, itself an undo of run 3: 1 change in 1 file? [y/N]"]);
    term.press("n\r", &["Nothing has been written."]);
    assert_eq!(term.end().0, 1, "the answer was no");
}

/// Files that were changed since are named, with the way on.
#[test]
fn what_stands_in_the_way() {
    let sandbox = stepped();
    sandbox.write("b.txt", "quay\n");
    sandbox.run("apply quay --with Q b.txt --yes").ok();
    for (line, status, said) in [
        ("undo 1 --yes", 3, "run 3 changed a.txt after run 1"),
        ("undo 1 --yes", 3, "`bquill undo 3` first"),
        (
            "undo 1 --only nowhere.txt --yes",
            1,
            "run 1 did not write nowhere.txt, which does not exist",
        ),
        ("undo 1 --only b.txt --yes", 1, "run 1 did not write b.txt"),
    ] {
        let got = sandbox.run(line);
        assert_eq!(
            (got.status, got.err.contains(said)),
            (status, true),
            "{line}: {got:#?}"
        );
    }
    sandbox.run("undo --yes").ok();
    let got = sandbox.run("undo 4 --yes");
    assert!(
        got.status == 1 && got.err.contains("run 4 is reverted already, by run 5"),
        "{got:#?}"
    );
    std::fs::remove_file(sandbox.file("a.txt")).unwrap();
    let got = sandbox.run("undo 3 --only a.txt --yes");
    assert!(
        got.status == 3 && got.err.contains("a.txt is missing"),
        "{got:#?}"
    );
}

/// Days later: what is found again by the text around it is a plan, which is reviewed and applied.
#[test]
fn with_a_review() {
    let sandbox = Sandbox::new();
    let line = |n: u32| format!("pilot {n} waits at quay {n} for the tide of day {n}\n");
    let old: String = (0..14).map(line).collect();
    sandbox.write("a.txt", &old);
    sandbox.write("b.txt", "quay 7 in another file\n");
    sandbox.run("apply quay --with Q . --yes").ok();
    let mut now = sandbox
        .text("a.txt")
        .replace("for the tide of day 3\n", "for nothing at all\n");
    now = now.replace("Q 5 ", "pier 5 ").replace("Q 9 ", "a Quay 9 ");
    sandbox.write("a.txt", format!("# Waiting\n\n{now}"));
    let got = sandbox.run("undo --yes");
    assert!(
        got.status == 3 && got.err.contains("`bquill undo 1 --review`"),
        "{got:#?}"
    );
    let before = sandbox.snapshot();
    let got = sandbox.run("undo 1 --review").ok();
    assert!(
        got.out
            .starts_with("13 of 15 changes can be reverted; 2 places were edited since.\n"),
        "{}",
        got.out
    );
    assert!(
        got.out.contains("a.txt, about line 6") && got.out.contains("a.txt, about line 10"),
        "{}",
        got.out
    );
    assert_eq!(sandbox.snapshot(), before);
    sandbox.run("review --refuse line:3").ok();
    assert!(
        sandbox.run("review --renew --accept rest").status == 2,
        "there is no rewrite"
    );
    sandbox.run("review --accept rest").ok();
    let got = sandbox.run("apply --yes").ok();
    assert!(
        got.out
            .contains("what run 1 changed gets its old text back"),
        "{}",
        got.out
    );
    let wanted = old
        .replace("quay 0 ", "Q 0 ")
        .replace("for the tide of day 3\n", "for nothing at all\n")
        .replace("quay 5 ", "pier 5 ")
        .replace("quay 9 ", "a Quay 9 ");
    assert_eq!(sandbox.text("a.txt"), format!("# Waiting\n\n{wanted}"));
    assert_eq!(sandbox.text("b.txt"), "quay 7 in another file\n");
    let listed = sandbox.run("history").ok().out;
    assert!(
        listed.contains("reverted in part") && listed.contains("reverts run 1"),
        "{listed}"
    );
    // The undo is a run like others.
    sandbox.run("undo 2 --yes").ok();
    assert_eq!(sandbox.text("a.txt"), format!("# Waiting\n\n{now}"));
}

/// Records are forgotten once that is agreed to, and those of other folders only on demand.
#[test]
fn forgetting_asks() {
    let sandbox = stepped();
    let below = sandbox.file("below");
    std::fs::create_dir(&below).unwrap();
    let here = |line: &str| {
        let mut command = sandbox.command();
        command
            .args(crate::support::words(line))
            .current_dir(&below);
        crate::support::finish(&mut command)
    };
    assert_eq!(
        sandbox.run("history --forget 1").status,
        2,
        "there is no terminal to ask on"
    );
    // As if they had been made long ago.
    for run in 1..=3 {
        let log = sandbox.state().join(format!("brisk-quill/runs/{run}/log"));
        assert!(log.exists());
    }
    let got = here("history --forget --older-than 0 --yes");
    assert_eq!(got.status, 1, "{got:#?}");
    let mut term = Term::new(&sandbox, 120, 20, &["history", "--forget", "1", "2"]);
    term.wait(&["Forget 2 runs, ", "They can no longer be undone. [y/N]"]);
    term.press("n\r", &["Nothing has been forgotten."]);
    assert_eq!(term.end().0, 1);
    sandbox.run("history --forget 1 2 --yes").ok();
    assert_eq!(sandbox.run("history --json").ok().records().len(), 1);
}

/// One record of what was written, and nothing else.
#[test]
fn records_of_what_was_written() {
    let sandbox = Sandbox::larkmoor();
    let change = r"apply 'berth (\d+)' --with 'B-$1' notices --json";
    for (words, wanted) in [
        (
            format!("{change} --yes"),
            r#"{"record":"made","run":1,"undoes":null,"files":13,"changes":25,"can_undo":true}"#,
        ),
        (
            "undo --yes --json".into(),
            r#"{"record":"made","run":2,"undoes":1,"files":13,"changes":25,"can_undo":true}"#,
        ),
    ] {
        assert_eq!(
            sandbox.run(&words).ok().out,
            format!("{wanted}\n"),
            "{words}"
        );
    }
    let got = sandbox.run(&format!("{change} --yes --expect 3"));
    assert_eq!((got.status, &got.out[..]), (1, ""));
    // There is nobody to be asked.
    assert_eq!(sandbox.run(change).status, 2);
}
