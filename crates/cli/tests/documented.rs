//! Sentences of the help and the reference that are easily broken, held against the program.

use crate::support::{self, Sandbox};
use std::ffi::OsStr;
use std::io::{BufRead, BufReader, Write};
use std::os::unix::ffi::OsStrExt;
use std::process::Stdio;
use std::time::Duration;

/// Applied to standard input: input, words, output.
type Filtered = (&'static [u8], &'static str, &'static [u8]);

fn filters(cases: &[Filtered]) {
    let sandbox = Sandbox::new();
    for (input, line, output) in cases {
        let got = sandbox.pipe(input, &format!("apply {line}"));
        assert_eq!(
            (got.status, got.raw.escape_ascii().to_string()),
            (0, output.escape_ascii().to_string()),
            "{line}: {}",
            got.err
        );
    }
}

/// Refused, whatever the files are: words, and the message.
fn refuses(sandbox: &Sandbox, cases: &[(&str, &[&str])]) {
    for (line, parts) in cases {
        let got = sandbox.run(line);
        assert_eq!(got.status, 2, "{line}: {got:#?}");
        for part in *parts {
            assert!(
                got.err.to_lowercase().contains(&part.to_lowercase()),
                "{line}: {part}\n{}",
                got.err
            );
        }
    }
}

#[test]
fn what_is_said_twice_happens_twice_or_is_refused() {
    filters(&[
        // The name of standard input tells the form, and is reported.
        (
            b"berth,ship\nberth 7,Marram\n",
            "'^berth (\\d+)$' --with '${@file}: B-$1' --columns berth --stdin-name moorings.csv",
            b"berth,ship\nmoorings.csv: B-7,Marram\n",
        ),
        (
            b"t\n0730\n",
            "'(\\d\\d)(\\d\\d)' --add-column hour '$1' --add-column min '$2' --format csv",
            b"t,hour,min\n0730,07,30\n",
        ),
        (
            b"a,b\n1,2\n",
            "1 --set b '$0' --set a '${@cell b}' --format csv",
            b"a,b\n2,1\n",
        ),
        (
            b"a,b\n1,2\n",
            "1 --set b x --add-column c '${@cell b}' --format csv",
            b"a,b,c\n1,x,2\n",
        ),
        (
            b"{\"a\":\"1\"}\n",
            "1 --add-column b '$0' --add-column c d --format jsonl",
            b"{\"a\":\"1\", \"b\": \"1\", \"c\": \"d\"}\n",
        ),
        (
            b"quay 1\nquay 2\n",
            "quay --with Q --expect 1.. --expect ..3 --ensure '\\d' --ensure '^Q'",
            b"Q 1\nQ 2\n",
        ),
        (
            b"quay 1\nquay 2\n",
            "quay --with Q --lines 1 --then Q --with K --lines 1",
            b"K 1\nquay 2\n",
        ),
    ]);
    let sandbox = Sandbox::with("a.csv", "a,b\n1,2\n");
    for (line, message) in [
        ("--expect 1 --expect 2", "2 changes were expected"),
        ("--ensure x --ensure 1", "would not match"),
        ("--ensure 1 --ensure x", "would not match"),
    ] {
        let got = sandbox.run(&format!("apply 1 --with x --columns a a.csv --yes {line}"));
        assert!(
            got.status == 1 && got.err.contains(message),
            "{line}: {got:#?}"
        );
        assert_eq!(sandbox.text("a.csv"), "a,b\n1,2\n");
    }
    // The values are those that are set.
    let set = "preview 1 --columns a,b --set b x a.csv --ensure";
    assert_eq!(sandbox.run(&format!("{set} '[1x]'")).status, 0);
    assert_eq!(sandbox.run(&format!("{set} '[12]'")).status, 1);
    refuses(
        &sandbox,
        &[
            (
                "preview 1 --with a --with b a.csv",
                &["`--with` is given twice"],
            ),
            (
                "preview 1 --columns a --columns=b --remove a.csv",
                &["`--columns` is given twice"],
            ),
            (
                "find 1 --lines 1 --lines 2 a.csv",
                &["`--lines` is given twice", "--then"],
            ),
            ("find 1 -i a.csv -i", &["`--ignore-case` is given twice"]),
            (
                "find 1 --pick 1 --pick 2 a.csv",
                &["`--pick` is given twice"],
            ),
            (
                "extract 1 --select a --select b a.csv",
                &["`--select` is given twice"],
            ),
            (
                "preview 1 --with a --then 2 --with b --with c a.csv",
                &["`--with` is given twice"],
            ),
            (
                "preview 1 --with a --show 1 --then 2 --with b --show 2 a.csv",
                &["`--show` is given twice"],
            ),
            (
                "preview --swap-chars a b --swap-chars c d a.csv",
                &["`--swap-chars` is given twice"],
            ),
            ("preview 1 --set a x --set 1 y a.csv", &["`1` is set twice"]),
            (
                "preview 1 --add-column c x --add-column c y a.csv",
                &["`c` is added twice"],
            ),
        ],
    );
}

/// Whatever is done with them, matches are changed, unchanged or failed; `find` counts the same.
#[test]
fn matches_are_accounted_for() {
    let sandbox = Sandbox::with("a.csv", "a,b\nquay 1,2\nquay x,quay\n,q\n7 quay 8,\n");
    let columns = "--columns a,b";
    for (pattern, action, place) in [
        ("quay", "--with Q", ""),
        ("quay|Q", "--with quay", "--pick first"),
        ("\\S", "--with '${0 | add 1}' --skip-problems", "--limit 5"),
        ("quay", "--remove", "--lines 2..3"),
        ("quay", "--drop-lines", ""),
        ("quay", "--keep-lines", "--where x"),
        ("quay", "--above x", "--pick 2.."),
        ("quay", "--lead x", "--unit paragraph"),
        ("quay", "--trail ''", ""),
        ("quay", "--add-column c '$0'", columns),
        ("\\w", "--add-column c '${0 | add 1}'", columns),
        ("\\w", "--set b '$0' --add-column c '$0'", columns),
        ("quay", "--set b quay", columns),
        ("q", "--with ','", "--columns b --quote none"),
        ("[a-y]+", "--swap-chars a-y b-z", "--pick last"),
        ("[ae]+", "--remove-chars ae", "--pick 1"),
    ] {
        let chars = action.contains("-chars");
        let words = format!("{action} {place} a.csv --json");
        let preview = match chars {
            true => format!("preview {words}"),
            false => format!("preview '{pattern}' {words}"),
        };
        let got = sandbox.run(&preview);
        let totals = &got.of_kind("totals")[0];
        let step = &totals["per_step"][0];
        for counts in [totals, step] {
            let count = |name: &str| counts[name].as_u64().unwrap();
            let sum = count("changed") + count("unchanged") + count("failed");
            assert_eq!(count("matches"), sum, "{preview}: {counts}");
        }
        let found = sandbox.run(&format!("find '{pattern}' {place} a.csv --json"));
        let found = &found.of_kind("totals")[0];
        for name in ["matches", "left_out"] {
            assert_eq!(totals[name], found[name], "{preview}: {name}");
        }
    }
}

#[test]
fn rows_that_are_not_as_the_first() {
    let sandbox = Sandbox::new();
    sandbox.write("ragged.csv", "a,b\n1\n1,2\n1,2,3\n");
    let line = "apply 1 --columns a --add-column c x --ragged ragged.csv --yes";
    let got = sandbox.run(line);
    assert!(
        got.status == 3 && got.err.contains("ragged.csv, line 4"),
        "{got:#?}"
    );
    assert!(got.err.contains("3 cells and the first row 2"), "{got:#?}");
    sandbox.run(&format!("{line} --skip-problems")).ok();
    assert_eq!(sandbox.text("ragged.csv"), "a,b,c\n1,,x\n1,2,x\n1,2,3\n");
    for (name, bad, line) in [
        ("a.jsonl", "{\"a\":\n{\"a\":\"1\"}\n", "--columns a"),
        ("h.csv", "\"a\"b,c\n1,2\n", "--columns 1"),
        ("n.csv", "\"a\"b,c\n1,2\n", "--columns 1 --no-header"),
    ] {
        sandbox.write(name, bad);
        let line = format!("apply 1 --with x {line} {name} --yes");
        assert_eq!(sandbox.run(&line).status, 3, "{line}");
        assert_eq!(sandbox.text(name), bad);
        sandbox.run(&format!("{line} --skip-problems"));
        assert_eq!(sandbox.text(name), bad.replace('1', "x"), "{line}");
    }
}

/// Words, and the bytes that come out.
type Printed = (&'static str, &'static [u8]);

fn prints(sandbox: &Sandbox, cases: &[Printed]) {
    for (line, wanted) in cases {
        let got = sandbox.run(line);
        let (out, wanted) = (got.raw.escape_ascii(), wanted.escape_ascii());
        assert_eq!(out.to_string(), wanted.to_string(), "{line}: {}", got.err);
    }
}

#[test]
fn what_is_extracted() {
    let sandbox = Sandbox::with("ragged.csv", "a,b\n1,2,3\n4\n");
    sandbox.write("twice.csv", "a,a\n1,2\n");
    sandbox.write("stray.csv", b"v,v_b64\n\xFF,2\n");
    sandbox.write("text.txt", "1,2\n");
    sandbox.write("sub/a.csv", "a,b\n1,2\n");
    prints(
        &sandbox,
        &[
            (
                "extract '' --beside --ragged ragged.csv",
                b"a,b,3,whole_match\n1,2,3,\n4,,,\n",
            ),
            (
                "extract 1 --beside --as jsonl twice.csv",
                b"{\"a\":\"1\",\"a_2\":\"2\",\"whole_match\":\"1\"}\n",
            ),
            (
                "extract '(?<v>1)' --select v,v,a --as jsonl sub/a.csv",
                b"{\"v\":\"1\",\"v_2\":\"1\",\"a\":\"1\"}\n",
            ),
            (
                "extract '' --select v,v_b64 --as jsonl stray.csv",
                b"{\"v\":\"\xEF\xBF\xBD\",\"v_b64_\":\"/w==\",\"v_b64\":\"2\"}\n",
            ),
            (
                "extract '(?<file>1)' --beside sub/a.csv",
                b"a,b,file\n1,2,1\n",
            ),
            (
                "extract '(?<a>1)' --columns a sub/a.csv",
                b"file,record,a\nsub/a.csv,1,1\n",
            ),
            ("extract '(?<n>1)' --beside sub", b"a,b,n\n1,2,1\n"),
            (
                "extract '(?<n>1)' --beside --unit line sub/a.csv text.txt",
                b"text,n\n\"a,b\",\n\"1,2\",1\n\"1,2\",1\n",
            ),
        ],
    );
    refuses(
        &sandbox,
        &[(
            "extract 1 --beside sub/a.csv text.txt",
            &["sub/a.csv has columns and text.txt has none", "--unit line"],
        )],
    );
}

#[test]
fn lines_as_they_are() {
    let sandbox = Sandbox::with("a.txt", "a\r\nb\r\n\r\nc");
    sandbox.write("b.txt", "x a");
    sandbox.write("c.txt", "x a");
    prints(
        &sandbox,
        &[
            ("find 'a|c' --bare a.txt", b"a\r\nc"),
            ("find b --bare a.txt", b"b\r\n"),
            ("find c --bare --unit paragraph a.txt", b"c"),
            ("find a --bare --unit text a.txt", b"a\r\nb\r\n\r\nc"),
            ("find 'a|c' --bare .", b"a\r\nc\nx a\nx a"),
        ],
    );
}

/// Lines of standard input come out as they come in, where nothing that follows can speak against
/// them; else nothing comes out before all is known.
#[test]
fn lines_pass_on() {
    let sandbox = Sandbox::with("t.csv", "7,x\n");
    for line in [
        "quay --with Q",
        "quay --with '${0 | upper | default x}' --lines 2.. --limit 9",
        "quay --with '${0 | map t.csv}' --skip-problems",
        "quay --below x --between q zzz",
        "x --set 1 Q --format csv --skip-problems",
    ] {
        let mut command = sandbox.command();
        command.arg("apply").args(support::words(line));
        command
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null());
        let mut child = command.spawn().unwrap();
        let (mut input, output) = (child.stdin.take().unwrap(), child.stdout.take().unwrap());
        let (send, come) = std::sync::mpsc::channel();
        let reader = std::thread::spawn(move || {
            for line in BufReader::new(output).lines() {
                send.send(line.unwrap()).unwrap();
            }
        });
        for number in 0..3 {
            writeln!(input, "quay {number}").unwrap();
            // The input stays open, so what is held back never comes.
            let came = come.recv_timeout(Duration::from_secs(30));
            assert!(came.is_ok(), "{line}: line {number} is held back");
        }
        drop(input);
        reader.join().unwrap();
        assert!(
            child.wait().unwrap().code().is_some_and(|code| code < 2),
            "{line}"
        );
    }
    for (line, status) in [
        ("quay --with Q --expect 3", 1),
        ("quay --with Q --ensure quay", 1),
        ("'\\d' --with '${0 | map t.csv}'", 3),
        ("quay --with '日' --encoding latin1", 3),
    ] {
        let got = sandbox.pipe("quay 7\nquay 8\n", &format!("apply {line}"));
        assert_eq!((got.status, &*got.out), (status, ""), "{line}: {}", got.err);
    }
}

#[test]
fn a_quote_is_no_delimiter() {
    let sandbox = Sandbox::with("a.csv", "a,b\n1,2\n");
    let same: &[&str] = &["the quote and the delimiter are the same"];
    refuses(
        &sandbox,
        &[
            (
                "preview 1 --with 2 --columns a a.csv --delimiter '\"'",
                same,
            ),
            ("preview 1 --with 2 --columns a a.csv --quote ,", same),
            (
                "preview 1 --with 2 --columns a a.csv --quote ';' --delimiter ';'",
                same,
            ),
        ],
    );
    sandbox
        .run("preview 1 --with 2 --columns a,b a.csv --quote none --delimiter ,")
        .ok();
}

#[test]
fn mistakes_show_at_their_place() {
    let sandbox = Sandbox::with("a.txt", "quay 7\n");
    sandbox.write("s.csv", "berth;name\n1;2\n");
    sandbox.write("c.csv", "berth,name\n1,2\n");
    let under = |from: usize, signs: usize| {
        let character = format!(", character {}   ", from + 1);
        [character, format!(" {}\n", "‾".repeat(signs))]
    };
    let cases = [
        (
            "find 'a[z-a]' a.txt",
            "this range runs backwards",
            under(2, 3),
            "write `a-z`",
        ),
        (
            "find '(?q)a' a.txt",
            "`q` is not a flag",
            under(2, 1),
            "the flags are i, m, s",
        ),
        (
            "find '(a)\\3(?=b)' a.txt",
            "the pattern has no group 3",
            under(3, 2),
            "there is one group",
        ),
        (
            "find '\\k<n>(?=b)' a.txt",
            "the pattern has no group n",
            under(0, 5),
            "put parentheses",
        ),
        (
            "find 'a(?R)' a.txt",
            "patterns that call themselves",
            under(3, 1),
            "write out as many levels",
        ),
        (
            "find 'a++' a.txt",
            "possessive repeats, and repeats of repeats, are not",
            under(2, 1),
            "parentheses",
        ),
        (
            "find 'a**' a.txt",
            "repeats of repeats, are not available",
            under(2, 1),
            "parentheses",
        ),
        (
            "find '(?:a{2}){3}{4}' a.txt",
            "repeats of repeats",
            under(11, 3),
            "parentheses",
        ),
        (
            "find '(?<a+>b)(?=c)' a.txt",
            "a name is made of letters",
            under(4, 1),
            "another name",
        ),
        (
            "find '\\p{Greeek}' a.txt",
            "there is no such Unicode class",
            under(0, 10),
            "\\p{Greek}",
        ),
        (
            "find '\\xZZ' a.txt",
            "hexadecimal digits",
            under(2, 1),
            "\\x2D",
        ),
        (
            "find a --lines 'all by 2' a.txt",
            "`by` is not understood here",
            under(4, 2),
            "1.. by 2",
        ),
        (
            "find a --lines last..first a.txt",
            "this range runs backwards",
            under(0, 11),
            "write `first..last`",
        ),
        (
            "preview a --with '${0 | uper}' a.txt",
            "there is no filter `uper`",
            under(6, 4),
            "did you mean `upper`?",
        ),
        (
            "preview a --with '${0 | swap a $0}' a.txt",
            "`swap` takes plain text",
            under(6, 9),
            "between quotes",
        ),
        (
            "preview a --with '${0 | default $4}' a.txt",
            "the pattern has no group 4",
            under(6, 10),
            "parentheses",
        ),
    ];
    for (line, message, place, remedy) in cases {
        let got = sandbox.run(line);
        assert_eq!(got.status, 2, "{line}: {got:?}");
        for part in [message, &place[0], &place[1], remedy] {
            assert!(
                got.err.to_lowercase().contains(&part.to_lowercase()),
                "{line}: {part:?}\n{}",
                got.err
            );
        }
    }
    // What is wrong is said before a terminal is asked for.
    refuses(
        &sandbox,
        &[
            ("review '(' --with x a.txt", &["never closed"]),
            ("review a --with x a.txt", &["no terminal"]),
            ("apply a --with x --expect z a.txt", &["--expect"]),
            (
                "preview 1 --with x --columns bert c.csv",
                &["no column `bert`: did you mean `berth`?"],
            ),
            (
                "preview 1 --with x --columns name s.csv",
                &["with `--delimiter ';'` there are 2 columns"],
            ),
            (
                "preview 1 --with x --columns 2 s.csv",
                &["with `--delimiter ';'` there are 2 columns"],
            ),
            (
                "find a --include '[' a.txt",
                &["this bracket is never closed"],
            ),
        ],
    );
    for (line, status, message) in [
        ("undo 77", 1, "there is no run 77"),
        ("history --forget 77", 1, "there is no run 77"),
        ("find quay nowhere.txt", 3, "nowhere.txt"),
        (
            "preview quay --with Q nowhere.txt nothing",
            3,
            "nothing; there is no such",
        ),
        ("apply --plan nowhere.plan", 3, "nowhere.plan"),
    ] {
        let got = sandbox.run(line);
        assert_eq!((got.status, &*got.out), (status, ""), "{line}: {}", got.err);
        assert!(got.err.contains(message), "{line}: {}", got.err);
    }
}

#[test]
fn files_left_out_are_told() {
    let sandbox = Sandbox::with("a.md", "quay\n");
    sandbox.write(".gitignore", "*.log\nbuild\n");
    for name in ["a.log", "build/b.log", "build/c.md", ".d.md", ".git/e.md"] {
        sandbox.write(name, "pier\n");
    }
    let got = sandbox.run("find pier");
    assert_eq!(got.status, 1);
    let told = "3 files left out, ignored by version control; see also `--ignored`";
    assert!(got.err.contains(told), "{}", got.err);
    assert!(
        got.err
            .contains("2 files left out, hidden; see also `--hidden`"),
        "{}",
        got.err
    );
    let got = sandbox.run("preview pier --with x --include '*.log'");
    assert!(
        got.err.contains("2 files left out, ignored") && !got.err.contains("hidden"),
        "{}",
        got.err
    );
    let got = sandbox.run("find pier --ignored --count").ok();
    assert!(
        got.out.contains("3  in all") && got.err.is_empty(),
        "{got:?}"
    );
    sandbox.write("b.md", "quay\n");
    assert_eq!(sandbox.run("find quay").ok().err, "");
}

#[test]
fn kept_examples_work() {
    let sandbox = Sandbox::with(
        "a.jsonl",
        "{\"berth\":\"B-1\"}\n{\"berth\":\"B-2\"}\n{\"berth\":\"Bx\"}\n",
    );
    sandbox.write("a.tsv", "n\tberth\n1\tB-1\n2\tB-22\n3\tB-3\n");
    for (file, line) in [
        (
            "j.toml",
            "'B-?(\\w)' --with 'Berth $1' --columns berth a.jsonl",
        ),
        ("t.toml", "'B-' --with 'Berth ' --columns berth a.tsv"),
        ("l.toml", "'B-\\d+' --set 1 x --format tsv a.tsv"),
    ] {
        sandbox
            .run(&format!("preview {line} --save-rewrite {file}"))
            .ok();
        let kept = sandbox.text(file);
        // One of each shape, and no more.
        let examples = kept.matches("before = ").count();
        assert_eq!(examples, if file == "l.toml" { 1 } else { 2 }, "{kept}");
        let got = sandbox.run(&format!("test {file}")).ok();
        assert!(
            got.out.contains(&format!("{examples} example")),
            "{}",
            got.out
        );
    }
}

#[test]
fn what_history_says() {
    let sandbox = Sandbox::with("a.txt", "quay\n");
    sandbox.write("b.txt", "quay\n");
    let states = || {
        let rows = sandbox.run("history --json").ok().records();
        let states = rows
            .iter()
            .map(|row| row["state"].as_str().unwrap().to_owned());
        states.collect::<Vec<_>>()
    };
    sandbox.run("apply quay --with Q a.txt b.txt --yes").ok();
    // The number behind a path is the run.
    sandbox.run("undo --yes --only a.txt 1").ok();
    assert_eq!(states(), ["reverted in part", "done"]);
    assert_eq!(
        (&*sandbox.text("a.txt"), &*sandbox.text("b.txt")),
        ("quay\n", "Q\n")
    );
    sandbox.run("undo 1 --yes --only b.txt").ok();
    assert_eq!(states(), ["reverted", "done", "done"]);
    sandbox.run("undo 3 --yes").ok();
    assert_eq!(states(), ["reverted in part", "done", "reverted", "done"]);
    // A run that is refused is none.
    assert_eq!(
        sandbox
            .run("apply quay --with Q a.txt --yes --expect 9")
            .status,
        1
    );
    assert_eq!(states().len(), 4);
}

#[test]
fn stray_bytes_survive_or_are_problems() {
    let sandbox = Sandbox::with("s.csv", b"a,b\nx,\xFFy \n");
    let odd = OsStr::from_bytes(b"odd\xFF.txt");
    std::fs::write(sandbox.path().join(odd), "quay\n").unwrap();
    let apply = |args: &[&str], file: &OsStr| {
        let mut command = sandbox.command();
        command
            .arg("apply")
            .args(args)
            .arg(file)
            .args(["--to", "-"]);
        support::finish(command.stdin(Stdio::null()))
    };
    let of_cell = |with| {
        apply(
            &["x", "--with", with, "--columns", "a"],
            OsStr::new("s.csv"),
        )
    };
    assert_eq!(of_cell("${@cell b}").raw, b"a,b\n\xFFy ,\xFFy \n");
    let of_file = |with| apply(&["quay", "--with", with], odd);
    assert_eq!(of_file("${@file} ${@stem}").raw, b"odd\xFF.txt odd\xFF\n");
    for got in [
        of_cell("${@cell b | trim}"),
        of_file("${@file | upper}"),
        of_file("${@stem | pad 9}"),
    ] {
        assert_eq!((got.status, &*got.raw), (3, &b""[..]));
        assert!(
            got.err.contains("holds bytes that are not UTF-8"),
            "{}",
            got.err
        );
    }
    filters(&[
        (
            b"\xFFquay quay\x96 quays\n",
            "quay --whole-word --with Q",
            b"\xFFQ Q\x96 quays\n",
        ),
        (
            b"a\x96b \x93a\x94\n",
            "'\\ba\\b' --with Q",
            b"Q\x96b \x93Q\x94\n",
        ),
        // A line end at the end of a value is text like any other.
        (
            b"a\n\"x\n\"\n",
            "'\\z' --with ! --columns a --format csv",
            b"a\n\"x\n!\"\n",
        ),
        (b"a\r\nb\r\n", "'a\\r?\\nb' --unit text --with c", b"c\r\n"),
    ]);
}

#[test]
fn what_a_table_and_a_number_may_mean() {
    let sandbox = Sandbox::with("a.txt", "L4 L9 L4\nL9\n");
    sandbox.write("t.csv", "L4,Quay\nL4,Quay\n");
    sandbox.write("two.csv", "L4,Quay\nL4,Pier\n");
    sandbox.write("crlf.txt", "a\r\nb\r\n1,000\r\n");
    // One unknown word leaves the other matches of its line alone, and is counted.
    let got = sandbox.run("preview 'L\\d' --with '${0 | map t.csv}' a.txt --json --skip-problems");
    let totals = &got.of_kind("totals")[0];
    assert_eq!(
        (&totals["changed"], &totals["failed"], &totals["problems"]),
        (&2.into(), &2.into(), &2.into())
    );
    sandbox
        .run("apply 'L\\d' --with '${0 | map t.csv}' a.txt --yes --skip-problems")
        .ok();
    assert_eq!(sandbox.text("a.txt"), "Quay L9 Quay\nL9\n");
    sandbox
        .run("apply 'L\\d' --with '${0 | map t.csv else $0}!' a.txt --yes")
        .ok();
    assert_eq!(sandbox.text("a.txt"), "Quay L9! Quay\nL9!\n");
    refuses(
        &sandbox,
        &[(
            "preview 'L\\d' --with '${0 | map two.csv}' a.txt",
            &["line 2 has `Pier` for `L4`, and a line before has `Quay`"],
        )],
    );
    for (line, note) in [
        (
            "find 'a\\nb' --unit text crlf.txt",
            "line 1: lines end in CR LF",
        ),
        (
            "preview 'a\\n' --unit paragraph --with x crlf.txt",
            "`\\r?\\n` matches both",
        ),
        (
            "preview '\\d,\\d+' --with '${0 | add 1}' crlf.txt",
            "line 3: 1 number, the first one here, with a comma",
        ),
    ] {
        let got = sandbox.run(line);
        assert!(got.out.contains(note), "{line}: {}", got.out);
    }
    let got = sandbox.run("find 'a\\r?\\nb' --unit text crlf.txt").ok();
    assert!(!got.out.contains("note"), "{}", got.out);
    let words = sandbox
        .run("explain a --with '${0 | swap x A | pad 3 N | if A else $0}'")
        .ok()
        .out;
    let said = "with every x replaced by A, filled on the left to 3 characters, with N, A where the group took part, \
                else the whole match";
    assert!(words.contains(said), "{words}");
}

/// A review needs its plan: where that cannot be kept, it says so.
#[test]
fn a_review_without_room_for_its_plan() {
    let sandbox = Sandbox::with("a.txt", "quay\n");
    let mut command = sandbox.command();
    command
        .env("XDG_STATE_HOME", sandbox.file("a.txt"))
        .stdin(Stdio::null());
    let got = support::finish(
        command.args(["review", "quay", "--with", "Q", "a.txt", "--accept", "rest"]),
    );
    assert_eq!(got.status, 3);
    assert!(
        got.err.contains("the plan cannot be kept") && got.err.contains("XDG_STATE_HOME"),
        "{}",
        got.err
    );
}
