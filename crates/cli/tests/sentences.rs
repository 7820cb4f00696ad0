//! Sentences that say how a request was understood.

use crate::support::Sandbox;

/// The first line of what comes back, for the file `a.txt`.
#[test]
fn one_plain_sentence() {
    let sandbox = Sandbox::with("a.txt", "quay 7\n\npier (quay 8)\n");
    for (line, sentence) in [
        ("find quay", "every match of `quay`, in every line."),
        (
            "find quay -i --whole-word",
            "every match of `quay`, ignoring case, as a whole word, in every line.",
        ),
        (
            "find 'quay 7' --entire --literal",
            "every match of `quay 7`, as plain text, where it spans all of it, in every line.",
        ),
        (
            "find quay --pick first",
            "the first match of `quay`, in each line.",
        ),
        (
            "find quay --pick 2..3 --per file",
            "match 2..3 of `quay`, counted through each file, in any line.",
        ),
        (
            "find quay --pick last --per run --lines 2..",
            "the last match of `quay`, counted through all files, in lines `2..`.",
        ),
        ("find quay --lines 3", "every match of `quay`, in line 3."),
        (
            "find quay --limit 1",
            "every match of `quay`, in every line, at most 1 in all.",
        ),
        (
            "find quay --where 7 --where u --unless x",
            "every match of `quay`, in every line that holds `7` and that holds `u` and that does not hold `x`.",
        ),
        (
            "find quay --between a b --inner",
            "every match of `quay`, in every line, between `a` and `b` (without those lines).",
        ),
        (
            "find quay --near 7 1 --unit paragraph",
            "every match of `quay`, in every paragraph, at most 1 line from `7`.",
        ),
        (
            "find quay --unit text",
            "every match of `quay`, in the whole text.",
        ),
        (
            "find quay --missing",
            "every line without a match of `quay`, in all lines.",
        ),
        (
            "preview quay --with Q",
            "every match of `quay` becomes `Q`, in every line.",
        ),
        (
            "preview quay --with ''",
            "every match of `quay` becomes nothing, in every line.",
        ),
        (
            "preview quay --remove --pick last",
            "the last match of `quay` is deleted, in each line.",
        ),
        (
            "preview quay --drop-lines",
            "the lines with a match of `quay` are deleted, in every line.",
        ),
        (
            "preview quay --keep-lines --lines 1",
            "the lines without a match of `quay` are deleted, in line 1.",
        ),
        (
            "preview quay --above '> $0'",
            "the line `> $0` is inserted above each line with a match of `quay`, in every line.",
        ),
        (
            "preview quay -i --below x",
            "the line `x` is inserted below each line with a match of `quay`, ignoring case, in every line.",
        ),
        (
            "preview quay --lead '- '",
            "`- ` is inserted at the start of each line with a match of `quay`, in every line.",
        ),
        (
            "preview quay --trail ; --unit paragraph",
            "`;` is inserted at the end of each paragraph with a match of `quay`, in every paragraph.",
        ),
        (
            "preview --swap-chars ab xy",
            "the characters `ab` become `xy`, in every line.",
        ),
    ] {
        let got = sandbox.run(&format!("{line} a.txt"));
        let first = got.out.lines().next().unwrap_or_default();
        let wanted = format!("In a.txt: {sentence}");
        assert_eq!(first, wanted, "{line}: {}", got.err);
    }
    let several = sandbox
        .run("preview quay --with '(?<!x)' --literal a.txt --then '(?=Q)' --lead y")
        .out;
    let wanted = "\
In a.txt, 2 steps:
  1. every match of `quay`, as plain text, becomes `(?<!x)`, in every line
  2. `y` is inserted at the start of each line with a match of `(?=Q)`, in every line
Look-around, or a reference inside the pattern, runs on the backtracking engine.
";
    assert!(several.starts_with(wanted), "{several}");
    let piped = sandbox.pipe("quay", "find quay").ok().out;
    assert!(
        piped.starts_with("In standard input: every match"),
        "{piped}"
    );
}

/// Rows of the table of counts: words, name and number of each row.
#[test]
fn the_table_of_counts() {
    let sandbox = Sandbox::new();
    sandbox.write("a.txt", "quay quay\nQ\nquay\n");
    sandbox.write("b.bin", b"quay\0");
    for (line, rows) in [
        (
            "find quay",
            &[("files read", 1), ("files skipped", 1), ("matches", 3)][..],
        ),
        (
            "find quay --pick 1 --lines 1",
            &[("matches", 1), ("left out", 2)],
        ),
        (
            "find quay --missing",
            &[("without a match", 1), ("matches", 3)],
        ),
        (
            "preview quay --with Q --limit 1",
            &[("changes", 1), ("left out", 2)],
        ),
        (
            "preview 'quay|Q' --with Q",
            &[("matches", 4), ("changes", 3), ("unchanged", 1)],
        ),
        (
            "preview quay --drop-lines",
            &[("matches", 3), ("changes", 2), ("lines removed", 2)],
        ),
        (
            "preview quay --above x",
            &[("changes", 2), ("lines added", 2)],
        ),
        (
            "preview quay --with Q --then Q --with R",
            &[
                ("matches", 7),
                ("changes", 4),
                ("step 1 matches", 3),
                ("step 2 matches", 4),
            ],
        ),
        (
            "preview quay --with Q --between Q quay",
            &[("blocks", 1), ("changes", 1)],
        ),
    ] {
        let got = sandbox.run(&format!("{line} .")).ok();
        for (name, count) in rows {
            assert_eq!(got.count(name), Some(*count), "{line}: {name}\n{}", got.out);
        }
    }
}

#[test]
fn long_lines_stay_readable() {
    let sandbox = Sandbox::with(
        "a.txt",
        format!("{}quay{}\n", "x".repeat(9_000), "y".repeat(9_000)),
    );
    sandbox.write("b.txt", "quay".repeat(5_000));
    for file in ["a.txt", "b.txt"] {
        let got = sandbox.run(&format!("preview quay --with Q {file}")).ok();
        let longest = got
            .out
            .lines()
            .map(|line| line.chars().count())
            .max()
            .unwrap();
        assert!(longest < 400, "{longest}: {}", got.out);
    }
    assert!(
        sandbox
            .run("preview quay --with Q a.txt")
            .out
            .contains("x‹quay›y")
    );
    assert!(
        sandbox
            .run("preview quay --with Q b.txt")
            .out
            .contains("and 4960 more in this line")
    );
}
