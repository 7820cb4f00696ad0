//! Narrowing: where a change may happen, and which match it takes, on files of every encoding.

use crate::support::Sandbox;

const LOG: &str = "\
port open
BEGIN north
quay 1, quay 2
END
quay 3 closed
BEGIN south quay 4
quay 5 END quay 6

quay 7
BEGIN
quay 8
";

/// Options for `apply 'quay (\d)' --with 'Q$1'` as a filter, and the quays that become Q.
#[test]
fn conditions() {
    for (options, changed) in [
        ("", "12345678"),
        ("--where closed", "3"),
        ("--unless closed", "1245678"),
        ("--where quay --where END", "56"),
        ("--between BEGIN END", "124568"),
        ("--between BEGIN END --inner", "128"),
        ("--between ^BEGIN$ NEVER", "8"),
        ("--between NEVER END", ""),
        ("--between BEGIN END --lines ..6", "124"),
        ("--outside BEGIN END", "37"),
        ("--outside BEGIN END --inner", "34567"),
        ("--outside BEGIN END --between ^BEGIN NEVER", "37"),
        ("--between BEGIN END --open-end", "1248"),
        ("--between BEGIN BEGIN", "12348"),
        ("--between BEGIN BEGIN --open-end", "12345678"),
        ("--between BEGIN BEGIN --open-end --inner", "1235678"),
        ("--near closed 1", "34"),
        ("--near closed 0", "3"),
        ("--near ^$ 1 --unless END", "7"),
        ("--near closed 1 --where south --pick first", "4"),
        ("--lines 3,7,last --unless END", "128"),
        ("--pick last", "2345678".replace("5", "").leak()),
        ("--pick last --per file", "8"),
        ("--pick 2..3 --per run", "23"),
        ("--pick last-1.. --per run", "78"),
        (
            "--pick last --per file --between BEGIN END --lines ..7",
            "6",
        ),
        ("--limit 2 --where quay --unless END", "12"),
        ("--unit paragraph --pick first", "17"),
        ("--unit paragraph --where south --pick last", "6"),
        ("--unit text --pick 2..4", "234"),
        ("--unit text --lines 5..7 --pick last-1..", "56"),
        ("--unit paragraph --between BEGIN END --inner", "128"),
    ] {
        let got = Sandbox::new().pipe(LOG, &format!(r"apply 'quay (\d)' --with 'Q$1' {options}"));
        let found: String = got.out.split('Q').skip(1).map(|s| &s[..1]).collect();
        assert_eq!(found, changed, "{options}: {got:#?}");
        assert_eq!(got.status, i32::from(changed.is_empty()), "{options}");
        assert_eq!(got.out.replace('Q', "quay "), LOG, "{options}");
    }
}

#[test]
fn counts_say_why_matches_are_left_out() {
    let sandbox = Sandbox::with("a.txt", LOG);
    let got = sandbox
        .run("preview quay --with Q a.txt --between BEGIN END --pick 1 --limit 3 --json")
        .ok();
    let totals = &got.of_kind("totals")[0];
    assert_eq!(
        (&totals["matches"], &totals["changes"]),
        (&3.into(), &3.into())
    );
    assert_eq!(
        totals["left_out"],
        serde_json::json!({"pick": 2, "limit": 1, "scope": 2})
    );
    let note = &got.of_kind("note")[0];
    assert_eq!(
        (&note["path"], &note["line"]),
        (&"a.txt".into(), &10.into())
    );
    let text = sandbox.run("find quay a.txt --between NEVER END");
    assert_eq!((text.status, text.count("blocks")), (1, Some(0)));
    assert!(
        text.out.contains("the START of --between occurs nowhere"),
        "{}",
        text.out
    );
    let open = sandbox.run("find quay a.txt --between BEGIN END").ok();
    assert!(
        open.out
            .contains("note: a.txt, line 10: the block that `BEGIN` begins has no end")
    );
    // What is the same of several files is said once.
    for name in ["b.txt", "c.txt"] {
        sandbox.write(name, sandbox.read("a.txt"));
    }
    let open = sandbox.run("find quay --between BEGIN END").ok();
    let once = "note: a.txt, line 10, and 2 more: the block that `BEGIN` begins has no end";
    assert!(open.out.contains(once), "{}", open.out);
    assert_eq!(open.out.matches("has no end").count(), 1, "{}", open.out);
}

#[test]
fn picks_count_through_all_files_in_order() {
    let sandbox = Sandbox::new();
    sandbox.write("a.txt", "quay 1 quay 2\n");
    sandbox.write("b.txt", "quay 3\n");
    sandbox.write("c.bin", b"quay 9\0");
    sandbox.write("d.txt", "quay 4 quay 5\nquay 6\n");
    for (options, changed) in [
        ("--pick 2..3 --per run", "23"),
        ("--pick last --per run", "6"),
        ("--pick last-2.. --per run --lines 1", "345"),
        ("--pick last --per file", "236"),
        ("--pick 2 --per file", "25"),
        ("--limit 4", "1234"),
        (
            "--pick last --per run --then 'quay (4)' --with 'X$1' --pick last --per run",
            "46",
        ),
    ] {
        let got = sandbox
            .run(&format!(
                r"preview 'quay (\d)' --with 'Q$1' --json {options}"
            ))
            .ok();
        let changes = got.of_kind("change");
        let after = changes
            .iter()
            .map(|change| change["after"].as_str().unwrap());
        let found: String = after.flat_map(|text| text.chars().last()).collect();
        assert_eq!(found, changed, "{options}");
    }
    let found = sandbox
        .run(r"find 'quay \d' --pick last --per run --json")
        .ok();
    assert_eq!(found.of_kind("match")[0]["text"], "quay 6");
    let piped = sandbox
        .pipe(
            "quay 8",
            r"find 'quay \d' - a.txt --pick last --per run --json",
        )
        .ok();
    assert_eq!(piped.of_kind("match")[0]["text"], "quay 2");
}

#[test]
fn larger_units() {
    let text = "one\r\ntwo\r\n\r\nthree\r\n \t\r\nfour\r\nfive";
    for (line, wanted) in [
        (
            r"'e\s+t' --with '-' --unit text",
            "on-wo\r\n\r\nthree\r\n \t\r\nfour\r\nfive",
        ),
        (r"'\s+\z' --with '!' --unit paragraph", text),
        (
            r"'\z' --with '!' --unit paragraph",
            "one\r\ntwo!\r\n\r\nthree!\r\n \t\r\nfour\r\nfive!",
        ),
        (
            r"'^' --with '>' --unit paragraph",
            ">one\r\n>two\r\n\r\n>three\r\n \t\r\n>four\r\n>five",
        ),
        (
            r"'e$' --with 'E' --unit text",
            "onE\r\ntwo\r\n\r\nthreE\r\n \t\r\nfour\r\nfivE",
        ),
        (
            r"'\A\w+' --with X --unit paragraph",
            "X\r\ntwo\r\n\r\nX\r\n \t\r\nX\r\nfive",
        ),
        (
            r"'\r\n' --with '\n' --unit text",
            "one\ntwo\n\nthree\n \t\nfour\nfive",
        ),
        (r"'(?s).*' --with X --unit text", "X"),
    ] {
        let got = Sandbox::new().pipe(text, &format!("apply {line}"));
        assert_eq!(got.out, wanted, "{line}");
    }
}

#[test]
fn ensured_or_refused() {
    let sandbox = Sandbox::with("a.txt", "port\nquay 1\nquay x\n# quay 2\n");
    let before = sandbox.snapshot();
    let apply = r"'quay (\d)' --with 'Q$1' --unless '^#|port' --ensure '^Q\d' a.txt";
    let got = sandbox.run(&format!("apply {apply} --yes"));
    assert_eq!(got.status, 1, "{got:#?}");
    assert!(got.err.contains("a.txt, line 3: quay x\n"), "{}", got.err);
    assert_eq!(sandbox.snapshot(), before);
    let preview = sandbox.run(&format!("preview {apply} --json"));
    assert_eq!(preview.of_kind("unmet")[0]["text"], "quay x");
    // The line is that of the file, whatever earlier steps have inserted.
    let later =
        sandbox.run(r"preview port --with 'a\nb\nc' a.txt --then z --with y --where x --ensure z");
    assert!(
        later.err.contains("a.txt, line 3: quay x\n"),
        "{}",
        later.err
    );
    sandbox
        .run(&format!("apply {apply} --yes --exclude x.txt --lines ..2"))
        .ok();
    assert_eq!(sandbox.text("a.txt"), "port\nQ1\nquay x\n# quay 2\n");
}

#[test]
fn problems_refuse_unless_skipped() {
    let sandbox = Sandbox::with("a.txt", b"quay 1\nqu\xFFay quay 2\n".as_slice());
    let before = sandbox.snapshot();
    let got = sandbox.run("apply '(?<!x)quay' --with Q a.txt --yes");
    assert_eq!(got.status, 3);
    assert!(
        got.err
            .contains("a.txt, line 2: a pattern with look-around"),
        "{}",
        got.err
    );
    assert_eq!(sandbox.snapshot(), before);
    let got = sandbox
        .run("apply '(?<!x)quay' --with Q a.txt --yes --skip-problems")
        .ok();
    assert_eq!(got.count("problems"), Some(1));
    assert_eq!(sandbox.read("a.txt"), b"Q 1\nqu\xFFay quay 2\n");
    let hang = sandbox.pipe("a".repeat(3000), r"apply '(a+)+\1b' --with x");
    assert_eq!((hang.status, hang.out.as_str()), (3, ""));
    assert!(
        hang.err.contains("more steps back than allowed"),
        "{}",
        hang.err
    );
}

#[test]
fn a_line_too_long_is_left_alone() {
    let sandbox = Sandbox::new();
    let mut text = b"quay\n".to_vec();
    text.resize(70 << 20, b'q');
    text.extend_from_slice(b"\nquay\n");
    sandbox.write("a.txt", &text);
    let got = sandbox
        .run("apply quay --with Q a.txt --yes --skip-problems")
        .ok();
    assert!(
        got.err
            .contains("a.txt, line 2: the line is longer than 64 MiB"),
        "{}",
        got.err
    );
    let after = sandbox.read("a.txt");
    assert_eq!(
        (after.len(), &after[..3], &after[after.len() - 3..]),
        (text.len() - 6, &b"Q\nq"[..], &b"\nQ\n"[..])
    );
    let third = sandbox.run("find Q --lines 3 --bare a.txt --exclude b");
    assert_eq!((third.status, third.out.as_str()), (3, "Q\n"));
}

/// UTF-16 with a mark.
fn utf16(text: &str, big: bool) -> Vec<u8> {
    let units = "\u{feff}".encode_utf16().chain(text.encode_utf16());
    let bytes = |unit: u16| {
        if big {
            unit.to_be_bytes()
        } else {
            unit.to_le_bytes()
        }
    };
    units.flat_map(bytes).collect()
}

#[test]
fn utf16_changes_in_its_place_only() {
    for big in [false, true] {
        let text = "Café 1\r\nquay 🚢 7\r\nend";
        let sandbox = Sandbox::with("a.txt", utf16(text, big));
        let preview = sandbox.run("preview '🚢 7' --with 'ø' --json a.txt").ok();
        let change = &preview.of_kind("change")[0];
        let old = sandbox.read("a.txt");
        let cut =
            change["from"].as_u64().unwrap() as usize..change["to"].as_u64().unwrap() as usize;
        assert_eq!(old[cut.clone()], utf16("🚢 7", big)[2..]);
        assert_eq!(
            preview.of_kind("file")[0]["encoding"],
            if big { "UTF-16BE" } else { "UTF-16LE" }
        );
        sandbox.run("apply '🚢 7' --with 'ø' a.txt --yes").ok();
        assert_eq!(
            sandbox.read("a.txt"),
            utf16(&text.replace("🚢 7", "ø"), big)
        );
        let found = sandbox.run("find '^quay ø$' a.txt --json").ok();
        assert_eq!(found.of_kind("match")[0]["line"], 2);
        assert_eq!(sandbox.run("preview quay --with Q a.txt --diff").status, 3);
    }
}

#[test]
fn broken_utf16_stays_as_it_is() {
    let mut bytes = utf16("quay", false);
    bytes.extend_from_slice(&[0x00, 0xD8]);
    bytes.extend_from_slice(&utf16(" quay", false)[2..]);
    bytes.push(0x41);
    let sandbox = Sandbox::with("a.txt", &bytes);
    let got = sandbox.run("preview quay --with Q a.txt").ok();
    assert!(
        got.out.contains(
            "note: a.txt, line 1: a byte here, and 1 more after it, means nothing in UTF-16LE"
        ),
        "{}",
        got.out
    );
    sandbox.run("apply quay --with Q a.txt --yes").ok();
    let mut wanted = utf16("Q", false);
    wanted.extend_from_slice(&[0x00, 0xD8]);
    wanted.extend_from_slice(&utf16(" Q", false)[2..]);
    wanted.push(0x41);
    assert_eq!(sandbox.read("a.txt"), wanted);
}

#[test]
fn other_encodings() {
    // Label, text on disk, pattern, template, result.
    type Case = (
        &'static str,
        &'static [u8],
        &'static str,
        &'static str,
        &'static [u8],
    );
    let cases: &[Case] = &[
        ("latin1", b"caf\xE9 \x81 7\n", "é", "ø", b"caf\xF8 \x81 7\n"),
        (
            "windows-1251",
            b"\xEF\xE8\xF0\xF1 7\n",
            "пирс",
            "п",
            b"\xEF 7\n",
        ),
        (
            "shift_jis",
            b"\x8D\x60 7\xFF \xB1\n",
            "港|ｱ",
            "7",
            b"7 7\xFF 7\n",
        ),
        (
            "gb18030",
            b"\xB8\xDB\x81\x30\x81\x30x\n",
            "x",
            "港",
            b"\xB8\xDB\x81\x30\x81\x30\xB8\xDB\n",
        ),
        (
            "euc-kr",
            b"\xC7\xD7 7\n",
            r"(.) (\d)",
            "$2 $1",
            b"7 \xC7\xD7\n",
        ),
        ("utf-16le", b"a\0b\0", "b", "é", b"a\0\xE9\0"),
        ("utf-8", b"caf\xE9\n", "caf", "C", b"C\xE9\n"),
    ];
    for (label, text, pattern, with, wanted) in cases {
        let sandbox = Sandbox::with("a.txt", text);
        let args = [
            "apply",
            pattern,
            "--with",
            with,
            "--encoding",
            label,
            "a.txt",
            "--yes",
        ];
        sandbox.args(&args).ok();
        assert_eq!(sandbox.read("a.txt"), *wanted, "{label}");
        let piped = Sandbox::new().pipe(
            text,
            &format!("apply '{pattern}' --with '{with}' --encoding {label}"),
        );
        assert_eq!(piped.raw, *wanted, "{label}");
    }
    let sandbox = Sandbox::with("a.txt", b"caf\xE9\n".as_slice());
    let got = sandbox.run("apply f --with '→' a.txt --encoding latin1 --yes");
    assert_eq!(got.status, 3);
    assert!(
        got.err
            .contains("a.txt, line 1: `→` cannot be written in windows-1252"),
        "{}",
        got.err
    );
    for (label, said) in [
        ("latin9000", "no encoding called"),
        ("iso-2022-jp", "keeps state"),
    ] {
        let got = sandbox.run(&format!("find f a.txt --encoding {label}"));
        assert_eq!(got.status, 2);
        assert!(got.err.contains(said), "{}", got.err);
    }
}

#[test]
fn forms_of_find() {
    let sandbox = Sandbox::new();
    sandbox.write("a.txt", "quay 1 quay 2\npier\nquay 3\n");
    sandbox.write("b.txt", "pier\u{1b}\n");
    for (line, status, wanted) in [
        (
            "find quay --count",
            0,
            "       3  a.txt\n       3  in all\n",
        ),
        (
            "find quay --count --each",
            0,
            "       2  a.txt, line 1\n       1  a.txt, line 3\n       3  a.txt\n       3  in all\n",
        ),
        ("find quay --paths", 0, "a.txt\n"),
        ("find quay --paths --missing", 0, "a.txt\nb.txt\n"),
        ("find quay --bare", 0, "quay 1 quay 2\nquay 3\n"),
        ("find quay --bare --missing", 0, "pier\npier\u{1b}\n"),
        (
            "find quay --missing --count --lines 2",
            0,
            "       1  a.txt\n       1  in all\n",
        ),
        ("find nothing --bare", 1, ""),
        ("find . --missing --paths .", 1, ""),
    ] {
        let got = sandbox.run(line);
        assert_eq!((got.out.as_str(), got.status), (wanted, status), "{line}");
    }
    let missing = sandbox.run("find quay --missing --json a.txt").ok();
    assert_eq!(missing.of_kind("missing")[0]["line"], 2);
    let shown = sandbox.run("find quay --missing a.txt").ok();
    assert!(
        shown.out.starts_with(
            "In a.txt: every line without a match of `quay`, in all lines.\n\na.txt\n   2  pier\n"
        ),
        "{}",
        shown.out
    );
}

#[test]
fn paths_from_a_file_or_a_pipe() {
    let sandbox = Sandbox::new();
    for name in ["a.txt", "b c.txt", "d.txt"] {
        sandbox.write(name, "quay\n");
    }
    sandbox.write("list", "b c.txt\na.txt\n\na.txt\n");
    sandbox.write("list0", "b c.txt\0a.txt\0");
    for (line, input, found) in [
        (
            "find quay --paths-from list --paths",
            "",
            "a.txt\nb c.txt\n",
        ),
        (
            "find quay --paths-from list0 --null --paths d.txt",
            "",
            "a.txt\nb c.txt\nd.txt\n",
        ),
        ("find quay --paths-from - --paths", "d.txt\n", "d.txt\n"),
        (
            "apply quay --with Q --paths-from - --yes --to out/",
            "d.txt\n",
            "Wrote 1 file with 1 change to out/.\n",
        ),
    ] {
        let got = sandbox.pipe(input, line).ok();
        assert_eq!(got.out, found, "{line}");
    }
    assert_eq!(sandbox.run("find quay --paths-from none").status, 3);
}

#[test]
fn the_text_between_steps() {
    let sandbox = Sandbox::with("a.txt", "quay 1\npier 2\n");
    let steps = r"preview quay --with Q a.txt --then Q --with W --then '\d' --with '#' --steps";
    let got = sandbox.run(steps).ok();
    let body: Vec<&str> = got
        .out
        .lines()
        .skip_while(|l| *l != "a.txt")
        .take(7)
        .collect();
    let wanted = [
        "a.txt",
        "   1  was  ‹quay› ‹1›",
        "        1  Q 1",
        "        2  W 1",
        "      now  ‹W› ‹#›   [steps 1, 2, 3]",
        "   2  was  pier ‹2›",
        "      now  pier ‹#›   [step 3]",
    ];
    assert_eq!(body, wanted, "{}", got.out);
    let two = sandbox.run(&format!("{steps} --through 2")).ok();
    assert!(two.out.contains("now  ‹W› 1   [steps 1, 2]"), "{}", two.out);
}
