//! Looking closer: why a line does not match, the text as it would be, whole files, kinds by shape.

use crate::support::Sandbox;
use crate::support::term::Term;
use serde_json::Value;

const NOTICE: &str =
    "Berth 4 is free\nBerth-8 is closed\nBerth no. 9\nberth 7\nall quiet\nBerth-3 too\n";

#[test]
fn why_lines_do_not_match() {
    let sandbox = Sandbox::with("a.txt", NOTICE);
    let got = sandbox
        .run(r"find 'Berth (\d+)' --missing --why a.txt")
        .ok();
    let wanted = "\
Why they do not match:
  2 lines  expected ` `, found `-`: `Berth-8`  a.txt, line 2
  1 line   expected `\\d+`, found `no.`: `Berth no.`  a.txt, line 3
  2 lines  `Berth` not found  a.txt, line 4
";
    assert!(got.out.contains(wanted), "{}", got.out);
    assert!(
        got.out
            .contains("   2  Berth-8 is closed\n      expected ` `, found `-`\n"),
        "{}",
        got.out
    );
    let json = sandbox
        .run(r"find 'Berth (\d+)' --missing --why --json a.txt")
        .ok();
    let rows = json.of_kind("why");
    assert_eq!(
        (rows.len(), &rows[0]["count"], &rows[0]["line"]),
        (3, &Value::from(2), &Value::from(2))
    );
    assert_eq!(json.of_kind("missing")[0]["why"], "expected ` `, found `-`");
    for (request, said) in [
        ("find 'Berth' --missing --why a.txt", "has one part only"),
        (
            r"find '(?<=B)erth \d' --missing --why a.txt",
            "has no parts to report on",
        ),
        (r"find 'Berth \d' --why a.txt", "--missing"),
    ] {
        let got = sandbox.run(request);
        assert!(
            got.status == 2 && got.err.contains(said),
            "{request}: {got:?}"
        );
    }
}

/// Only this many lines are looked at, and that is said.
#[test]
fn very_many_lines_do_not_match() {
    let sandbox = Sandbox::with("a.txt", "Berth-1\n".repeat(10_001));
    let got = sandbox
        .run(r"find 'Berth (\d+)' --missing --why a.txt --show 1")
        .ok();
    assert!(
        got.out
            .contains("of the first 10,000 lines looked at:\n  10,000 lines  expected ` `"),
        "{}",
        got.out
    );
}

#[test]
fn a_pattern_on_a_text() {
    let sandbox = Sandbox::new();
    for (request, wanted) in [
        (
            r"explain 'Berth (\d+)' --on 'at Berth-8'",
            "It does not match: expected ` `, found `-`, in `Berth-8`.",
        ),
        (
            r"explain 'berth (\d+)' -i --on 'Berth 8, BERTH 9'",
            "It matches `Berth 8`, the first of 2 matches:\n    `berth`  took `Berth`\n    ` `      took ` `\n    `\\d+`    took `8`\n",
        ),
        (r"explain 'a(b)?c' --on 'ac'", "`(b)?`  took ``"),
        (
            r"explain 'Berth (\d+), (\d+)' --on 'Berth 8; 9'",
            "It does not match: expected `, `, found `; `",
        ),
        (
            r"explain 'Berth (\d+)' --on quay",
            "It does not match: `Berth` not found",
        ),
        (
            r"explain 'a.b' --literal --on 'axb'",
            "It does not match: expected `.`, found `x`",
        ),
        (
            r"explain 'quay' --whole-word --on 'quays'",
            "It does not match.",
        ),
        (r"explain '(?<=a)b' --on 'ab'", "It matches `b`:"),
    ] {
        let got = sandbox.run(request).ok();
        assert!(got.out.contains(wanted), "{request}: {}", got.out);
    }
}

/// Texts are read as a plan would leave them: what is accepted, or all where nothing is decided.
#[test]
fn the_text_as_it_would_be() {
    let sandbox = Sandbox::with("a.txt", NOTICE);
    sandbox.write("t.csv", "berth,status\n4,open\n5,closed\n");
    sandbox
        .run(r"preview 'Berth[ -](\d+)' --with 'B-$1' --save-plan p.plan")
        .ok();
    let count = |request: &str| {
        sandbox
            .run(request)
            .out
            .trim()
            .split(' ')
            .next()
            .unwrap()
            .to_owned()
    };
    for after in ["last", "p.plan"] {
        let all = |request: &str| sandbox.run(&format!("{request} --after {after}")).out;
        assert_eq!(
            all("find 'B-' ./a.txt --bare"),
            "B-4 is free\nB-8 is closed\nB-3 too\n"
        );
        assert!(all("check --forbid 'Berth[ -]\\d' a.txt").contains("All is as it must be"));
        assert!(all(r"tally 'B-\d' a.txt").contains("B-8"));
        assert!(all(r"shapes --match 'B-\d' a.txt").contains("A-9"));
        assert!(all(r"extract 'B-(\d)' a.txt").contains('8'));
    }
    sandbox
        .run("review --plan p.plan --accept 1.1 --refuse rest")
        .ok();
    assert_eq!(
        sandbox.run("find 'B-' a.txt --bare --after p.plan").out,
        "B-4 is free\n"
    );
    assert_eq!(count("find 'B-' a.txt --count"), "0");
    assert_eq!(sandbox.read("a.txt"), NOTICE.as_bytes());
    // A plan of other bytes is refused, with the file.
    sandbox.write("a.txt", "Berth 4\n");
    let got = sandbox.run("find 'B-' a.txt --after p.plan");
    assert!(got.status >= 2 && got.err.contains("a.txt"), "{got:?}");
}

#[test]
fn whole_files() {
    let sandbox = Sandbox::with("a.txt", "one\nquay 1\ntwo\nquay 2\nquay 3\n");
    let got = sandbox.run("preview quay --with pier --whole a.txt").ok();
    let wanted = "\
a.txt
     1  one
▌    2  ‹pier› 1
     3  two
▌    4  ‹pier› 2
▌    5  ‹pier› 3
";
    assert!(got.out.contains(wanted), "{}", got.out);
    for (request, wanted) in [
        (
            "preview quay --drop-lines --whole a.txt",
            "     1  one\n▌       (1 line deleted here)\n     2  two\n▌       (2 lines deleted here)\n",
        ),
        (
            "preview two --below new --whole a.txt",
            "     3  two\n▌    4  ‹new›\n     5  quay 2\n",
        ),
    ] {
        let got = sandbox.run(request).ok();
        assert!(got.out.contains(wanted), "{request}: {}", got.out);
    }
    // Text that was decoded is shown as text.
    sandbox.write("b.txt", b"quay \xE9\n");
    let got = sandbox
        .run("preview quay --with pier --whole --encoding latin1 b.txt")
        .ok();
    assert!(got.out.contains("▌    1  ‹pier› é\n"), "{}", got.out);
    // So is standard input, beside a file.
    let got = sandbox
        .pipe("one\nquay 4\n", "preview quay --with pier --whole - a.txt")
        .ok();
    let piped = "standard input\n     1  one\n▌    2  ‹pier› 4\n";
    assert!(
        got.out.contains(piped) && got.out.contains("‹pier› 3"),
        "{}",
        got.out
    );
}

#[test]
fn kinds_by_shape() {
    let text: String = (0..60).map(|n| format!("Berth {n}\nberth-{n}\n")).collect();
    let sandbox = Sandbox::with("a.txt", text);
    let request = r"preview '[Bb]erth[ -](\d+)' --with 'B-$1' a.txt --no-hints";
    let by_need = sandbox.run(&format!("{request} --kinds")).ok();
    assert!(
        by_need
            .out
            .contains("4 pairs of shapes, 120 kinds in 120 changes"),
        "{}",
        by_need.out
    );
    assert!(
        by_need
            .out
            .contains("Aa{4} 9{2}   A-9{2}   Berth 10 → B-10"),
        "{}",
        by_need.out
    );
    assert_eq!(
        sandbox.run(&format!("{request} --kinds shape")).out,
        by_need.out
    );
    let by_text = sandbox.run(&format!("{request} --kinds text")).ok();
    assert!(
        by_text.out.contains("120 kinds in 120 changes.") && by_text.out.contains("80 more kinds")
    );
    assert_eq!(sandbox.run(&format!("{request} --kinds=colour")).status, 2);
    let coarse = sandbox.run("shapes --coarse a.txt").ok();
    assert!(
        coarse.out.contains("A+a+ 9+") && coarse.out.contains("2 shapes in 120 values"),
        "{}",
        coarse.out
    );
}

/// Places for editors and for systems that run checks: lines and columns are those of the text.
#[test]
fn places_of_matches_and_offenders() {
    let sandbox = Sandbox::with("a.csv", "id,note\n1,\"å \"\"b\"\" quay\"\n2,quay\n");
    sandbox.write("t.txt", "å quay quay\nnone\n\tquay\n");
    sandbox.write("q.toml", "[[step]]\nmatch = 'quay'\nwith = 'pier'\n");
    for (words, status, wanted) in [
        (
            "find quay --positions t.txt",
            0,
            "t.txt:1:3: å quay quay\nt.txt:1:8: å quay quay\nt.txt:3:2: →quay\n",
        ),
        (
            "find quay --columns note --positions a.csv",
            0,
            "a.csv:2:12: å \"b\" quay\na.csv:3:3: quay\n",
        ),
        ("check quay --positions t.txt", 1, "t.txt:2:1: none\n"),
        (
            "check quay --forbid --annotate workflow t.txt",
            1,
            "::error file=t.txt,line=3,col=2::a match of `quay`, which is forbidden: ",
        ),
        (
            "preview quay --with pier --positions t.txt",
            0,
            "t.txt:1:8: quay → pier\n",
        ),
        (
            "check --rewrite q.toml t.txt --positions",
            1,
            "t.txt:3:2: quay → pier\n",
        ),
        (
            "check --rewrite q.toml q.toml --annotate sarif",
            1,
            "\"uri\": \"q.toml\"",
        ),
        ("find nowhere --exit-zero t.txt", 0, "matches        0"),
        (
            "preview nowhere --with x --exit-zero t.txt",
            0,
            "matches        0",
        ),
        (
            "check nowhere --exit-zero t.txt",
            1,
            "3 offenders in 3 lines in 1 file.",
        ),
        (
            "preview quay --with x --expect 7 --exit-zero t.txt",
            1,
            "7 changes were expected",
        ),
        ("find quay --exit-zero gone.txt", 3, "there is no such file"),
    ] {
        let got = sandbox.run(words);
        assert_eq!(got.status, status, "{words}: {got:#?}");
        assert!(
            got.out.contains(wanted) || got.err.contains(wanted),
            "{words}: {got:#?}"
        );
    }
    let schema = include_bytes!("support/sarif-2.1.0.schema.json.gz");
    let schema = flate2::read::GzDecoder::new(&schema[..]);
    let schema = std::io::read_to_string(schema).unwrap();
    // As it is published, one pattern has a bracket too many.
    let schema = serde_json::from_str(&schema.replace("{2}]?$", "{2}$")).unwrap();
    let schema = jsonschema::validator_for(&schema).unwrap();
    for words in [
        "check --rewrite q.toml",
        "check quay --forbid",
        "check '^é' --columns note a.csv",
    ] {
        let got = sandbox.run(&format!("{words} --annotate sarif"));
        let report: Value = serde_json::from_str(&got.out).unwrap();
        assert!(report["runs"][0]["results"][0].is_object(), "{words}");
        let faults: Vec<_> = schema.iter_errors(&report).collect();
        assert!(faults.is_empty(), "{words}: {faults:?}");
    }
    sandbox.run("apply --rewrite q.toml t.txt --yes").ok();
    let got = sandbox.run("check --rewrite q.toml t.txt").ok();
    assert!(
        got.out.contains("Nothing is left to change in 1 file."),
        "{}",
        got.out
    );
}

/// On a terminal sentences break between words; places, paths and differences never do.
#[test]
fn what_is_copied_from_a_terminal_is_whole() {
    let line = "a quay of many words ".repeat(8);
    let sandbox = Sandbox::with("the name of a notice in words.txt", format!("{line}\n"));
    let shown = |words: &[&str]| {
        let term = Term::new(&sandbox, 40, 120, words);
        term.end().1
    };
    for words in [
        &["find", "of many", "--positions", "."][..],
        &["find", "many", "--paths", "."],
        &[
            "preview", "many", "--with", "few", "--pick", "first", "--diff", ".",
        ],
    ] {
        let text = shown(words);
        assert!(text.contains("the name of a notice in words.txt"), "{text}");
        // Lines that are broken go on two columns further in; the terminal itself does not do that.
        assert!(
            !text.lines().any(|line| line.starts_with("  ")),
            "{words:?}: {text}"
        );
    }
    let text = shown(&["find", "many", "."]);
    assert!(
        text.lines()
            .any(|line| line.starts_with("  every match of `many`")),
        "{text}"
    );
}
