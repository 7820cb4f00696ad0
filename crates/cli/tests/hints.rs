//! Hints as the program prints them, and the page of the reference that shows each.

use crate::support::Sandbox;
use brisk_quill_engine::hints::kinds;
use std::fmt::Write as _;
use std::path::Path;

const HEAD: &str = "\
# Hints

`find`, `preview`, `apply` (before it asks) and `review` look out for what often means a mistake, in the
pattern, in the template and in the data, and say so in a sentence, with the number of places, the first of
them, and what to do. What to do has been tried on the texts at hand: the matches that are right stay, and the hint
is gone; where nothing that was tried holds, the hint says only what it saw. At most two are shown, those that hurt most
first, and the names of the others. They never change what is found or
written, nor the exit status. `--no-hints` gives none. With `--json`, each is a record `hint`; see
[records.md](records.md).

Matches are looked at in the first 10,000 lines of every file, and lines without a match in those of the first
200 files, or, for near misses, in the first 1 MiB and 10,000 units of all files.

Below, each hint is shown for a request on a file with the text that stands there. `names.csv` is a table with
the lines `Skarn,Fennmark` and `Skerrie,Jolly Tern`; the first line of `old-new.csv` is `old,new`, and those of
`berths.txt` are `B-1` and `b-2`.
";

/// A word as a shell takes it.
fn quoted(word: &str) -> String {
    let is_plain = |c: char| c.is_alphanumeric() || "-_./".contains(c);
    match !word.is_empty() && word.chars().all(is_plain) {
        true => word.to_owned(),
        false => format!("'{word}'"),
    }
}

/// The page is what the program says; where it is not, it is written anew, and the test fails once.
#[test]
fn the_page_shows_what_is_said() {
    let mut page = HEAD.to_owned();
    for kind in kinds() {
        let example = kind.example;
        let sandbox = Sandbox::with(example.file, example.text);
        sandbox.write("names.csv", "Skarn,Fennmark\nSkerrie,Jolly Tern\n");
        sandbox.write("berths.txt", "B-1\nb-2\n");
        sandbox.write("old-new.csv", "old,new\nSkarn,Fennmark\n");
        let words: Vec<String> = example.words.iter().map(|word| quoted(word)).collect();
        let mut line = format!("preview {}", words.join(" "));
        if example.words.last() != Some(&".") {
            let _ = write!(line, " {}", example.file);
        }
        let got = sandbox.run(&line);
        let from = got.out.find(&format!("hint {}: ", kind.name));
        let from = from.unwrap_or_else(|| panic!("{line}: {got:?}"));
        let (first, rest) = got.out[from..].split_once('\n').unwrap();
        let below = rest.lines().take_while(|line| line.starts_with("  "));
        let _ = write!(
            page,
            "\n## `{}`\n\nShown when {}.\n\n",
            kind.name, kind.speaks
        );
        let _ = writeln!(page, "    bquill {line}\n");
        for text in String::from_utf8_lossy(example.text).lines() {
            let _ = writeln!(page, "    {text}");
        }
        let _ = writeln!(page, "\n    {first}");
        for text in below {
            let _ = writeln!(page, "    {text}");
        }
        let silent = sandbox.run(&format!("{line} --no-hints"));
        assert!(!silent.out.contains("\nhint "), "{line}: {silent:?}");
    }
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/hints.md");
    if std::fs::read_to_string(&path).unwrap_or_default() != page {
        std::fs::write(&path, &page).unwrap();
        panic!("docs/hints.md is written anew; read and commit it");
    }
}

/// Hints speak in every verb that shows or writes changes, and as records.
#[test]
fn every_verb_says_them() {
    let text = "berth 4 is free\nBerth-8 is closed\nBerth 9 is free\n";
    for (line, wanted) in [
        (r"find 'Berth (\d+)' a.txt", "hint case-variants: "),
        (
            r"find 'Berth (\d+)' a.txt",
            "hint near-miss: 1 line would match with ` ` instead of `-`",
        ),
        (
            r"find 'Berth (\d+)' a.txt --json",
            r#""record":"hint","name":"case-variants""#,
        ),
        (
            r"preview 'Berth (\d+)' --with B a.txt",
            "hint no-reference: ",
        ),
        (
            r"preview 'Berth (\d+)' --with B a.txt --json",
            r#""remedy":"write the template `B$1`""#,
        ),
        (
            r"apply 'Berth (\d+)' --with 'B$1' --yes a.txt",
            "hint case-variants: ",
        ),
    ] {
        let sandbox = Sandbox::with("a.txt", text);
        let got = sandbox.run(line).ok();
        assert!(got.out.contains(wanted), "{line}: {got:?}");
    }
}

/// Remedies that do not concern a step cure as well.
#[test]
fn options_of_the_request_cure() {
    for (files, request, name, cured) in [
        (
            &[(".old.txt", "berth 4\n")][..],
            "find berth .",
            "left-out-files",
            "find berth . --hidden",
        ),
        (
            &[(".gitignore", "*.log\n"), ("a.log", "berth 4\n")],
            "find berth .",
            "left-out-files",
            "find berth . --ignored",
        ),
        (
            &[("a.bin", "berth\0\n")],
            "find berth .",
            "left-out-files",
            "find berth . --binary",
        ),
        (
            &[("a.csv", "berth;status\n4;closed\n")],
            "find closed --columns status a.csv",
            "delimiter",
            "find closed --columns status a.csv --delimiter ';'",
        ),
        (
            &[
                ("a.txt", "to port\nto starboard\n"),
                ("t.csv", "port,starboard\nstarboard,port\n"),
            ],
            "preview port --with starboard a.txt --then starboard --with port",
            "feeds-next",
            "preview --pairs t.csv a.txt",
        ),
    ] {
        let sandbox = Sandbox::new();
        for (file, text) in files {
            sandbox.write(file, text);
        }
        let hint = format!("\"record\":\"hint\",\"name\":\"{name}\"");
        let got = sandbox.run(&format!("{request} --json"));
        assert!(got.out.contains(&hint), "{request}: {got:?}");
        let got = sandbox.run(&format!("{cured} --json")).ok();
        assert!(!got.out.contains("\"hint\""), "{cured}: {got:?}");
    }
}

/// Letters that a text writes in another encoding are found there, and only there.
#[test]
fn other_encodings() {
    for (text, request, label) in [
        (&b"pilot S\xf8ren\n"[..], "find Søren", Some("windows-1252")),
        (b"pilot L\xf3dka \x9f\n", "find 'ź$'", Some("windows-1250")),
        (
            b"\xcf\xee\xf0\xf2\n",
            "preview Порт --with Port",
            Some("windows-1251"),
        ),
        (
            b"pilot S\xf8ren\n",
            "find 'S[øö]ren' --lines 1",
            Some("windows-1252"),
        ),
        (b"pilot S\xf8ren\n", "find Søren --lines 2..", None),
        (b"pilot S\xf8ren\n", "find Soren", None),
        (
            b"pilot S\xf8ren\n",
            "find Søren --encoding windows-1250",
            None,
        ),
        ("pilot Soren, é\n".as_bytes(), "find Søren", None),
        // The first byte of this character is an é elsewhere.
        ("\u{9f3f}\n".as_bytes(), "find é", None),
    ] {
        let sandbox = Sandbox::with("a.txt", text);
        let got = sandbox.run(&format!("{request} a.txt"));
        assert_eq!(
            got.out.contains("other-encoding"),
            label.is_some(),
            "{request}: {got:?}"
        );
        if let Some(label) = label {
            let remedy = format!("--encoding {label}");
            assert!(got.out.contains(&remedy), "{request}: {got:?}");
            let cured = sandbox.run(&format!("{request} a.txt {remedy}")).ok();
            assert!(!cured.out.contains("\nhint "), "{request}: {cured:?}");
        }
    }
}
