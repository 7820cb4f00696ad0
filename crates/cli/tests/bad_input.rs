//! Wrong requests: the exit status, the words, the caret, and what to do.

use crate::support::Sandbox;

/// Words, exit status, and pieces of the message.
#[test]
fn wrong_requests() {
    let sandbox = Sandbox::with("a.txt", "quay 7\n");
    let before = sandbox.snapshot();
    let cases: &[(&str, i32, &[&str])] = &[
        (
            "find 'quay (7' a.txt",
            2,
            &[
                "never closed",
                "pattern, character 6   quay (7\n",
                " ‾\n",
                "\\(",
            ],
        ),
        (
            "preview '(quay)' --with '$2' a.txt",
            2,
            &["no group 2", "‾‾", "$1"],
        ),
        (
            "preview quay --with '$10' a.txt",
            2,
            &["no group 10", "‾‾‾", "parentheses"],
        ),
        (
            "preview '(?<pier>quay)' --with '$peir' a.txt",
            2,
            &["no group peir", "did you mean `$pier`?"],
        ),
        (
            "preview quay --with 'a\\q' a.txt",
            2,
            &["not an escape", " ‾‾"],
        ),
        ("preview quay --with '${1' a.txt", 2, &["never closed"]),
        (
            "find quay --lines 0 a.txt",
            2,
            &["--lines", "numbering starts at 1", "‾"],
        ),
        ("find quay --lines 9..3 a.txt", 2, &["backwards", "‾‾‾‾"]),
        ("find quay --pick '1.. by 0' a.txt", 2, &["by 0", "‾‾‾‾"]),
        ("find quay --pick some a.txt", 2, &["`some`", "last-1.."]),
        (
            "preview quay --with Q --expect last a.txt",
            2,
            &["a count is a number"],
        ),
        (
            "find quay missing.txt",
            3,
            &["no such file or folder: missing.txt"],
        ),
        ("find quay --limit many a.txt", 2, &["--limit"]),
        (
            "preview quay --with --lines 3 a.txt",
            2,
            &[
                "`--with` lacks its value: `--lines` is an option",
                "--with=--lines",
            ],
        ),
        (
            "preview quay --with Q --then a.txt",
            2,
            &["`a.txt` is a file, but it stands where the pattern is expected"],
        ),
        ("find", 2, &["a pattern is missing"]),
        ("find quay --then pier a.txt", 2, &["--then"]),
        ("find quay --show some a.txt", 2, &["--show"]),
        (
            "find --pattern-file missing.txt a.txt",
            3,
            &["cannot read the pattern from missing.txt"],
        ),
        ("find --hiden quay", 2, &["--hidden"]),
        ("seek quay", 2, &["seek"]),
        ("preview quay --with Q --json --diff a.txt", 2, &["--diff"]),
        (
            "find '(\\w{1000}){1000}' a.txt",
            2,
            &["too large", "smaller"],
        ),
        (
            "find quay --where '(' a.txt",
            2,
            &["never closed", "--where"],
        ),
        (
            "find quay --between '[' x a.txt",
            2,
            &["never closed", "--between"],
        ),
        (
            "find quay --between x --lines 3 a.txt",
            2,
            &["`--between` lacks its value", "--lines"],
        ),
        (
            "find quay --near x many a.txt",
            2,
            &["`many` is not a number of lines"],
        ),
        ("find quay --inner a.txt", 2, &["--between"]),
        ("find quay --per file a.txt", 2, &["--pick"]),
        ("find quay --each a.txt", 2, &["--count"]),
        ("find quay --null a.txt", 2, &["--paths-from"]),
        ("find quay --count --bare a.txt", 2, &["--bare"]),
        ("find quay --missing --pick 1 a.txt", 2, &["--pick"]),
        ("find quay --unit page a.txt", 2, &["page", "paragraph"]),
        ("preview quay --with Q --steps --json a.txt", 2, &["--json"]),
        (
            "preview quay --with Q --through 2 a.txt",
            2,
            &["no step 2", "there is 1 step"],
        ),
        (
            "find 'a++(?=b)' a.txt",
            2,
            &[
                "possessive repeats, and repeats of repeats, are not available here",
                "  ‾",
            ],
        ),
        (r"find '\h(?=b)' a.txt", 2, &["no meaning", "[ \\t]"]),
        ("find '(?>a)b(?=c)' a.txt", 2, &["atomic groups", "(?:"]),
        (r"find '(a)\2' a.txt", 2, &["2"]),
    ];
    for (line, status, said) in cases {
        let got = sandbox.run(line);
        assert_eq!(got.status, *status, "{line}: {got:#?}");
        assert!(
            got.out.is_empty() || *status != 2,
            "{line}: nothing is printed before a wrong request is refused"
        );
        for words in *said {
            assert!(
                got.err.to_lowercase().contains(&words.to_lowercase()),
                "{line}: {words:?} is not in\n{}",
                got.err
            );
        }
    }
    assert_eq!(sandbox.snapshot(), before);
}

#[test]
fn help_shows_examples() {
    let sandbox = Sandbox::new();
    for verb in ["", "find", "preview", "apply", "demo", "completions"] {
        let got = sandbox.run(&format!("{verb} --help")).ok();
        assert!(got.out.contains("bquill "), "{verb}");
        let example = got.out.to_lowercase();
        assert!(
            example.contains("example") || verb.is_empty(),
            "{verb}: {}",
            got.out
        );
    }
}

#[test]
fn for_packagers() {
    let sandbox = Sandbox::new();
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let got = sandbox.run(&format!("completions {shell}")).ok();
        assert!(got.out.contains("preview"), "{shell}");
    }
    let page = sandbox.run("man").ok().out;
    assert!(page.contains(".TH") && page.contains("BQUILL PREVIEW") && page.contains("\\-\\-pick"));
}
