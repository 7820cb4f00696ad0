//! `--pairs`: the texts of a table, replaced in one pass.

use crate::support::Sandbox;

#[test]
fn requests() {
    for (table, options, text, wanted) in [
        // A swap is safe, because all is one pass.
        (
            "port,starboard\nstarboard,port\n",
            "",
            "port starboard\n",
            "starboard port\n",
        ),
        // The longest goes first, wherever it stands in the table.
        (
            "quay,pier\nquay wall,sea wall\n",
            "",
            "quay wall, quay\n",
            "sea wall, pier\n",
        ),
        (
            "quay,pier\n",
            "--whole-word",
            "quay quays\n",
            "pier quays\n",
        ),
        (
            "sea,lake\nsea wall,dam\n",
            "--whole-word",
            "sea walls\n",
            "lake walls\n",
        ),
        ("Ånstad,Holm\n", "-i", "ÅNSTAD ånstad\n", "Holm Holm\n"),
        // No sign in it has a meaning.
        ("a.b,$0\n", "", "a.b axb\n", "$0 axb\n"),
        (
            "quay,pier\n",
            "--pick last --where y",
            "quay quay\nquay\n",
            "quay pier\npier\n",
        ),
        ("\"a, b\",c\n", "", "a, b\n", "c\n"),
    ] {
        let sandbox = Sandbox::with("a.txt", text);
        sandbox.write("t.csv", table);
        let request = format!("--pairs t.csv {options} a.txt");
        let shown = sandbox.run(&format!("preview {request}")).ok();
        assert!(shown.out.contains("in the table `t.csv`"), "{shown:?}");
        sandbox.run(&format!("apply {request} --yes")).ok();
        assert_eq!(
            sandbox.read("a.txt"),
            wanted.as_bytes(),
            "{table:?} {options}"
        );
        let found = sandbox.run(&format!("find {request} --count"));
        assert!(found.status < 2, "{found:?}");
    }
}

/// Thousands of rows; those that are never met are reported, and a rewrite file holds the path.
#[test]
fn many_rows() {
    let sandbox = Sandbox::new();
    let rows: String = (0..5000)
        .map(|n| format!("ship-{n:04},vessel {n}\n"))
        .collect();
    sandbox.write("names.tsv", rows.replace(',', "\t"));
    sandbox.write("a.txt", "ship-0007 and ship-4999\nship-9999\n");
    let got = sandbox
        .run("preview --pairs names.tsv --save-rewrite r.toml a.txt")
        .ok();
    assert!(got.out.contains("vessel 7›"), "{got:?}");
    assert!(
        got.out
            .contains("hint never-met: 4,998 of 5,000 old texts do not occur in scope"),
        "{got:?}"
    );
    let again = sandbox.run("preview --rewrite r.toml a.txt").ok();
    assert_eq!(again.count("changes"), Some(2));
    sandbox.run("apply --yes").ok();
    assert_eq!(
        sandbox.read("a.txt"),
        b"vessel 7 and vessel 4999\nship-9999\n"
    );
}

/// Only a first row `before,after` is a header, in each of the tables; one that reads like a header is
/// hinted at.
#[test]
fn first_rows() {
    for (first, is_header, is_hinted) in [
        ("before,after", true, false),
        ("old,new", false, true),
        ("From,To", false, true),
        ("term,replacement", false, true),
        ("quay 9,Q 9", false, false),
    ] {
        let (old, _) = first.split_once(',').unwrap();
        let text = format!("{old}\nquay 7\nquay 8\n");
        let sandbox = Sandbox::with("a.txt", &text);
        sandbox.write("t.csv", format!("{first}\nquay 7,Q 7\nquay 8,Q 8\n"));
        let counted = 3 - u64::from(is_header);
        let pairs = sandbox.run("preview --pairs t.csv a.txt").ok();
        assert_eq!(pairs.count("changes"), Some(counted), "{first}: {pairs:?}");
        assert_eq!(
            pairs.out.contains("hint pairs-header"),
            is_hinted,
            "{pairs:?}"
        );
        let map = [
            "preview",
            "^.+",
            "--with",
            "${0 | map t.csv else -}",
            "a.txt",
        ];
        let map = sandbox.args(&map).ok();
        let is_mapped = map.out.contains(first.split_once(',').unwrap().1);
        assert_eq!(is_mapped, !is_header, "{first}: {map:?}");
        let inferred = sandbox.run("infer --examples t.csv a.txt");
        let is_passed_over = inferred.out.contains("From 2 examples");
        assert_eq!(is_passed_over, is_header, "{first}: {inferred:?}");
    }
}

/// The texts of a table keep to the limits of other texts.
#[test]
fn texts_without_measure() {
    let sandbox = Sandbox::with("a.txt", "quay\n".repeat(400));
    let line = "quay ".repeat(2000);
    sandbox.write("line.txt", format!("{line}\n"));
    sandbox.write("t.csv", format!("quay,{}\n", "Q".repeat(1 << 20)));
    for (request, said) in [
        (
            "preview --pairs t.csv line.txt",
            "over 64 MiB longer than the old",
        ),
        (
            "apply --pairs t.csv line.txt --yes",
            "over 64 MiB longer than the old",
        ),
    ] {
        let got = sandbox.run(request);
        assert!(
            got.status == 3 && got.err.contains(said),
            "{request}: {got:?}"
        );
    }
    assert_eq!(sandbox.text("line.txt"), format!("{line}\n"));
}

#[test]
fn bad_tables() {
    let sandbox = Sandbox::with("a.txt", "quay\n");
    std::fs::create_dir(sandbox.path().join("folder")).unwrap();
    for (name, bytes, wanted) in [
        ("folder", None, "it is not a regular file"),
        ("none.csv", None, "no such file"),
        (
            "binary.csv",
            Some(&b"\x00\xFF\x01,\xFE\n"[..]),
            "line 1 is not UTF-8",
        ),
        ("empty.csv", Some(b""), "it is empty"),
        (
            "one.csv",
            Some(b"a\nb\n"),
            "line 1 has 1 column, and it takes two",
        ),
        (
            "twice.csv",
            Some(b"a,b\na,c\n"),
            "line 2 has `c` for `a`, and a line before has `b`",
        ),
        (
            "no-old.csv",
            Some(b",c\n"),
            "has an empty old text, for `c`",
        ),
    ] {
        if let Some(bytes) = bytes {
            sandbox.write(name, bytes);
        }
        let got = sandbox.run(&format!("preview --pairs {name} a.txt"));
        assert!(
            got.status >= 2 && got.err.contains(wanted),
            "{name}: {got:?}"
        );
    }
    sandbox.write("case.csv", "a,b\nA,c\n");
    let got = sandbox.run("preview --pairs case.csv -i a.txt");
    assert!(
        got.err
            .contains("in any letter case, the table case.csv has"),
        "{got:?}"
    );
    sandbox.write("t.csv", "a,b\n");
    for more in ["--with x", "--literal", "--then --pairs t.csv --remove"] {
        assert_eq!(
            sandbox
                .run(&format!("preview --pairs t.csv {more} a.txt"))
                .status,
            2,
            "{more}"
        );
    }
}
