//! Templates, line actions, and rewrites kept in files.

use crate::support::Sandbox;

/// As a filter: input, words, output.
#[test]
fn actions() {
    let text = "port\r\nquay 1 quay 2\r\nquay 3\npier";
    for (words, wanted) in [
        ("quay --drop-lines", "port\r\npier"),
        ("'quay|pier' --drop-lines", "port\r\n"),
        ("quay --keep-lines", "quay 1 quay 2\r\nquay 3\n"),
        (
            "quay --keep-lines --lines 2..",
            "port\r\nquay 1 quay 2\r\nquay 3\n",
        ),
        ("quay --drop-lines --pick 2", "port\r\nquay 3\npier"),
        (
            "'quay (\\d)' --above '> $1'",
            "port\r\n> 1\r\nquay 1 quay 2\r\n> 3\nquay 3\npier",
        ),
        (
            "'quay (\\d)' --below '> $1' --pick last",
            "port\r\nquay 1 quay 2\r\n> 2\r\nquay 3\n> 3\npier",
        ),
        (
            "pier --below 'a\\nb'",
            "port\r\nquay 1 quay 2\r\nquay 3\npier\na\nb",
        ),
        (
            "port --above 'a\\nb'",
            "a\r\nb\r\nport\r\nquay 1 quay 2\r\nquay 3\npier",
        ),
        (
            "quay --lead '- '",
            "port\r\n- quay 1 quay 2\r\n- quay 3\npier",
        ),
        (
            "'(\\d)$' --trail ', $1'",
            "port\r\nquay 1 quay 2, 2\r\nquay 3, 3\npier",
        ),
        (
            "quay --trail ' end' --unit paragraph",
            "port\r\nquay 1 quay 2\r\nquay 3\npier end",
        ),
        // A group that only an argument of a filter names.
        (
            "'(quay) (\\d)' --with '${@line | if $2}' --lines 3",
            "port\r\nquay 1 quay 2\r\n3\npier",
        ),
        (
            "'p(ort|ier)' --with '${\"Q\" | case-of $1}'",
            "q\r\nquay 1 quay 2\r\nquay 3\nq",
        ),
        (
            "--swap-chars a-z A-Z",
            "PORT\r\nQUAY 1 QUAY 2\r\nQUAY 3\nPIER",
        ),
        (
            "--swap-chars '[:digit:]' 'a-j' --lines 2",
            "port\r\nquay b quay c\r\nquay 3\npier",
        ),
        (
            "--swap-chars 123 321 --pick first",
            "port\r\nquay 3 quay 2\r\nquay 1\npier",
        ),
        (
            "--remove-chars '[:digit:] '",
            "port\r\nquayquay\r\nquay\npier",
        ),
        (
            "--remove-chars 'a-q' --where port",
            "rt\r\nquay 1 quay 2\r\nquay 3\npier",
        ),
        (
            "'quay (\\d)' --with '${1 | add 1}${@line}${@number}'",
            "port\r\n221 322\r\n433\npier",
        ),
        ("quay --above x --then x --drop-lines", text),
        (
            "port --below 'quay 0\\npier' --then quay --drop-lines --then pier --lead '* '",
            "port\r\n* pier\r\n* pier",
        ),
    ] {
        let got = Sandbox::new().pipe(text, &format!("apply {words}")).ok();
        assert_eq!(got.out, wanted, "{words}");
    }
    let dropped = Sandbox::with("a.txt", text)
        .run("preview quay --drop-lines a.txt")
        .ok();
    assert_eq!(
        (dropped.count("lines removed"), dropped.count("changes")),
        (Some(2), Some(2))
    );
    assert!(
        dropped
            .out
            .contains("quay 1 quay 2‹CR›↵›   (the line goes)\n"),
        "{}",
        dropped.out
    );
    let added = Sandbox::with("a.txt", text)
        .run("preview quay --below x a.txt --diff")
        .ok();
    assert!(added.out.contains("@@ -1,4 +1,6 @@"), "{}", added.out);
}

#[test]
fn references_to_files() {
    let sandbox = Sandbox::with("notices/07-buoy.md", "buoy\n\nbuoy buoy\n");
    let got = sandbox
        .run("preview buoy --with '${@stem | take 2}.${@line}.${@number} ${@file}' --json")
        .ok();
    let after: Vec<String> = got
        .of_kind("change")
        .iter()
        .map(|c| c["after"].as_str().unwrap().into())
        .collect();
    let file = "notices/07-buoy.md";
    assert_eq!(
        after,
        [
            format!("07.1.1 {file}"),
            format!("07.3.2 {file}"),
            format!("07.3.3 {file}")
        ]
    );
}

#[test]
fn tables() {
    let sandbox = Sandbox::with("a.txt", "quay 7\nquay 8\n");
    sandbox.write("names.csv", "old,new\n7,\"East, old\"\n");
    sandbox.write("names.tsv", "8\tWest\n");
    sandbox.write("bad.csv", "7,East\n8\n");
    let apply = |with: &str| {
        sandbox.args(&[
            "apply",
            r"quay (\d)",
            "--with",
            with,
            "a.txt",
            "--to",
            "out.txt",
            "--overwrite",
        ])
    };
    apply("${1 | map names.csv else ?}").ok();
    assert_eq!(sandbox.text("out.txt"), "East, old\n?\n");
    let unknown = apply("${1 | map names.tsv}");
    assert_eq!(unknown.status, 3);
    assert!(
        unknown
            .err
            .contains("a.txt, line 1: map: `7` is not in the table"),
        "{}",
        unknown.err
    );
    for (with, said) in [
        (
            "${1 | map bad.csv}",
            "line 2 has 1 column, and it takes two",
        ),
        ("${1 | map none.csv}", "the table none.csv cannot be used"),
    ] {
        let got = apply(with);
        assert_eq!(got.status, 2);
        assert!(
            got.err.contains(said) && got.err.contains("‾‾‾"),
            "{}",
            got.err
        );
    }
}

#[test]
fn a_value_that_a_filter_cannot_work_on() {
    let sandbox = Sandbox::with(
        "a.txt",
        "12.08.2026 and 14.08.2026\nx\n31.02.2026 and 14.08.2026\n",
    );
    let words = r"'[\d.]{10}' --with '${0 | date %d.%m.%Y %F}' a.txt";
    let got = sandbox.run(&format!("preview {words} --json"));
    assert_eq!(got.status, 3);
    assert!(
        got.err
            .contains("a.txt, line 3: date: `31.02.2026` cannot be read as %d.%m.%Y"),
        "{}",
        got.err
    );
    assert_eq!(got.of_kind("problem")[0]["line"], 3);
    let step = &got.of_kind("totals")[0]["per_step"][0];
    assert_eq!(
        (&step["matches"], &step["changed"], &step["failed"]),
        (&4.into(), &3.into(), &1.into())
    );
    sandbox
        .run(&format!("apply {words} --yes --skip-problems"))
        .ok();
    assert_eq!(
        sandbox.text("a.txt"),
        "2026-08-12 and 2026-08-14\nx\n31.02.2026 and 2026-08-14\n"
    );
}

#[test]
fn shipped_rewrites_hold_and_change_something() {
    let sandbox = Sandbox::larkmoor();
    let files: Vec<String> = sandbox
        .snapshot()
        .into_iter()
        .map(|(name, _)| name.display().to_string())
        .collect();
    let files: Vec<&String> = files
        .iter()
        .filter(|name| name.ends_with(".toml"))
        .collect();
    assert!(files.len() >= 6, "{files:?}");
    for file in files {
        let got = sandbox.run(&format!("test {file} --json")).ok();
        let examples = got.of_kind("example");
        let untouched = examples.iter().filter(|e| e["was"] == e["wanted"]).count();
        assert!(
            untouched > 0 && untouched < examples.len(),
            "{file}: {}",
            got.out
        );
        let changes = sandbox.run(&format!(
            "preview --rewrite {file} notices code gauge.log pilots.txt --exclude 16*"
        ));
        assert_eq!(changes.status, 0, "{file}: {changes:#?}");
        let explained = sandbox.run(&format!("explain --rewrite {file}")).ok();
        assert!(explained.out.contains("1. "), "{}", explained.out);
    }
}

/// A kept plan gives the same plan.
#[test]
fn kept_rewrites() {
    for words in [
        r"'berth[\s#-]*(\d+)' -i --with 'B-${1 | pad 2}' --where 'o' --unless '^>' --pick ..2",
        r"'level' --with 'l' --lines 2..300 --then '  +' --with ' ' --then '\.\.+' --remove --limit 5",
        r"'^From' --below 'see \'chart\' \\ $$5' --between Port Harbour --near roads 2 --inner",
        "--swap-chars '[:lower:]' '[:upper:]' --lines 1 --then 'a|b' --lead x --literal",
        r"'(\w+) hours' --with '${1 | map rewrites/t.tsv else t}' --per file --pick 1.. --unit paragraph",
    ] {
        let words = words.replace("\\'", "\"");
        let sandbox = Sandbox::larkmoor();
        sandbox.write("rewrites/t.tsv", "0630\t06:30\n");
        let paths = "notices gauge.log --exclude 16*";
        let one = sandbox.run(&format!(
            "preview {words} {paths} --json --save-rewrite rewrites/kept.toml"
        ));
        let two = sandbox.run(&format!(
            "preview --rewrite rewrites/kept.toml {paths} --json"
        ));
        // Only the examples, and the place of the table, differ in the words.
        let rest = |text: &str| text.split_once('\n').unwrap().1.to_owned();
        assert_eq!(
            rest(&one.out),
            rest(&two.out),
            "{words}\n{}",
            sandbox.text("rewrites/kept.toml")
        );
        assert!(two.of_kind("change").len() > 1, "{words}");
        sandbox.run("test rewrites/kept.toml").ok();
        let again = sandbox.run(&format!(
            "preview {words} {paths} --save-rewrite rewrites/kept.toml"
        ));
        assert_eq!(again.status, 3, "what is there is not overwritten");
    }
}

#[test]
fn failing_examples() {
    let sandbox = Sandbox::with(
        "a.toml",
        r#"
[[step]]
match = 'quay (\d)'
with = 'Q$1'
example = [{ before = "the quay 7", after = "the Q-7" }, { untouched = "quay x" }]

[[step]]
match = '\d'
with = '${0 | add 1}'
expect = "2.."

[[example]]
before = "quay 7"
after = "Q8"

[[example]]
untouched = "quay 1"
"#,
    );
    let got = sandbox.run("test a.toml");
    assert_eq!(got.status, 1);
    let wanted = "\
a.toml: 2 of 4 examples

  step 1, example 1
    was      the quay 7
    wanted   the Q‹-›7
    got      the Q‹›7

  the whole, example 2
    was      quay 1
    wanted   ‹quay 1›
    got      ‹Q2›


2 examples held, 2 did not.
";
    assert_eq!(got.out, wanted);
    let json = sandbox.run("test a.toml --json");
    assert_eq!(json.of_kind("totals")[0]["failed"], 2);
    sandbox.write("b.txt", "quay 1\n");
    let unmet = sandbox.run("apply --rewrite a.toml b.txt --yes");
    assert_eq!(unmet.status, 1);
    assert!(
        unmet
            .err
            .contains("step 2 expects 2.. changes, and there are 1"),
        "{}",
        unmet.err
    );
    assert_eq!(sandbox.text("b.txt"), "quay 1\n");
}

/// Rewrite files that are refused: text, words of the message.
#[test]
fn bad_rewrite_files() {
    for (text, said) in [
        (
            "[[step]]\nmatch = 'a'\nwih = 'b'\n",
            &[
                "there is no key `wih`",
                "f.toml, line 3, character 1   wih",
                "‾‾‾",
                "Did you mean `with`?",
            ][..],
        ),
        (
            "[[step]]\nmatch = 7\nwith = 'b'\n",
            &[
                "this key takes a value of another type",
                "f.toml, line 2, character 9",
            ],
        ),
        ("[[step]]\nmatch = 'a\n", &["f.toml, line 2"]),
        (
            "titel = 'x'\n",
            &["there is no key `titel`", "Did you mean `title`?"],
        ),
        (
            "[[step]]\npattern = 'x'\n",
            &["there is no key `pattern`", "Did you mean `match`?"],
        ),
        ("title = 'x'\n", &["there is no step"]),
        (
            "[[step]]\nmatch = 'a(b'\nwith = 'c'\n",
            &["f.toml, step 1: this parenthesis is never closed", " ‾"],
        ),
        (
            "[[step]]\nmatch = 'a'\nwith = '$1'\n",
            &["f.toml, step 1: the pattern has no group 1"],
        ),
        ("[[step]]\nmatch = 'a'\n", &["no action is given for `a`"]),
        (
            "[[step]]\nmatch = 'a'\nremove = true\nunit = 'page'\n",
            &["there is no unit `page`"],
        ),
        (
            "[[step]]\nmatch = 'a'\nremove = true\nnear = 'b'\n",
            &["ne value, or a list of such values", "f.toml, line 4"],
        ),
        (
            "[[step]]\nmatch = 'a'\nremove = true\nper = 'file'\n",
            &["`--per` belongs to `--pick`"],
        ),
        (
            "[[step]]\nmatch = 'a'\nremove = true\nlines = '0'\n",
            &["numbering starts at 1"],
        ),
        ("[[step]]\nwith = 'a'\n", &["a pattern is missing"]),
        (
            "[[step]]\nmatch = 'a'\nremove = true\n[[step.example]]\nbefore = 'a'\n",
            &["example 1 of step 1 is not an example"],
        ),
    ] {
        let sandbox = Sandbox::with("f.toml", text);
        let got = sandbox.run("test f.toml");
        assert_eq!(got.status, 2, "{text}: {got:#?}");
        for words in said {
            assert!(
                got.err.contains(words),
                "{text}: {words:?} is not in\n{}",
                got.err
            );
        }
    }
    let sandbox = Sandbox::with("f.toml", "[[step]]\nmatch = 'a'\nremove = true\n");
    sandbox.write("p.txt", "a\n");
    sandbox.write(
        "g.toml",
        "[[step]]\npattern-file = 'p.txt'\nremove = true\n",
    );
    assert_eq!(sandbox.pipe("bab", "apply --rewrite g.toml").out, "bb");
    for (line, status, said) in [
        (
            "preview --rewrite f.toml --with x p.txt",
            2,
            "`--rewrite` cannot be combined with step options",
        ),
        (
            "preview --rewrite f.toml p.txt --then b --with c",
            2,
            "cannot be combined with step options",
        ),
        ("test none.toml", 3, "cannot read a rewrite from none.toml"),
        (
            "preview a --drop-lines --unit text p.txt",
            2,
            "lines cannot be dropped or inserted",
        ),
        (
            "preview a --lead x --trail y p.txt",
            2,
            "`--lead` and `--trail` cannot be combined",
        ),
        (
            "preview --swap-chars abc xy p.txt",
            2,
            "FROM holds 3 and TO 2",
        ),
        (
            "preview --swap-chars a-c x-z -i p.txt",
            2,
            "leave `--ignore-case`",
        ),
        (
            "preview --remove-chars '[:word:]' p.txt",
            2,
            "no class `word`",
        ),
        ("preview a --with '${0 | upper' p.txt", 2, "never closed"),
    ] {
        let got = sandbox.run(line);
        assert_eq!(got.status, status, "{line}: {got:#?}");
        assert!(
            got.err.to_lowercase().contains(&said.to_lowercase()),
            "{line}: {}",
            got.err
        );
    }
}

#[test]
fn explanations() {
    let sandbox = Sandbox::new();
    let got = sandbox
        .run(r"explain '(?<b>[Bb]erth)\s+(\d{1,2}?)|(?!x)\2' --with '${b | pad 9 .}\t$2'")
        .ok();
    let wanted = "\
(?<b>[Bb]erth)\\s+(\\d{1,2}?)|(?!x)\\2
  ───────────────────────────────────   one of these 2:
  ──────────────                          group 1, called b:
       ────                                 one of “B”, “b”
           ────                             the text “erth”
                ───                       a white-space character, once or more, as many as possible
                   ──────────             group 2:
                    ────────                a digit, 1 to 2 times, as few as possible
                              ─────       or only where this does not follow:
                                 ─          the text “x”
                                   ──     what group 2 matched, once more
  It runs on the backtracking engine, which may take many steps.

  ${b | pad 9 .}\\t$2
  ${1 | pad 9 .}   group 1, filled on the left to 9 characters, with .
  \\t               the text “→”
  ${2}             group 2
";
    assert_eq!(got.out, format!("  {wanted}"));
    let long = sandbox
        .run(&format!(
            "explain '{}(?i)[^a-z-]{{2}}.\\b\\p{{L}}?$'",
            "x".repeat(70)
        ))
        .ok();
    for words in [
        "from here on, letter case does not matter",
        "any character but “a” to “z”, “-”, 2 times",
        "any character but a line end",
        "a word boundary",
        "Unicode class \\p{L}, once or not at all",
        "the end of the line",
    ] {
        assert!(long.out.contains(words), "{words}: {}", long.out);
    }
    let table = sandbox.run("explain").ok().out;
    for sign in [
        "(?<=a)",
        "${@number}",
        "map TABLE [else TEXT]",
        "date FROM TO",
    ] {
        assert!(table.contains(sign), "{sign}");
    }
    assert_eq!(sandbox.run("explain 'a('").status, 2);
    assert_eq!(sandbox.run("explain a --with '$1'").status, 2);
}
