//! Words about patterns and templates: what is wrong, where, and what to write; and what each part means.

use crate::support;
use brisk_quill_core::explain::{explain_pattern, explain_template};
use brisk_quill_core::fault::Fault;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::template::Template;
use proptest::prelude::*;

/// A pattern that is refused: the part that is pointed at, what is said, and a part of the remedy.
const FAULTS: &[(&str, &str, &str, &str)] = &[
    (
        "(berth",
        "(",
        "this parenthesis is never closed",
        r"write `\(`",
    ),
    (
        "berth)",
        ")",
        "this parenthesis closes nothing",
        r"Write `\)`",
    ),
    ("[berth", "[", "this bracket is never closed", r"write `\[`"),
    (
        "*berth",
        "*",
        "there is nothing before this repeat to be repeated",
        "backslash",
    ),
    (
        "a|+",
        "+",
        "there is nothing before this repeat to be repeated",
        "backslash",
    ),
    (
        "a**",
        "*",
        "possessive repeats, and repeats of repeats, are not available here",
        "second sign",
    ),
    ("a{2", "{2", "this repeat count is never closed", "`{2,4}`"),
    (
        "a{}",
        "}",
        "a number is missing in this repeat count",
        "`{2}`",
    ),
    (
        "a{3,2}",
        "{3,2}",
        "this repeat count runs backwards",
        "`{2,4}`",
    ),
    (
        "a{99999999999}",
        "99999999999",
        "this number is too large",
        "`{2,}`",
    ),
    ("[z-a]", "z-a", "this range runs backwards", "Write `a-z`"),
    (
        r"[\d-z]",
        r"\d",
        "a range runs from one character to another",
        "hyphen first or last",
    ),
    (
        r"[\b]",
        r"\b",
        "this escape has no meaning between brackets",
        "outside of the brackets",
    ),
    (r"\q", r"\q", "this escape has no meaning here", "`q` alone"),
    (r"\R", r"\R", "this escape has no meaning here", r"`\r?\n`"),
    (
        r"berth\",
        r"\",
        "a backslash at the end escapes nothing",
        r"`\\`",
    ),
    (
        r"\x",
        r"\x",
        "the code of a character is missing",
        r"`\x2D`",
    ),
    (
        r"\x{}",
        "{}",
        "the code of a character is missing",
        r"`\x2D`",
    ),
    (
        r"\xZZ",
        "Z",
        "the code of a character is written in hexadecimal digits",
        r"`\x2D`",
    ),
    (
        r"\u{110000}",
        "110000",
        "no character has this code",
        r"`\u{2013}`",
    ),
    (
        r"\p",
        r"\p",
        "the name of this Unicode class is missing",
        r"`\p{Greek}`",
    ),
    (
        r"\p{Gerek}",
        r"\p{Gerek}",
        "there is no such Unicode class",
        r"`\p{Greek}`",
    ),
    (
        r"\p{Script=Gerek}",
        r"\p{Script=Gerek}",
        "there is no such value of this Unicode property",
        "Script=Greek",
    ),
    (
        r"(?-u:\xFF)",
        r"\xFF",
        "this can match bytes that are not UTF-8, and no match holds such bytes",
        "leave `(?-u)` out",
    ),
    ("(?i", "", "these flags are never closed", "the flags are"),
    ("(?q)a", "q", "`q` is not a flag", "the flags are"),
    ("(?ii)a", "i", "this flag is there twice", "the flags are"),
    (
        "(?i-)a",
        "-",
        "no flag follows this hyphen",
        "the flags are",
    ),
    (
        "(?i--s)a",
        "-",
        "there are two hyphens among these flags",
        "the flags are",
    ),
    (
        "(?>a)",
        ">",
        "`>` is not a flag",
        "atomic groups are not available",
    ),
    (
        "(?&x)",
        "&",
        "a pattern cannot call itself",
        "as many levels",
    ),
    (
        "(?P>x)",
        "P",
        "a pattern cannot call itself",
        "as many levels",
    ),
    (
        "(?<>a)",
        ">",
        "the name of this group is missing",
        "`(?<name>…)`",
    ),
    (
        "(?<n",
        "",
        "the name of this group is never closed",
        "`(?<name>…)`",
    ),
    (
        "(?<1n>a)",
        "1",
        "a name is made of letters, digits and underscores, and begins with no digit",
        "another name",
    ),
    (
        "(?<n>a)(?<n>b)",
        "n",
        "there is another group of this name",
        "another name",
    ),
    (
        r"\b{begin}",
        "begin",
        "there is no such word boundary",
        r"`\b{start}`",
    ),
    (r"(a)\2", r"\2", "the pattern has no group 2", r"`\1`"),
    (
        r"(?<=a+)b\1",
        r"\1",
        "the pattern has no group 1",
        "parentheses",
    ),
];

#[test]
fn faults_of_patterns() {
    let mut wrong = Vec::new();
    for (source, place, message, remedy) in FAULTS {
        let Err(error) = Pattern::new(source, &MatchOptions::default()) else {
            wrong.push(format!("{source}: taken"));
            continue;
        };
        let found = error.span().map_or("none", |span| &source[span.range()]);
        let said = error.to_string();
        let proposed = error.remedy().unwrap_or_default();
        if (found, said.as_str()) != (*place, *message)
            || !proposed.to_lowercase().contains(&remedy.to_lowercase())
        {
            wrong.push(format!("{source}: at {found:?}, {said}; {proposed}"));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

/// A template that is refused, for a pattern with one group called `n`.
const TEMPLATE_FAULTS: &[(&str, &str, &str, &str)] = &[
    ("B-$2", "$2", "the pattern has no group 2", "`$1`"),
    (
        "B-$nn",
        "$nn",
        "the pattern has no group nn",
        "did you mean `$n`",
    ),
    ("B-$", "$", "a `$` must be followed by a group", "`$$`"),
    (
        r"B-\q",
        r"\q",
        r"`\q` is not an escape of a template",
        r"\n",
    ),
    (r"\u{d800}", r"\u{d800}", "this is not a character", ""),
    ("B-${1", "${", "this brace is never closed", "}"),
    ("${1-2}", "${1-2}", "`1-2` is not a reference", ""),
    (
        "${@berth}",
        "@berth",
        "`@berth` is not a reference",
        "`@cell COLUMN`",
    ),
    (
        "${1 | upcase}",
        "upcase",
        "there is no filter `upcase`",
        "upper",
    ),
    (
        "${1 | pad}",
        "pad",
        "`pad` does not take these arguments",
        "pad",
    ),
    (
        "${1 | pad x}",
        "pad x",
        "`pad` does not take these arguments",
        "`pad N [CHAR]`",
    ),
    ("${1 | pad 3 'x}", "'", "this quote is never closed", ""),
];

#[test]
fn faults_of_templates() {
    let pattern = Pattern::new(r"(?<n>\d+)", &MatchOptions::default()).unwrap();
    let mut wrong = Vec::new();
    for (source, place, message, remedy) in TEMPLATE_FAULTS {
        let Err(error) = Template::parse(source, pattern.groups()) else {
            wrong.push(format!("{source}: taken"));
            continue;
        };
        let found = error.span().map_or("none", |span| &source[span.range()]);
        let said = error.to_string();
        let proposed = error.remedy().unwrap_or_default();
        if found != *place
            || !said.starts_with(message)
            || !proposed.contains(remedy)
            || proposed.is_empty()
        {
            wrong.push(format!("{source}: at {found:?}, {said}; {proposed}"));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

/// A pattern with its parts, each with the blanks of its depth.
const EXPLAINED: &[(&str, &[(&str, &str)])] = &[
    ("berth 7", &[("berth 7", "the text “berth 7”")]),
    (
        "a+?b*",
        &[
            ("a+?", "the text “a”, once or more, as few as possible"),
            (
                "b*",
                "the text “b”, any number of times, as many as possible",
            ),
        ],
    ),
    (
        "a{2}b{2,}c{2,4}?d?",
        &[
            ("a{2}", "the text “a”, 2 times"),
            (
                "b{2,}",
                "the text “b”, 2 times or more, as many as possible",
            ),
            ("c{2,4}?", "the text “c”, 2 to 4 times, as few as possible"),
            (
                "d?",
                "the text “d”, once or not at all, as many as possible",
            ),
        ],
    ),
    (
        r"\d\D\s\S\w\W",
        &[
            (r"\d", "a digit"),
            (r"\D", "a character that is not a digit"),
            (r"\s", "a white-space character"),
            (r"\S", "a character that is not a white-space character"),
            (r"\w", "a word character"),
            (r"\W", "a character that is not a word character"),
        ],
    ),
    (
        r"\p{Greek}\PL",
        &[
            (r"\p{Greek}", r"a character of the Unicode class \p{Greek}"),
            (r"\PL", r"a character not of the Unicode class \PL"),
        ],
    ),
    ("[a-z_]", &[("[a-z_]", "one of “a” to “z”, “_”")]),
    (
        r"[^\d[:alpha:]]",
        &[(
            r"[^\d[:alpha:]]",
            "any character but a digit, the class [:alpha:]",
        )],
    ),
    (
        "[a-z&&[aeiou]]",
        &[(
            "[a-z&&[aeiou]]",
            "one of what is “a” to “z”, and the class [aeiou] as well",
        )],
    ),
    (
        "[a-z--x]",
        &[("[a-z--x]", "one of “a” to “z”, but not “x”")],
    ),
    (
        "(a)(?<n>b)(?:c)+",
        &[
            ("(a)", "group 1:"),
            ("a", "  the text “a”"),
            ("(?<n>b)", "group 2, called n:"),
            ("b", "  the text “b”"),
            (
                "(?:c)+",
                "a non-capturing group, once or more, as many as possible:",
            ),
            ("c", "  the text “c”"),
        ],
    ),
    (
        "a|b|",
        &[
            ("a|b|", "one of these 3:"),
            ("a", "  the text “a”"),
            ("b", "  or the text “b”"),
            ("", "  or nothing"),
        ],
    ),
    (
        "^.$",
        &[
            ("^", "the start of the line"),
            (".", "any character but a line end"),
            ("$", "the end of the line"),
        ],
    ),
    (
        "(?s).(?-s:.).",
        &[
            ("(?s)", "from here on, `.` matches a line end too"),
            (".", "any character, a line end too"),
            (
                "(?-s:.)",
                "a non-capturing group, where `.` matches no line end:",
            ),
            (".", "  any character but a line end"),
            (".", "any character, a line end too"),
        ],
    ),
    (
        "(?U)a+b+?",
        &[
            (
                "(?U)",
                "from here on, repeats are as few as possible, and `?` turns that",
            ),
            ("a+", "the text “a”, once or more, as few as possible"),
            ("b+?", "the text “b”, once or more, as many as possible"),
        ],
    ),
    (
        "((?s).).",
        &[
            ("((?s).)", "group 1:"),
            ("(?s)", "  from here on, `.` matches a line end too"),
            (".", "  any character, a line end too"),
            (".", "any character but a line end"),
        ],
    ),
    (
        r"\Aa\z\b\B",
        &[
            (r"\A", "the start of the unit"),
            ("a", "the text “a”"),
            (r"\z", "the end of the unit"),
            (r"\b", "a word boundary"),
            (r"\B", "no word boundary"),
        ],
    ),
    (
        r"(?=x)(?!y)(?<=v)(?<!z)",
        &[
            ("(?=x)", "only where this follows:"),
            ("x", "  the text “x”"),
            ("(?!y)", "only where this does not follow:"),
            ("y", "  the text “y”"),
            ("(?<=v)", "only where this stands before:"),
            ("v", "  the text “v”"),
            ("(?<!z)", "only where this does not stand before:"),
            ("z", "  the text “z”"),
        ],
    ),
    (
        r"(a)\1",
        &[
            ("(a)", "group 1:"),
            ("a", "  the text “a”"),
            (r"\1", "what group 1 matched, once more"),
        ],
    ),
    (r"\u{e9}\x41\t", &[(r"\u{e9}\x41\t", "the text “éA→”")]),
];

#[test]
fn parts_of_patterns() {
    for (source, wanted) in EXPLAINED {
        let pattern = Pattern::new(source, &MatchOptions::default()).unwrap();
        let parts = explain_pattern(&pattern);
        let shown: Vec<(&str, String)> = parts
            .iter()
            .map(|part| {
                (
                    &source[part.span.range()],
                    "  ".repeat(part.depth) + &part.words,
                )
            })
            .collect();
        let wanted: Vec<(&str, String)> = wanted
            .iter()
            .map(|(text, words)| (*text, (*words).to_owned()))
            .collect();
        assert_eq!(shown, wanted, "{source}");
    }
    // As plain text, signs mean nothing.
    let literal = MatchOptions {
        literal: true,
        ..MatchOptions::default()
    };
    let parts = explain_pattern(&Pattern::new("a+(b", &literal).unwrap());
    assert_eq!(
        (parts.len(), parts[0].words.as_str()),
        (1, "the text “a+(b”")
    );
}

#[test]
fn parts_of_templates() {
    let pattern = Pattern::new(r"(?<n>\d+) (x)", &MatchOptions::default()).unwrap();
    for (source, wanted) in [
        ("B-$1", &[("B-", "the text “B-”"), ("${1}", "group 1")][..]),
        (
            "$0$$",
            &[("${0}", "the whole match"), ("$$", "the text “$”")],
        ),
        (
            "${@line}:${@file}",
            &[
                ("${@line}", "the number of the line"),
                (":", "the text “:”"),
                ("${@file}", "the path of the file"),
            ],
        ),
        (
            "${@number}",
            &[("${@number}", "the number of the match: 1, 2, 3 …")],
        ),
    ] {
        let template = Template::parse(source, pattern.groups()).unwrap();
        let parts = explain_template(&template);
        let parts: Vec<(&str, &str)> = parts
            .iter()
            .map(|(text, words)| (&text[..], &words[..]))
            .collect();
        assert_eq!(parts, wanted, "{source}");
    }
}

/// Bits of patterns, most of which mean something.
fn source() -> impl Strategy<Value = String> {
    let bits = [
        "a",
        "é",
        "7",
        " ",
        r"\d",
        r"\w+",
        ".",
        "*",
        "+?",
        "{2}",
        "{2,",
        "}",
        "(",
        ")",
        "(?:",
        "(?<n>",
        "(?i)",
        "(?s:",
        "[",
        "]",
        "[^",
        "a-z",
        "|",
        "^",
        "$",
        r"\b",
        r"\",
        "(?=",
        "(?<!",
        r"\1",
        "&&",
        "[:alpha:]",
        r"\p{L}",
        "#",
        "(?x)",
        "\n",
        "-",
        "{",
    ];
    prop::collection::vec(prop::sample::select(bits.to_vec()), 0..12).prop_map(|bits| bits.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 4 * support::cases(), failure_persistence: None, ..ProptestConfig::default() })]

    /// A pattern is taken and explained, each part within the one around it and in order; or it is refused, at a place in it
    /// and with something to do.
    #[test]
    fn patterns_are_explained_or_refused(source in source()) {
        let pattern = match Pattern::new(&source, &MatchOptions::default()) {
            Ok(pattern) => pattern,
            Err(error) => {
                if let Some(span) = error.span() {
                    prop_assert!(source.get(span.range()).is_some(), "{error:?}");
                }
                let (said, remedy) = (error.to_string(), error.remedy());
                prop_assert!(!said.is_empty() && !said.contains('\n') && said.len() < 120, "{said}");
                prop_assert!(remedy.is_some_and(|remedy| !remedy.is_empty()), "{error:?}");
                return Ok(());
            }
        };
        let parts = explain_pattern(&pattern);
        let mut around: Vec<(usize, std::ops::Range<usize>)> = Vec::new();
        let mut at = 0;
        for part in &parts {
            prop_assert!(source.get(part.span.range()).is_some() && !part.words.is_empty(), "{part:?}");
            around.retain(|(depth, _)| *depth < part.depth);
            prop_assert_eq!(around.len(), part.depth, "{:?}", parts);
            if let Some((_, outer)) = around.last() {
                prop_assert!(outer.start <= part.span.from && part.span.to <= outer.end, "{parts:?}");
            } else {
                prop_assert!(at <= part.span.from, "{parts:?}");
                at = part.span.to;
            }
            around.push((part.depth, part.span.range()));
        }
    }

    /// The same for templates; what is explained is the template again, in full form.
    #[test]
    fn templates_are_explained_or_refused(bits in prop::collection::vec(prop::sample::select(vec![
        "a", "é", "$", "$$", "$1", "$n", "${1}", "${", "}", "1", " | ", "upper", "pad 3 0", "'", "\"", "\\", "\\n", "@line", "@berth", "$0", "if a", "else", "?",
    ]), 0..10)) {
        let source = bits.concat();
        let pattern = Pattern::new(r"(?<n>\d+)", &MatchOptions::default()).unwrap();
        match Template::parse(&source, pattern.groups()) {
            Ok(template) => {
                let written: String = explain_template(&template).into_iter().map(|(text, _)| text).collect();
                let again = Template::parse(&written, pattern.groups());
                prop_assert_eq!(again.map(|again| again.to_string()), Ok(template.to_string()));
            }
            Err(error) => {
                let span = error.span().expect("a place");
                prop_assert!(source.get(span.range()).is_some(), "{error:?}");
                prop_assert!(error.remedy().is_some_and(|remedy| !remedy.is_empty()), "{error:?}");
                prop_assert!(!error.to_string().is_empty());
            }
        }
    }
}
