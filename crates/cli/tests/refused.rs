//! Requests that say something else than what was meant, and files that must not be rewritten.

use crate::support::Sandbox;

/// Unknown options and the names of files are not taken for patterns, and an empty pattern is refused where it
/// would replace.
#[test]
fn what_is_no_pattern() {
    let sandbox = Sandbox::larkmoor();
    sandbox.write("fn", "quay fn\n");
    sandbox.write("-w", "-w fn\n");
    let before = sandbox.snapshot();
    let way_out = "add a path: `berths.csv .`";
    for (request, said) in [
        ("find -w fn code", &["no option `-w`", "`-- -w`"][..]),
        ("apply -r fn --with X pilots.txt --yes", &["no option `-r`"]),
        ("preview -5 --with x", &["no option `-5`", "`-- -5`"]),
        (
            "find quay --expect 1",
            &["no option `--expect`", "an option of"],
        ),
        ("find berths.csv", &["`berths.csv` is a file", way_out]),
        ("find notices/", &["is a folder", "`'.+' notices/`"]),
        ("tally --columns status berths.csv", &["is a file", way_out]),
        (
            "apply berths.csv --with X --yes",
            &["is a file", "write the pattern before it"],
        ),
        ("apply '' --with X pilots.txt --yes", &["`(?:)`", "empty"]),
        ("preview '' --remove pilots.txt", &["empty"]),
        ("draft '' --with X", &["empty"]),
    ] {
        let got = sandbox.run(request);
        assert_eq!(got.status, 2, "{request}: {got:?}");
        for part in said {
            let all = got.err.to_lowercase();
            assert!(all.contains(&part.to_lowercase()), "{request}: {got:?}");
        }
    }
    assert_eq!(sandbox.snapshot(), before);
    // Both ways on, and a text that happens to be the name of a folder.
    for (request, status, said) in [
        ("find --bare -- -w", 0, "-w fn\n"),
        ("find --bare -- -w fn", 1, ""),
        ("find berths.csv . --count", 0, "README.txt"),
        ("find code --count", 0, "README.txt"),
        ("apply '(?:)' --with - fn --yes", 0, "Wrote 8 changes"),
    ] {
        let got = sandbox.run(request);
        let is_said = got.out.contains(said) || got.err.contains(said);
        assert!(got.status == status && is_said, "{request}: {got:?}");
    }
    std::fs::create_dir(sandbox.file("mole")).unwrap();
    let got = sandbox.run("find mole");
    assert!(got.err.contains("`mole` is also a folder"), "{got:?}");
}

/// Files of a known structured format are named as what they are, and never rewritten.
#[test]
fn structured_files() {
    for (name, head, is) in [
        ("a.db", &b"SQLite format 3\0"[..], "a workbook, a database"),
        ("a.xlsx", b"PK\x03\x04", "a zip archive"),
        ("a.parquet", b"PAR1\x15\x04", "a Parquet file"),
        ("a.pdf", b"%PDF-1.7\n", "a PDF document"),
        ("a.png", b"\x89PNG\r\n\x1a\n", "a PNG image"),
        ("a.bz2", b"BZh9", "a bzip2 archive"),
    ] {
        let sandbox = Sandbox::with("a.txt", "pier\n");
        sandbox.write(name, [head, b"\0quay 7\n"].concat());
        let before = sandbox.snapshot();
        for request in [
            format!("find quay {name}"),
            format!("preview quay --with Q {name} --expect 0"),
            format!("preview quay --with Q a.txt {name} --binary"),
            format!("apply quay --with Q {name} --binary --yes"),
        ] {
            let got = sandbox.run(&request);
            assert_eq!(got.status, 3, "{request}: {got:?}");
            assert!(got.err.contains(is), "{request}: {got:?}");
            assert!(!got.err.contains("--binary"), "{request}: {got:?}");
        }
        // One that is only met is counted, and stays.
        let met = sandbox.run("find pier .").ok();
        assert!(met.out.contains("1 binary"), "{met:?}");
        assert_eq!(
            sandbox.run("apply quay --with Q . --binary --yes").status,
            1
        );
        assert_eq!(sandbox.snapshot(), before, "{name}");
    }
}

/// A named file that is not read is an error.
#[test]
fn named_and_skipped() {
    let sandbox = Sandbox::with("a.txt", "pier\n");
    sandbox.write("b.bin", b"quay\0");
    for request in [
        "find pier a.txt b.bin",
        "tally pier a.txt b.bin",
        "shapes a.txt b.bin",
        "check quay b.bin",
        "extract pier a.txt b.bin",
        "preview quay --with Q b.bin --expect 0",
        "apply pier --with P a.txt b.bin --yes",
    ] {
        let got = sandbox.run(request);
        assert!(
            got.status == 3 && got.err.contains("looks binary") && got.err.contains("b.bin"),
            "{request}: {got:?}"
        );
        assert_eq!(sandbox.text("a.txt"), "pier\n");
    }
    let allowed = sandbox.run("preview quay --with Q b.bin --binary").ok();
    assert_eq!(allowed.count("changes"), Some(1), "{allowed:?}");
}

/// One file is not written through another name of it, and plans that lie about stay as they are.
#[test]
fn what_belongs_to_something_else() {
    let sandbox = Sandbox::with("a.txt", "quay\n");
    std::fs::hard_link(sandbox.file("a.txt"), sandbox.file("h.txt")).unwrap();
    let got = sandbox.run("apply quay --with Q a.txt --to h.txt --overwrite --yes");
    assert_ne!(got.status, 0, "{got:?}");
    assert_eq!(sandbox.text("a.txt"), "quay\n", "{got:?}");
    std::fs::remove_file(sandbox.file("h.txt")).unwrap();
    sandbox
        .run("preview quay --with Q a.txt --save-plan p.plan")
        .ok();
    let plan = sandbox.read("p.plan");
    let got = sandbox.run("preview quay --with Q .").ok();
    assert_eq!(got.count("changes"), Some(1), "{got:?}");
    sandbox.run("apply quay --with Q . --yes").ok();
    assert_eq!(sandbox.read("p.plan"), plan);
}
