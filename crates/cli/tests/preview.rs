//! `preview`: what is shown equals what is written.

use crate::support::{Got, Sandbox};
use serde_json::Value;
use std::collections::BTreeMap;
use std::process::{Command, Stdio};

/// New contents of every changed file, spliced from the records alone.
fn spliced(sandbox: &Sandbox, got: &Got) -> BTreeMap<String, Vec<u8>> {
    let mut files: BTreeMap<String, (Vec<u8>, usize)> = BTreeMap::new();
    for change in got.of_kind("change") {
        let path = change["path"].as_str().unwrap().to_owned();
        let old = sandbox.read(&path);
        let (from, to) = (offset(&change["from"]), offset(&change["to"]));
        assert_eq!(
            String::from_utf8_lossy(&old[from..to]),
            *change["before"].as_str().unwrap()
        );
        let (new, at) = files.entry(path).or_default();
        new.extend_from_slice(&old[*at..from]);
        new.extend_from_slice(change["after"].as_str().unwrap().as_bytes());
        *at = to;
    }
    let finish = |(path, (mut new, at)): (String, (Vec<u8>, usize))| {
        new.extend_from_slice(&sandbox.read(&path)[at..]);
        (path, new)
    };
    files.into_iter().map(finish).collect()
}

fn offset(value: &Value) -> usize {
    value.as_u64().unwrap() as usize
}

const REQUESTS: &[&str] = &[
    r"'berth[\s#-]*(?:no\. )?(?<number>\d+)' -i --with 'B-${number}' notices",
    r"'(\d\d)(\d\d) hours' --with '$1:$2' notices gauge.log --then '  +' --with ' ' --then ' $' --remove",
    r"'\d+' --with '<$0>' --pick last --lines '2..last-1 by 2' pilots.txt notices/15-anchorage.md",
    "$ --with '\\n--' notices --limit 40",
];

#[test]
fn records_say_what_apply_writes() {
    for request in REQUESTS {
        let sandbox = Sandbox::larkmoor();
        let got = sandbox.run(&format!("preview {request} --json")).ok();
        let kinds: Vec<Value> = got.records().iter().map(|r| r["record"].clone()).collect();
        assert_eq!(
            (&kinds[0], &kinds[kinds.len() - 1]),
            (&"plan".into(), &"totals".into())
        );
        let wanted = spliced(&sandbox, &got);
        let totals = &got.of_kind("totals")[0];
        assert_eq!(totals["changes"], got.of_kind("change").len());
        assert_eq!(totals["files_changed"], wanted.len());
        for unit in got.of_kind("unit") {
            assert_ne!(unit["was"], unit["now"]);
        }
        let before = sandbox.snapshot();
        let applied = sandbox.run(&format!("apply {request} --yes")).ok();
        assert_eq!(totals["changes"], applied.count("changes").unwrap());
        for ((name, old), (_, new)) in before.iter().zip(sandbox.snapshot()) {
            let name = name.to_str().unwrap();
            assert_eq!(&new, wanted.get(name).unwrap_or(old), "{request}: {name}");
        }
    }
}

#[test]
fn records_hold_what_the_reference_page_says() {
    let sandbox = Sandbox::with("a.txt", "Berth 7 berth x\r\n");
    let got = sandbox
        .run(r"preview 'berth (?<n>\d+)?' -i --with 'B$n' --json --no-hints a.txt")
        .ok();
    let hash = blake3_of(b"Berth 7 berth x\r\n");
    let wanted = format!(
        r#"{{"record":"plan","format":1,"rewrite":{{"step":[{{"match":"berth (?<n>\\d+)?","ignore-case":true,"with":"B$n"}}]}},"reach":[{{"reach":"line"}}]}}
{{"record":"file","path":"a.txt","bytes":17,"hash":"{hash}","encoding":"UTF-8","newline":"crlf"}}
{{"record":"unit","path":"a.txt","line":1,"cell":null,"was":"Berth 7 berth x","now":"B7 Bx"}}
{{"record":"change","id":"1.1","path":"a.txt","line":1,"cell":null,"from":0,"to":7,"before":"Berth 7","after":"B7","steps":[1],"groups":[{{"number":1,"name":"n","text":"7"}}],"decision":"open"}}
{{"record":"change","id":"1.2","path":"a.txt","line":1,"cell":null,"from":8,"to":14,"before":"berth ","after":"B","steps":[1],"groups":[{{"number":1,"name":"n","text":null}}],"decision":"open"}}
{{"record":"totals","files":1,"files_changed":1,"files_skipped":0,"matches":2,"changed":2,"unchanged":0,"failed":0,"left_out":{{"pick":0,"limit":0,"scope":0}},"changes":2,"lines_added":0,"lines_removed":0,"problems":0,"per_step":[{{"step":1,"matches":2,"changed":2,"unchanged":0,"failed":0,"left_out":{{"pick":0,"limit":0,"scope":0}}}}]}}
"#
    );
    assert_eq!(got.out, wanted);
}

fn blake3_of(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex().to_string()
}

#[test]
fn bytes_that_are_not_utf8_travel_in_base64() {
    use std::os::unix::ffi::OsStrExt;
    let sandbox = Sandbox::new();
    let name = std::ffi::OsStr::from_bytes(b"a\xFF.txt");
    std::fs::write(sandbox.path().join(name), "quay\n").unwrap();
    let got = sandbox.run("preview quay --with Q --json").ok();
    assert_eq!(got.of_kind("change")[0]["path_b64"], "Yf8udHh0");
}

#[test]
fn the_text_for_people() {
    let sandbox = Sandbox::new();
    sandbox.write("a.txt", "one\nquay 7, quay 12\nthree\nfour\nfive\n");
    sandbox.write("b.txt", "quay\t1\n");
    sandbox.write("c.bin", b"quay\0");
    let got = sandbox
        .run(r"preview quay --with Q --context 1 --pick 1 --show 1 --no-hints")
        .ok();
    let wanted = "\
In 3 files: the first match of `quay` becomes `Q`, in each line.

a.txt
   1       one
   2  was  ‹quay› 7, quay 12
      now  ‹Q› 7, quay 12
   3       three

1 more change not shown; add `--show all`.

  files read     2
  files skipped  1   1 binary
  changes        2
  left out       1   1 by pick
";
    assert_eq!(got.out, wanted);
    // An option of the program may stand before the verb, and the steps still behind it.
    for words in [
        "preview quay --with Q --color always b.txt",
        "--color always preview quay --with Q b.txt --then Q --with P",
    ] {
        let colored = sandbox.run(words).ok();
        assert!(
            colored.out.contains("\u{1b}[") && !colored.out.contains('‹'),
            "{}",
            colored.out
        );
    }
}

#[test]
fn control_characters_never_reach_the_reader() {
    let sandbox = Sandbox::with("a\u{1b}[2J.txt", "quay \u{1b}[31m\u{7}\u{202e}\n");
    let long = sandbox.run("preview quay --with '\\u{1b}]0;x' ");
    let again = sandbox.run("find 'quay .*'");
    let wrong = sandbox.run("find 'a(\u{1b}[31m'");
    for text in [&long.out, &again.out, &wrong.err] {
        assert!(!text.contains(['\u{1b}', '\u{7}', '\u{202e}']), "{text:?}");
        assert!(text.contains("‹ESC›"), "{text:?}");
    }
}

#[test]
fn a_diff_is_accepted_by_patch() {
    if Command::new("patch")
        .arg("--version")
        .stdout(Stdio::null())
        .status()
        .is_err()
    {
        eprintln!("skipped: there is no `patch` on this machine");
        return;
    }
    for request in REQUESTS {
        let (one, two) = (Sandbox::larkmoor(), Sandbox::larkmoor());
        let names = [
            "old name.txt",
            " at an end.txt",
            "at an end ",
            "a\tb \"c\".txt",
        ];
        for name in names {
            one.write(name, "berth 1\n0100 hours  x 7\n");
            two.write(name, "berth 1\n0100 hours  x 7\n");
        }
        let request = format!("{request} '{}'", names.join("' '"));
        let diff = one.run(&format!("preview {request} --diff")).ok();
        one.write("../changes.diff", &diff.raw);
        let mut patch = Command::new("patch");
        patch
            .args(["-p0", "--binary", "-s", "-i"])
            .arg(one.file("../changes.diff"));
        let done = patch.current_dir(one.path()).output().unwrap();
        std::fs::remove_file(one.file("../changes.diff")).unwrap();
        assert!(done.status.success(), "{request}: {done:?}");
        two.run(&format!("apply {request} --yes")).ok();
        assert_eq!(one.snapshot(), two.snapshot(), "{request}");
    }
}

#[test]
fn nothing_is_written_and_the_order_is_that_of_paths() {
    let sandbox = Sandbox::larkmoor();
    let before = sandbox.snapshot();
    let one = sandbox
        .run("preview berth --with B --json notices gauge.log pilots.txt")
        .ok();
    let two = sandbox
        .run("preview berth --with B --json pilots.txt gauge.log notices")
        .ok();
    assert_eq!(one.out, two.out);
    assert_eq!(sandbox.snapshot(), before);
    let paths: Vec<String> = one
        .of_kind("file")
        .iter()
        .map(|f| f["path"].to_string())
        .collect();
    assert!(paths.is_sorted() && paths.len() > 10, "{paths:?}");
}

/// Lines that go have no match, and the matches in those that stay are not called unchanged text.
#[test]
fn counts_of_other_lines() {
    let sandbox = Sandbox::with("a.txt", "quay 1\npier\nquay 2\n");
    let got = sandbox.run("preview quay --keep-lines a.txt").ok();
    assert_eq!(got.count("changes"), Some(1), "{got:?}");
    assert!(got.out.contains("matches in lines that stay"), "{got:?}");
    assert!(!got.out.contains("made of"), "{got:?}");
}

#[test]
fn hints_and_expectations() {
    let sandbox = Sandbox::with("a.txt", "quay 7\n");
    let got = sandbox.run(r"preview '(\d)' --with '$10' a.txt").ok();
    assert!(
        got.out
            .contains("hint group-then-digit: `$10` is group 1 followed by the text `0`"),
        "{}",
        got.out
    );
    let unmet = sandbox.run("preview quay --with Q a.txt --expect 2..");
    assert_eq!(unmet.status, 1);
    assert!(
        unmet
            .err
            .contains("2.. changes were expected, and there are 1"),
        "{}",
        unmet.err
    );
}
