//! `apply`: what is written, byte for byte, and what is refused.

use crate::support::Sandbox;
use std::os::unix::fs::{MetadataExt, PermissionsExt};

/// The totals of one text of many, whatever is written.
#[test]
fn totals_are_put_aside() {
    let sandbox = Sandbox::with("01.md", "berth 4, berth 7\n");
    for line in [
        "apply berth --with B --yes 01.md",
        "apply berth --with B --to new/ 01.md",
        "apply berth --with B",
    ] {
        let got = sandbox.pipe("berth 4, berth 7\n", &format!("{line} --totals sum.jsonl"));
        let sum: serde_json::Value = serde_json::from_str(&sandbox.text("sum.jsonl")).unwrap();
        assert_eq!(
            (&sum["record"], &sum["changes"]),
            (&"totals".into(), &2.into()),
            "{got:?}"
        );
        sandbox.write("01.md", "berth 4, berth 7\n");
    }
    let got = sandbox.run("apply berth --with B --yes 01.md --stdin-name a.md");
    assert!(
        got.status == 2 && got.err.contains("that is not read"),
        "{got:?}"
    );
}

/// As a filter: input, words, output, exit status.
#[test]
fn filter() {
    let quays = "quay 7, quay 12\r\nquay 3";
    for (input, line, wanted, status) in [
        (quays, r"'quay (\d+)' --with 'Q$1'", "Q7, Q12\r\nQ3", 0),
        (
            quays,
            r"'quay (\d+)' --with 'Q$1' --pick first",
            "Q7, quay 12\r\nQ3",
            0,
        ),
        (
            quays,
            r"'quay (\d+)' --with 'Q$1' --pick last",
            "quay 7, Q12\r\nQ3",
            0,
        ),
        (
            quays,
            r"'quay (\d+)' --with 'Q$1' --pick 2",
            "quay 7, Q12\r\nquay 3",
            0,
        ),
        (
            quays,
            r"'quay (\d+)' --with 'Q$1' --lines last",
            "quay 7, quay 12\r\nQ3",
            0,
        ),
        (
            quays,
            r"'quay (\d+)' --with 'Q$1' --limit 2",
            "Q7, Q12\r\nquay 3",
            0,
        ),
        (
            quays,
            r"'quay (\d+)' --with 'Q$1' --then 'Q' --with 'W'",
            "W7, W12\r\nW3",
            0,
        ),
        (quays, "QUAY -i --remove", " 7,  12\r\n 3", 0),
        (
            quays,
            "quay --literal --with '$1' -",
            "$1 7, $1 12\r\n$1 3",
            0,
        ),
        (quays, "ay --with x --whole-word", quays, 1),
        (
            quays,
            "'quay 3' --entire --with x",
            "quay 7, quay 12\r\nx",
            0,
        ),
        (quays, "pier --with x", quays, 1),
        (quays, "pier --with x --expect 0", quays, 0),
        (quays, "quay --with x --expect 3", "x 7, x 12\r\nx 3", 0),
        (quays, "quay --with x --expect 1..2", "", 1),
        ("", "x --with y", "", 1),
        ("a-5\n", "--with=+5 -- -5", "a+5\n", 0),
        ("a->b\n", "--with=-x -- ->", "a-xb\n", 0),
        ("--b\n", "--with=--then -- --b", "--then\n", 0),
        ("\u{feff}a\n", "^a --with b", "\u{feff}b\n", 0),
        ("café\n", "x* --with -", "-c-a-f-é-\n", 0),
    ] {
        let got = Sandbox::new().pipe(input, &format!("apply {line}"));
        assert_eq!(
            (got.out.as_str(), got.status),
            (wanted, status),
            "{line}: {got:#?}"
        );
    }
}

#[test]
fn bytes_outside_the_changes_stay() {
    let stray = b"\xFFquay\xC3 \xE9\r\nquay\rquay\n\nquay";
    let got = Sandbox::new().pipe(stray, "apply quay --with Q");
    assert_eq!(got.raw, b"\xFFQ\xC3 \xE9\r\nQ\rQ\n\nQ");
}

#[test]
fn pattern_from_a_file() {
    let sandbox = Sandbox::with("p.txt", "it's \\d\n");
    let got = sandbox.pipe("it's 4", "apply --pattern-file p.txt --with x");
    assert_eq!(got.out, "x");
    sandbox.write("a.txt", "it's 4");
    sandbox
        .run("apply --pattern-file p.txt --with x a.txt --yes")
        .ok();
    assert_eq!(sandbox.text("a.txt"), "x");
}

#[test]
fn files_are_rewritten_and_keep_their_mode() {
    let sandbox = Sandbox::new();
    sandbox.write("notes/a.md", "berth 7\n");
    sandbox.write("notes/deep/b.md", "berth 12, berth 3");
    sandbox.write("notes/c.md", "no change\n");
    let set = |name: &str, mode| {
        std::fs::set_permissions(sandbox.file(name), PermissionsExt::from_mode(mode)).unwrap();
    };
    set("notes/a.md", 0o640);
    set("notes/deep/b.md", 0o755);
    let untouched = sandbox.file("notes/c.md").metadata().unwrap();
    let got = sandbox
        .run(r"apply 'berth (\d+)' --with 'B-$1' notes --yes")
        .ok();
    assert_eq!(sandbox.text("notes/a.md"), "B-7\n");
    assert_eq!(sandbox.text("notes/deep/b.md"), "B-12, B-3");
    let mode = |name: &str| sandbox.file(name).metadata().unwrap().mode() & 0o777;
    assert_eq!(
        (mode("notes/a.md"), mode("notes/deep/b.md")),
        (0o640, 0o755)
    );
    let after = sandbox.file("notes/c.md").metadata().unwrap();
    assert_eq!(
        (untouched.ino(), untouched.mtime_nsec()),
        (after.ino(), after.mtime_nsec())
    );
    assert_eq!(
        (got.count("files changed"), got.count("changes")),
        (Some(2), Some(3))
    );
    assert!(
        got.out
            .ends_with("Wrote 3 changes in 2 files: run 1. `bquill undo` reverts it.\n"),
        "{}",
        got.out
    );
    assert_eq!(
        sandbox.snapshot().len(),
        3,
        "no temporary file stays behind"
    );
}

#[test]
fn a_link_that_is_named_is_followed() {
    let sandbox = Sandbox::with("real/a.txt", "quay");
    std::os::unix::fs::symlink("real/a.txt", sandbox.file("link.txt")).unwrap();
    // The same file under two names is one.
    sandbox
        .run("apply quay --with Q link.txt real/a.txt --yes --expect 1")
        .ok();
    assert_eq!(sandbox.text("real/a.txt"), "Q");
    assert!(sandbox.file("link.txt").is_symlink());
    // A link met while walking is not followed.
    let met = sandbox.run("find Q . --json").ok();
    assert_eq!(met.of_kind("match").len(), 1);
}

#[test]
fn elsewhere() {
    let sandbox = Sandbox::new();
    sandbox.write("in/a.txt", "quay 1\n");
    sandbox.write("in/b/c.txt", "pier\n");
    let before = sandbox.snapshot();
    sandbox.run("apply quay --with Q in --to out").ok();
    assert_eq!(sandbox.text("out/in/a.txt"), "Q 1\n");
    assert_eq!(sandbox.text("out/in/b/c.txt"), "pier\n");
    let again = sandbox.run("apply quay --with R in --to out");
    assert_eq!(again.status, 3, "{again:#?}");
    assert!(
        again.err.contains("already a file: out/in/a.txt"),
        "{}",
        again.err
    );
    assert_eq!(sandbox.text("out/in/a.txt"), "Q 1\n");
    sandbox
        .run("apply quay --with R in --to out --overwrite")
        .ok();
    assert_eq!(sandbox.text("out/in/a.txt"), "R 1\n");
    // What was overwritten is in the history, and comes back.
    sandbox.run("undo --yes").ok();
    assert_eq!(sandbox.text("out/in/a.txt"), "Q 1\n");
    sandbox
        .run("apply quay --with S in/a.txt --to one.txt")
        .ok();
    assert_eq!(sandbox.text("one.txt"), "S 1\n");
    let onto = sandbox.run("apply quay --with S in/a.txt --to in/a.txt --overwrite");
    assert_eq!(onto.status, 2, "{onto:#?}");
    let kept = sandbox
        .snapshot()
        .into_iter()
        .filter(|(name, _)| name.starts_with("in"));
    assert_eq!(kept.collect::<Vec<_>>(), before);
}

/// Requests that write nothing: words, exit status, words of the message.
#[test]
fn nothing_is_written() {
    let sandbox = Sandbox::new();
    sandbox.write("a.txt", "quay 7\n");
    sandbox.write("b/c.txt", "quay 8\n");
    sandbox.write("chart.bin", b"quay\0\x01");
    let before = sandbox.snapshot();
    for (line, status, said) in [
        ("quay --with Q a.txt", 2, "--yes"),
        (
            "quay --with Q a.txt b --expect 3 --yes",
            1,
            "3 changes were expected, and there are 2",
        ),
        (
            "quay --with Q a.txt missing.txt --yes",
            3,
            "no such file or folder: missing.txt",
        ),
        ("pier --with Q . --yes", 1, ""),
        ("quay --with quay a.txt --yes", 0, ""),
        ("quay --with Q chart.bin --yes", 3, "looks binary"),
        ("quay a.txt --yes", 2, "--with TEMPLATE"),
        (
            "quay --with Q --remove a.txt --yes",
            2,
            "cannot be combined",
        ),
        ("quay --with Q - a.txt --yes", 2, "standard input"),
    ] {
        let got = sandbox.run(&format!("apply {line}"));
        assert_eq!(got.status, status, "{line}: {got:#?}");
        assert!(got.err.contains(said), "{line}: {got:#?}");
        assert_eq!(sandbox.snapshot(), before, "{line}");
    }
}

#[test]
fn binary_input_is_not_swallowed() {
    let got = Sandbox::new().pipe(b"quay\0", "apply quay --with Q");
    assert_eq!((got.status, got.raw.len()), (3, 0));
    let forced = Sandbox::new().pipe(b"quay\0", "apply quay --with Q --binary");
    assert_eq!(forced.raw, b"Q\0");
}

#[test]
fn permissions_are_respected() {
    let sandbox = Sandbox::new();
    sandbox.write("open/a.txt", "quay\n");
    sandbox.write("shut/b.txt", "quay\n");
    sandbox.write("open/secret.txt", "quay\n");
    let set = |name: &str, mode| {
        std::fs::set_permissions(sandbox.file(name), PermissionsExt::from_mode(mode)).unwrap();
    };
    let open_up = || (set("shut", 0o755), set("open/secret.txt", 0o644));
    // An unreadable file among readable ones: looking goes on, writing is refused.
    set("open/secret.txt", 0o000);
    let got = sandbox.run_bound("preview quay --with Q open");
    assert_eq!((got.status, got.count("changes")), (3, Some(1)), "{got:#?}");
    assert!(
        got.err.contains("cannot read: open/secret.txt"),
        "{}",
        got.err
    );
    let got = sandbox.run_bound("apply quay --with Q open --yes");
    assert_eq!(got.status, 3);
    assert_eq!(sandbox.text("open/a.txt"), "quay\n");
    // A folder that may not be entered.
    set("shut", 0o000);
    let got = sandbox.run_bound("find quay shut");
    assert_eq!(got.status, 3);
    assert!(got.err.contains("cannot read: shut"), "{}", got.err);
    // A folder that may not be written: the file in it is written where it stands.
    open_up();
    set("shut", 0o555);
    let got = sandbox.run_bound("apply quay --with Q shut --yes").ok();
    assert_eq!(
        (got.count("changes"), sandbox.text("shut/b.txt").as_str()),
        (Some(1), "Q\n")
    );
    // A file that may not be written: nothing is, not even the file elsewhere.
    set("shut/b.txt", 0o444);
    let got = sandbox.run_bound("apply '(?i)q' --with x open/a.txt shut --yes");
    assert_eq!(got.status, 3);
    assert!(got.err.contains("cannot write: shut/b.txt"), "{}", got.err);
    assert_eq!(sandbox.text("open/a.txt"), "quay\n");
    open_up();
}

#[test]
fn a_file_with_several_names_keeps_them() {
    let sandbox = Sandbox::with("a.txt", "quay");
    std::fs::hard_link(sandbox.file("a.txt"), sandbox.file("b.txt")).unwrap();
    // Two names of one file are one file.
    sandbox.run("apply quay --with Q . --yes --expect 1").ok();
    assert_eq!(
        (sandbox.text("a.txt"), sandbox.text("b.txt")),
        ("Q".into(), "Q".into())
    );
    assert_eq!(sandbox.file("a.txt").metadata().unwrap().nlink(), 2);
    sandbox.run("undo --yes").ok();
    assert_eq!(
        (sandbox.text("a.txt"), sandbox.text("b.txt")),
        ("quay".into(), "quay".into())
    );
    assert_eq!(sandbox.file("a.txt").metadata().unwrap().nlink(), 2);
}

/// A rewrite that must see more than it is given is refused, with the key that is the reason.
#[test]
fn reach() {
    let sandbox = Sandbox::larkmoor();
    for (words, status, wanted) in [
        ("apply quay --with pier --reach line", 0, ""),
        (
            "apply quay --with pier --lines 2.. --reach line",
            2,
            "step 1 must see a whole file, because of `lines`",
        ),
        ("apply quay --with pier --lines 2.. --reach file", 0, ""),
        (
            "apply quay --with pier --then a --with b --limit 2 --reach file",
            2,
            "step 2 must see a whole run, because of `limit`",
        ),
        (
            "apply quay --with pier --expect 1 --reach file",
            2,
            "because of `expect`",
        ),
    ] {
        let got = sandbox.pipe("a quay\na quay\n", words);
        assert_eq!(got.status, status, "{words}: {got:#?}");
        assert!(got.err.contains(wanted), "{words}: {got:#?}");
    }
}
