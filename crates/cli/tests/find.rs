//! `find`: matches, places, groups, and which files are looked at.

use crate::support::Sandbox;

/// Of a long unit, the lines with a match and their neighbours are shown.
#[test]
fn long_units_are_cut() {
    let lines = |n: usize| (1..=n).map(|i| format!("line {i}\n")).collect::<String>();
    let got = Sandbox::with("a.txt", lines(40))
        .run("find 'line (?:20|21|40)\\b' --unit text a.txt")
        .ok();
    let shown: Vec<&str> = got
        .out
        .lines()
        .skip(3)
        .take_while(|line| !line.is_empty())
        .collect();
    let wanted = [
        "   …",
        "  19  line 19",
        "  20  ‹line 20›",
        "  21  ‹line 21›",
        "  22  line 22",
        "   …",
        "  39  line 39",
        "  40  ‹line 40›",
    ];
    assert_eq!(shown[..wanted.len()], wanted, "{}", got.out);
    // A short one is shown as a whole.
    let got = Sandbox::with("a.txt", lines(9))
        .run("find 'line 9' --unit text a.txt")
        .ok();
    assert!(got.out.contains("   1  line 1\n"), "{}", got.out);
}

#[test]
fn matches_with_their_groups() {
    let sandbox = Sandbox::with("a.txt", "Berth 7 and berth\nnothing\nberth 12\n");
    let got = sandbox.run(r"find 'berth ?(?<n>\d)?(\d)?' -i a.txt").ok();
    let wanted = "\
In a.txt: every match of `berth ?(?<n>\\d)?(\\d)?`, ignoring case, in every line.

a.txt
   1  ‹Berth 7› and ‹berth›
      1. $1 n ‹7›  $2 (took no part)
      2. $1 n (took no part)  $2 (took no part)
   3  ‹berth 12›
      $1 n ‹1›  $2 ‹2›

  files read     1
  matches        3
";
    assert_eq!(got.out, wanted);
    let json = sandbox
        .run(r"find 'berth ?(?<n>\d)?' -i a.txt --json --pick last")
        .ok();
    let first = &json.records()[0];
    assert_eq!(first["from"], 12);
    assert_eq!(
        (&first["to"], &first["line"], &first["text"]),
        (&17.into(), &1.into(), &"berth".into())
    );
    assert_eq!(first["groups"][0]["text"], serde_json::Value::Null);
    assert_eq!(json.of_kind("totals")[0]["left_out"]["pick"], 1);
}

#[test]
fn offsets_cut_the_match_out_of_the_file() {
    let sandbox = Sandbox::larkmoor();
    sandbox.write(
        "marked.txt",
        b"\xEF\xBB\xBFberth 7\r\n\xFFberth 8".as_slice(),
    );
    let got = sandbox
        .run(r"find 'berth\s+\d+|é|x*' -i notices marked.txt --json")
        .ok();
    let matches = got.of_kind("match");
    assert!(matches.len() > 1000);
    for found in matches {
        let bytes = sandbox.read(found["path"].as_str().unwrap());
        let (from, to) = (
            found["from"].as_u64().unwrap(),
            found["to"].as_u64().unwrap(),
        );
        let cut = &bytes[from as usize..to as usize];
        assert_eq!(
            String::from_utf8_lossy(cut),
            found["text"].as_str().unwrap()
        );
        let line = bytes[..from as usize]
            .iter()
            .filter(|b| **b == b'\n')
            .count()
            + 1;
        assert_eq!(found["line"], line);
    }
}

/// Which files are looked at: words, names found.
#[test]
fn walking() {
    let sandbox = Sandbox::new();
    for name in [
        "a.md",
        "b.txt",
        "deep/c.md",
        "deep/old/d.md",
        ".hid/e.md",
        "kept/f.log",
    ] {
        sandbox.write(name, "quay\n");
    }
    sandbox.write(".gitignore", "*.log\n");
    for (words, wanted) in [
        ("", "a.md b.txt deep/c.md deep/old/d.md"),
        ("--include *.md", "a.md deep/c.md deep/old/d.md"),
        ("--include deep/*.md", "deep/c.md"),
        ("--include deep/**", "deep/c.md deep/old/d.md"),
        ("--include *.md --exclude old", "a.md deep/c.md"),
        ("--exclude old/ --exclude *.txt", "a.md deep/c.md"),
        (
            "--hidden --include *.md",
            ".hid/e.md a.md deep/c.md deep/old/d.md",
        ),
        ("deep a.md a.md deep/c.md", "a.md deep/c.md deep/old/d.md"),
        ("kept/f.log", "kept/f.log"),
        ("./deep", "./deep/c.md ./deep/old/d.md"),
    ] {
        let got = sandbox.run(&format!("find quay {words} --json")).ok();
        let names: Vec<String> = got
            .of_kind("match")
            .iter()
            .map(|m| m["path"].as_str().unwrap().into())
            .collect();
        assert_eq!(names.join(" "), wanted, "{words}");
    }
    assert_eq!(sandbox.run("find quay --include '[' .").status, 2);
}

#[test]
fn input_through_a_pipe() {
    let sandbox = Sandbox::with("a.txt", "quay\n");
    for (words, found) in [
        ("quay", 2),
        ("quay -", 2),
        ("quay a.txt", 1),
        ("quay - a.txt", 3),
    ] {
        let got = sandbox
            .pipe("quay quay", &format!("find {words} --json"))
            .ok();
        assert_eq!(got.of_kind("match").len(), found, "{words}");
    }
}

#[test]
fn empty_matches_and_stray_bytes() {
    let sandbox = Sandbox::with("a.txt", b"\xC3\xA9x\xFF\n");
    let got = sandbox.run("find x* a.txt").ok();
    assert!(got.out.contains("‹›é‹x›‹FF›‹›"), "{}", got.out);
}

#[test]
fn context_and_show() {
    let lines: String = (1..=9).map(|n| format!("line {n}\n")).collect();
    let sandbox = Sandbox::with("a.txt", lines);
    let got = sandbox.run("find '[258]' a.txt --context 1 --show 2").ok();
    let body: Vec<&str> = got
        .out
        .lines()
        .skip(3)
        .take_while(|l| !l.is_empty())
        .collect();
    let wanted = [
        "   1  line 1",
        "   2  line ‹2›",
        "   3  line 3",
        "   4  line 4",
        "   5  line ‹5›",
        "   6  line 6",
    ];
    assert_eq!(body, wanted);
    assert!(got.out.contains("1 more match not shown"));
}
