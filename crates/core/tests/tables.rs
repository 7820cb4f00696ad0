//! Named cases, a line each.

use crate::support::{self, Say, rewrite};
use brisk_quill_core::address::{Count, Spec};
use brisk_quill_core::chars;
use brisk_quill_core::error::Error;
use brisk_quill_core::escape::visible;
use brisk_quill_core::fault::Fault;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::records::json::push_text;
use brisk_quill_core::rewrite::rewrite_text;
use brisk_quill_core::step::reach::Reach;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::template::tables::{NoTables, Table, TableError, Tables};
use brisk_quill_core::template::{MatchContext, Template};
use std::sync::Arc;

/// The selection of a SPEC among seven; `Err` is the place at fault.
#[test]
fn specs() {
    for (text, selected) in [
        ("all", Ok(vec![1, 2, 3, 4, 5, 6, 7])),
        ("..", Ok(vec![1, 2, 3, 4, 5, 6, 7])),
        ("1", Ok(vec![1])),
        ("first", Ok(vec![1])),
        ("last", Ok(vec![7])),
        ("last-2", Ok(vec![5])),
        ("last-7", Ok(vec![])),
        ("8", Ok(vec![])),
        ("2..4", Ok(vec![2, 3, 4])),
        ("..3", Ok(vec![1, 2, 3])),
        ("6..", Ok(vec![6, 7])),
        ("6..99", Ok(vec![6, 7])),
        ("8..9", Ok(vec![])),
        ("last-9..2", Ok(vec![1, 2])),
        ("last-1..", Ok(vec![6, 7])),
        ("5..last-3", Ok(vec![])),
        ("1.. by 3", Ok(vec![1, 4, 7])),
        ("2..6 by 2", Ok(vec![2, 4, 6])),
        (" 1 , 3 .. 4 ,7 ", Ok(vec![1, 3, 4, 7])),
        ("3,1,3", Ok(vec![1, 3])),
        ("0", Err(0..1)),
        ("2,0..3", Err(2..3)),
        ("9..3", Err(0..4)),
        ("last..last-2", Err(0..12)),
        ("1.. by 0", Err(4..8)),
        ("1..4 by", Err(7..7)),
        ("", Err(0..0)),
        ("1,,2", Err(2..3)),
        ("1,", Err(2..2)),
        ("lastly", Err(0..6)),
        ("-3", Err(0..1)),
        ("2-4", Err(1..2)),
        ("99999999999999999999", Err(0..20)),
        ("3 by 2", Err(2..4)),
        ("all by 2", Err(4..6)),
        ("last..first", Err(0..11)),
        ("1,last-3..1", Err(2..11)),
    ] {
        let parsed = text.parse::<Spec>();
        let found = parsed.map(|spec| {
            let set = spec.resolve(Some(7));
            (1..=9).filter(|n| set.contains(*n)).collect::<Vec<u64>>()
        });
        let found = found.map_err(|error| error.span().unwrap().range());
        assert_eq!(found, selected, "{text:?}");
    }
}

#[test]
fn counts() {
    for (text, holds) in [
        ("3", Some(vec![3])),
        ("0", Some(vec![0])),
        ("2..", Some(vec![2, 3, 4, 5])),
        ("..2", Some(vec![0, 1, 2])),
        ("1..3", Some(vec![1, 2, 3])),
        ("3..1", None),
        ("last", None),
        ("", None),
        ("1,2", None),
    ] {
        let parsed = text.parse::<Count>().ok();
        let found = parsed.map(|count| (0..=5).filter(|n| count.holds(*n)).collect::<Vec<u64>>());
        assert_eq!(found, holds, "{text:?}");
    }
}

/// The text that a template writes for `Berth 12` matched by `(?<word>\w+) (\d+)(x)?`.
#[test]
fn templates() {
    let pattern = support::pattern(r"(?<word>\w+) (\d+)(x)?");
    let unit = b"Berth 12";
    let mut matches = Default::default();
    pattern.finder().collect(unit, true, &mut matches).unwrap();
    for (text, wanted) in [
        ("$2", Ok("12")),
        ("$0", Ok("Berth 12")),
        ("[$1]", Ok("[Berth]")),
        ("$word-$2", Ok("Berth-12")),
        ("${word}s", Ok("Berths")),
        ("${ 2 }0", Ok("120")),
        ("\\2\\1", Ok("12Berth")),
        ("$20", Ok("120")),
        ("$3", Ok("")),
        ("$$1", Ok("$1")),
        ("a\\tb\\n\\\\", Ok("a\tb\n\\")),
        ("\\u{2013}", Ok("\u{2013}")),
        ("{}|", Ok("{}|")),
        (
            "${@line}/${@file}/${@stem}/${@number}",
            Ok("4/notices/07-buoy.md/07-buoy/9"),
        ),
        ("${@number | pad 3}", Ok("009")),
        ("${@day}", Err((2..6, "not a reference"))),
        ("${1 | uper}", Err((6..10, "no filter `uper`"))),
        ("${1 |}", Err((5..5, "no filter"))),
        ("${1 | take}", Err((6..10, "does not take"))),
        ("${1 | take x}", Err((6..12, "does not take"))),
        ("${1 | upper 2}", Err((6..13, "does not take"))),
        ("${1 | pad 3 ab}", Err((6..14, "does not take"))),
        ("${1 | if a else}", Err((6..15, "does not take"))),
        ("${1 | swap '' b}", Err((6..15, "does not take"))),
        ("${1 | add one}", Err((6..13, "does not take"))),
        ("${1 | date %d %!}", Err((6..16, "not a form of dates"))),
        (
            "${1 | map berths.csv}",
            Err((6..20, "tables are not read here")),
        ),
        ("${1 | default 'x}", Err((14..15, "quote is never closed"))),
        ("${1 | default x", Err((0..2, "never closed"))),
        ("$4", Err((0..2, "no group 4"))),
        ("x${4}", Err((3..4, "no group 4"))),
        ("$words", Err((0..6, "no group words"))),
        ("\\7", Err((0..2, "no group 7"))),
        ("5 $", Err((2..3, "must be followed"))),
        ("$ 1", Err((0..1, "must be followed"))),
        ("\\d", Err((0..2, "not an escape"))),
        ("a\\", Err((1..2, "not an escape"))),
        ("\\u{110000}", Err((0..10, "not a character"))),
        ("\\u2013", Err((0..2, "not a character"))),
        ("${1", Err((0..2, "never closed"))),
        ("${}", Err((0..3, "not a reference"))),
        ("${1 2}", Err((0..6, "not a reference"))),
    ] {
        match (Template::parse(text, pattern.groups()), wanted) {
            (Ok(template), Ok(wanted)) => {
                let mut out = Vec::new();
                let context = MatchContext {
                    unit,
                    groups: matches.groups(0),
                    line: 4,
                    file: "notices/07-buoy.md".as_ref(),
                    count: 9,
                    row: None,
                };
                template.expand(&context, &mut out).unwrap();
                assert_eq!(String::from_utf8_lossy(&out), wanted, "{text:?}");
            }
            (Err(error), Err((span, words))) => {
                assert_eq!(error.span().unwrap().range(), span, "{text:?}");
                assert!(error.to_string().contains(words), "{text:?}: {error}");
                assert!(error.remedy().is_some(), "{text:?}");
            }
            (got, wanted) => panic!("{text:?}: {got:?}, wanted {wanted:?}"),
        }
    }
    let near = Template::parse("$wort", pattern.groups()).unwrap_err();
    assert_eq!(near.remedy().unwrap(), "did you mean `$word`?");
    let noted = Template::parse("$20", pattern.groups()).unwrap();
    assert_eq!(
        (noted.notes()[0].group, &*noted.notes()[0].digits),
        (2, "0")
    );
}

const PLAIN: MatchOptions = MatchOptions {
    ignore_case: false,
    whole_word: false,
    literal: false,
    entire: false,
    multi_line: false,
};

type MatchCase = (
    &'static str,
    MatchOptions,
    &'static [u8],
    &'static [(usize, usize)],
);

/// The matches of a pattern in one unit.
#[test]
fn patterns() {
    let any_case = MatchOptions {
        ignore_case: true,
        ..PLAIN
    };
    let word = MatchOptions {
        whole_word: true,
        ..PLAIN
    };
    let literal = MatchOptions {
        literal: true,
        ..PLAIN
    };
    let entire = MatchOptions {
        entire: true,
        ..PLAIN
    };
    let literal_word = MatchOptions {
        whole_word: true,
        ..literal
    };
    let cases: &[MatchCase] = &[
        ("quay", PLAIN, b"quay Quay", &[(0, 4)]),
        ("quay", any_case, b"quay Quay", &[(0, 4), (5, 9)]),
        ("É", any_case, "é".as_bytes(), &[(0, 2)]),
        ("pier", word, b"pier piers _pier pier", &[(0, 4), (17, 21)]),
        ("-5", word, b"x-5 -5 -55", &[(4, 6)]),
        ("a|ab", word, b"ab a", &[(0, 2), (3, 4)]),
        ("a.b", literal, b"axb a.b", &[(4, 7)]),
        ("a.", literal_word, b"ba. a. a.x", &[(4, 6)]),
        ("a|ab", entire, b"ab", &[(0, 2)]),
        ("a", entire, b"ab", &[]),
        ("^a$", PLAIN, b"a", &[(0, 1)]),
        ("$", PLAIN, b"a\r", &[(2, 2)]),
        // Empty matches: never inside a character, never where the last match ended.
        ("x*", PLAIN, "é".as_bytes(), &[(0, 0), (2, 2)]),
        ("x*", PLAIN, b"axb", &[(0, 0), (1, 2), (3, 3)]),
        ("x*", PLAIN, b"\xC3\xA9\xC3", &[(0, 0), (2, 2), (3, 3)]),
        ("x*", PLAIN, b"\xA9", &[(0, 0), (1, 1)]),
        (r"\w*", PLAIN, b"ab\xFF", &[(0, 2), (3, 3)]),
        // No match holds a byte that is not UTF-8.
        (".", PLAIN, b"a\xFFb", &[(0, 1), (2, 3)]),
        (".+", PLAIN, b"a\xC3b", &[(0, 1), (2, 3)]),
        ("[^a]", PLAIN, b"\xFF\xC3", &[]),
        ("", PLAIN, b"", &[(0, 0)]),
        ("x*", PLAIN, b"a\n", &[(0, 0), (1, 1)]),
        // The backtracking engine.
        (
            r"(?<!\d)\d{3}(?!\d)",
            PLAIN,
            b"12 345 6789 012",
            &[(3, 6), (12, 15)],
        ),
        (
            r"(\w)\1",
            PLAIN,
            "Šššš aab éé".as_bytes(),
            &[(2, 6), (9, 11), (13, 17)],
        ),
        (r"(\w)\1", any_case, "Ššab".as_bytes(), &[(0, 4)]),
        (r"(?<c>a|b)x\k<c>", PLAIN, b"axb bxb", &[(4, 7)]),
        (r"(?P<c>a)(?P=c)", PLAIN, b"aa", &[(0, 2)]),
        (r"a(?=b)", word, b"ab a", &[]),
        (r"a(?= b)", word, b"xa a b", &[(3, 4)]),
        (r"\w+(?=\w)", entire, b"ab", &[]),
        (r"(?=)x*", PLAIN, "éx".as_bytes(), &[(0, 0), (2, 3)]),
        (r"(?<=^)b$(?!x)", PLAIN, b"b", &[(0, 1)]),
    ];
    for (source, options, unit, wanted) in cases {
        let pattern = Pattern::new(source, options).unwrap();
        let found = support::spans(&pattern, unit);
        let found: Vec<_> = found.iter().map(|s| (s.from, s.to)).collect();
        assert_eq!(found, *wanted, "{source:?} in {unit:?}");
        assert_eq!(
            pattern.finder().is_match(unit),
            Ok(!wanted.is_empty()),
            "{source:?} in {unit:?}"
        );
    }
}

/// Patterns that are refused: the place, and a word of what to do.
#[test]
fn refused_patterns() {
    for (source, span, remedy) in [
        ("a(b", Some(1..2), "\\("),
        ("a)", Some(1..2), "\\)"),
        ("[a", Some(0..1), "]"),
        ("*a", Some(0..1), "backslash"),
        ("a{2", Some(1..3), "{2}"),
        (r"end\Z", Some(3..5), r"\z"),
        (r"\h", Some(0..2), "[ \\t]"),
        ("a\\", Some(1..2), "\\\\"),
        (r"(?-u:\xFF)", Some(5..9), ""),
        (r"(\w{1000}){1000}", None, "smaller"),
    ] {
        let error = Error::from(Pattern::new(source, &PLAIN).unwrap_err());
        assert_eq!(error.span().map(|s| s.range()), span, "{source}: {error}");
        let said = error.remedy().unwrap_or_default();
        assert!(said.contains(remedy), "{source}: {said}");
    }
}

/// Whole rewrites: text, steps, new text.
#[test]
fn rewrites() {
    let first = Say {
        pick: "first",
        ..Say::new(r"quay (\d+)", "Q$1")
    };
    let last = Say {
        pick: "last",
        ..first.clone()
    };
    let second = Say {
        pick: "2",
        ..first.clone()
    };
    let last_line = Say {
        pick: "",
        lines: "last",
        ..first.clone()
    };
    let all = Say {
        pick: "",
        ..first.clone()
    };
    let one = Say {
        limit: Some(1),
        ..all.clone()
    };
    let text = "quay 7, quay 12\r\nquay 3";
    for (steps, wanted) in [
        (vec![all.clone()], "Q7, Q12\r\nQ3"),
        (vec![first], "Q7, quay 12\r\nQ3"),
        (vec![last], "quay 7, Q12\r\nQ3"),
        (vec![second], "quay 7, Q12\r\nquay 3"),
        (vec![last_line], "quay 7, quay 12\r\nQ3"),
        (vec![one], "Q7, quay 12\r\nquay 3"),
        (vec![all.clone(), Say::new("Q", "W")], "W7, W12\r\nW3"),
        (
            vec![
                all.clone(),
                Say {
                    action: "remove",
                    ..Say::new("Q7, ", "")
                },
            ],
            "Q12\r\nQ3",
        ),
        (vec![all, Say::new("Q", "quay ")], text),
        (vec![Say::new("$", ";")], "quay 7, quay 12;\r\nquay 3;"),
        (
            vec![Say::new(", ", "\\n"), Say::new("^", "> ")],
            "> quay 7\n> quay 12\r\n> quay 3",
        ),
    ] {
        let outcome = rewrite_text(&rewrite(&steps), text.as_bytes());
        assert_eq!(String::from_utf8_lossy(&outcome.text), wanted, "{steps:?}");
    }
    let there_and_back = [Say::new("quay", "Q"), Say::new("Q", "quay")];
    assert_eq!(
        rewrite_text(&rewrite(&there_and_back), text.as_bytes())
            .counts
            .changes,
        0
    );
}

struct Berths;

impl Tables for Berths {
    fn table(&mut self, path: &str) -> Result<Arc<Table>, TableError> {
        let mut table = Table::default();
        for (old, new, done) in [
            ("7", "East Quay", Ok(())),
            ("L4", "North quay", Ok(())),
            ("12", "West Quay", Ok(())),
            ("7", "East Quay", Ok(())),
            ("7", "Coal Pier", Err("East Quay")),
        ] {
            assert_eq!(table.add(old.into(), new.into()), done);
        }
        match path {
            "berths.csv" | "places.tsv" => Ok(Arc::new(table)),
            other => Err(TableError {
                path: other.to_owned(),
                reason: "it is not there".into(),
            }),
        }
    }
}

/// Every filter: value, filters, what comes out or a word of the problem. `-` is a group that
/// took no part.
#[test]
fn filters() {
    let pattern = support::pattern("(?s)^(?:-|(.*))$");
    for (value, filters, wanted) in [
        ("straße", "upper", Ok("STRASSE")),
        ("ΟΔΟΣ É", "lower", Ok("οδος é")),
        ("EAST quay, old pier", "title", Ok("East Quay, Old Pier")),
        ("élan de mer", "capital", Ok("Élan de mer")),
        ("", "capital", Ok("")),
        // Unicode's title case, and what is right already stays.
        ("İstanbul ẞa ﬁsh", "title", Ok("İstanbul ẞa Fish")),
        (
            "ß ǆamija Ǉubav ŉ ანი",
            "title",
            Ok("Ss ǅamija ǈubav ʼN ანი"),
        ),
        ("ΟΔΟΣ ΣΑΣ 2ND o'NEIL", "title", Ok("Οδος Σας 2nd O'neil")),
        ("ﬁsh", "capital", Ok("Fish")),
        ("ǆ", "capital", Ok("ǅ")),
        ("İx", "capital", Ok("İx")),
        (
            "Søren Ånstad, Țar, e\u{301}",
            "plain",
            Ok("Soren Anstad, Tar, e"),
        ),
        ("한국 क्षि", "plain", Ok("한국 क्षि")),
        ("a ≠ b, ≮, Ω, ø ǖ", "plain", Ok("a ≠ b, ≮, Ω, o u")),
        (" \t quay\u{a0}", "trim", Ok("quay")),
        (" a \t\u{2003} b  ", "collapse", Ok(" a b ")),
        ("e\u{301}👩‍⚓x", "take 2", Ok("e\u{301}👩‍⚓")),
        ("e\u{301}👩‍⚓x", "drop 1", Ok("👩‍⚓x")),
        ("quay", "take-last 2", Ok("ay")),
        ("quay", "drop-last 9", Ok("")),
        ("שלום", "take 2", Ok("של")),
        ("7", "pad 3", Ok("007")),
        ("-7", "pad 4", Ok("-007")),
        ("-", "pad 2", Ok("00")),
        ("e\u{301}", "pad 3 .", Ok("..e\u{301}")),
        ("-x", "pad 3", Ok("0-x")),
        ("ab", "pad-right 4", Ok("ab  ")),
        ("ab", "pad-right 4 '·'", Ok("ab··")),
        ("a.b.c", "swap . ', '", Ok("a, b, c")),
        ("7", "map berths.csv", Ok("East Quay")),
        ("9", "map berths.csv", Err("`9` is not in the table")),
        ("9", "map berths.csv else ?", Ok("?")),
        ("9", "map 'berths.csv' else ''", Ok("")),
        ("9", "map berths.csv else $1", Ok("9")),
        ("9", "map berths.csv else '$1'", Ok("$1")),
        ("9", "take 0 | default $0", Ok("9")),
        ("-", "if $0 else $0", Ok("-")),
        ("", "default none", Ok("none")),
        ("x", "default none", Ok("x")),
        ("-", "default none", Ok("none")),
        ("x", "if yes", Ok("yes")),
        ("", "if yes else no", Ok("yes")),
        ("-", "if yes else no", Ok("no")),
        ("-", "if yes", Ok("")),
        ("-", "default x | if 'else' else no", Ok("no")),
        ("4,2", "add 1", Ok("5,2")),
        ("4.20", "add 0.8", Ok("5.00")),
        ("4.2", "multiply 1.5", Ok("6.30")),
        ("0.00", "multiply 2", Ok("0.00")),
        ("1", "multiply 2,5", Ok("2,5")),
        ("1.5", "multiply 2,5", Ok("3.75")),
        ("1", "add 2,5", Ok("3,5")),
        ("0,0", "multiply 0.0", Ok("0,00")),
        ("007,50", "add 0", Ok("7,50")),
        (
            "99999999999999999999999999999999999999",
            "add 1",
            Err("has too many digits: at most 28"),
        ),
        ("0,1", "add 0,2", Ok("0,3")),
        ("+7", "add -2", Ok("+5")),
        ("-7", "multiply -2", Ok("14")),
        ("007", "add 1 | pad 3", Ok("008")),
        ("2,345", "round 2", Ok("2,35")),
        ("-2.5", "round 0", Ok("-3")),
        ("2", "round 2", Ok("2.00")),
        (" 3 ", "add 1", Ok("4")),
        ("low", "add 1", Err("`low` is not a number")),
        ("", "round 1", Err("`` is not a number")),
        ("1.2.3", "add 1", Err("not a number")),
        (
            "79228162514264337593543950335",
            "multiply 10",
            Err("too many digits"),
        ),
        ("Aé", "code", Ok("U+0041 U+00E9")),
        ("12.08.2026", "date '%d.%m.%Y' '%Y-%m-%d'", Ok("2026-08-12")),
        ("0630", "date '%H%M' %H:%M", Ok("06:30")),
        (
            "31.02.2026",
            "date '%d.%m.%Y' '%Y-%m-%d'",
            Err("`31.02.2026` cannot be read as %d.%m.%Y"),
        ),
        ("soon", "date '%d.%m.%Y' '%Y-%m-%d'", Err("cannot be read")),
        (
            "1.2.24",
            "date %d.%m.%Y %F",
            Err("has the year 24, and %Y takes four digits"),
        ),
        ("1.2.0024", "date %d.%m.%Y %F", Ok("0024-02-01")),
        ("1.2.24", "date %d.%m.%y %F", Ok("2024-02-01")),
        ("07:30", "date %H:%M %T", Ok("07:30:00")),
        ("07", "date %H %T", Ok("07:00:00")),
        (
            "23:59:60",
            "date %T %H:%M:%S",
            Err("has a second numbered 60"),
        ),
        ("23:59:59", "date %T %H:%M:%S", Ok("23:59:59")),
        ("07:30", "date %T %H:%M", Err("cannot be read")),
        ("06:30", "date '%H:%M' '%Y'", Err("cannot be read")),
        (
            " east   QUAY ",
            "collapse | trim | lower | title | swap ' ' _ | take 6",
            Ok("East_Q"),
        ),
        ("it's", r#"swap "'" '\'\'' | swap '"' "\"""#, Ok("it''s")),
    ] {
        let done = filtered(&pattern, value, filters);
        match (done, wanted) {
            (Ok(made), Ok(wanted)) => assert_eq!(made, wanted, "{value:?} {filters}"),
            (Err(said), Err(words)) => {
                assert!(said.contains(words), "{value:?} {filters}: {said}");
            }
            (done, wanted) => panic!("{value:?} {filters}: {done:?}, wanted {wanted:?}"),
        }
    }
    let missing = Template::parse_with("${1 | map none.csv}", pattern.groups(), &mut Berths);
    assert!(
        missing
            .unwrap_err()
            .to_string()
            .contains("none.csv cannot be used")
    );
    for filter in brisk_quill_core::template::filters::all() {
        assert!(!filter.examples.is_empty(), "{}", filter.name);
        for (value, call, gives) in filter.examples {
            assert!(call.starts_with(filter.name), "{call}");
            assert_eq!(
                filtered(&pattern, value, call).unwrap(),
                *gives,
                "{value} | {call}"
            );
        }
    }
}

/// The text that `filters` make of the first group of `value`, or the problem in words.
fn filtered(pattern: &Pattern, value: &str, filters: &str) -> Result<String, String> {
    let text = format!("${{1 | {filters}}}");
    let template = Template::parse_with(&text, pattern.groups(), &mut Berths).unwrap();
    let mut matches = Default::default();
    let mut finder = pattern.finder();
    finder
        .collect(value.as_bytes(), true, &mut matches)
        .unwrap();
    let context = MatchContext {
        unit: value.as_bytes(),
        groups: matches.groups(0),
        line: 1,
        file: "-".as_ref(),
        count: 1,
        row: None,
    };
    let mut out = Vec::new();
    let done = template.expand(&context, &mut out);
    done.map_err(|problem| problem.to_string())?;
    Ok(String::from_utf8(out).unwrap())
}

/// Sets of characters: what they hold, or the place at fault.
#[test]
fn characters() {
    for (text, wanted) in [
        ("abc", Ok("abc")),
        ("a-e", Ok("abcde")),
        ("a-", Ok("a-")),
        (r"a\-c", Ok("a-c")),
        ("[:digit:]x", Ok("0123456789x")),
        (r"\n\t\u{E9}-ë", Ok("\n\téêë")),
        ("[", Ok("[")),
        ("", Err(0..0)),
        ("z-a", Err(0..3)),
        ("x[:word:]", Err(1..9)),
        (r"x\d", Err(1..3)),
        (r"\u{110000}", Err(0..2)),
    ] {
        let found = chars::set(text).map(String::from_iter);
        let found = found.map_err(|error| error.span().unwrap().range());
        assert_eq!(found, wanted.map(str::to_owned), "{text:?}");
    }
    for (from, to, words) in [
        ("a-c", "xy", "FROM holds 3 and TO 2"),
        ("a", "xy", "FROM holds 1 and TO 2"),
        ("aa", "xy", "two different"),
    ] {
        let (error, _) = chars::swaps(from, to).unwrap_err();
        assert!(error.to_string().contains(words), "{error}");
    }
}

/// A change's record of its match.
#[test]
fn groups_of_changes() {
    type Groups<'g> = &'g [Option<&'g str>];
    let cases: [(&'static str, &str, &[Groups<'_>]); 6] = [
        // The match itself is what changes.
        ("quay", "a quay", &[]),
        (
            "(a)(b)?",
            "a ab",
            &[
                &[Some("a"), Some("a"), None],
                &[Some("ab"), Some("a"), Some("b")],
            ],
        ),
        ("()a", "a", &[&[Some("a"), Some("")]]),
        // A group may lie outside the match.
        (
            "(?<=(berth) )7(?= (.+))",
            "berth 7 closed",
            &[&[Some("7"), Some("berth"), Some("closed")]],
        ),
        ("(?<=(x)|y)7", "y7", &[&[Some("7"), None]]),
        (
            "^()",
            "a\nb",
            &[&[Some(""), Some("")], &[Some(""), Some("")]],
        ),
    ];
    for (pattern, text, wanted) in cases {
        let rewrite = rewrite(&[Say::new(pattern, "!")]);
        let found = support::groups_of(&rewrite, text);
        let found: Vec<Vec<Option<&str>>> = (found.iter())
            .map(|groups| groups.iter().map(Option::as_deref).collect())
            .collect();
        assert_eq!(found, wanted, "{text}");
    }
}

#[test]
fn numbers_read_well() {
    for (n, noun, text) in [
        (0, "file", "0 files"),
        (1, "match", "1 match"),
        (999, "match", "999 matches"),
        (1_234_567, "change", "1,234,567 changes"),
    ] {
        assert_eq!(counted(n, noun), text);
    }
}

/// Text that is shown moves no cursor and hides nothing.
#[test]
fn nothing_drives_the_terminal() {
    for (bytes, shown) in [
        (&b"plain"[..], "plain"),
        (b"a\tb", "a→b"),
        (b"\x1b[31m\r\n\x07", "‹ESC›[31m‹CR›↵‹BEL›"),
        (b"\x7f", "‹DEL›"),
        ("caf\u{e9} \u{202e}x".as_bytes(), "café ‹U+202E›x"),
        (b"\xc3(\xff", "‹C3›(‹FF›"),
        ("\u{9b}2J".as_bytes(), "‹U+009B›2J"),
        ("a\u{3164}b\u{115f}".as_bytes(), "a‹U+3164›b‹U+115F›"),
        (
            "\u{fe0f}\u{e0101}\u{180e}".as_bytes(),
            "‹U+FE0F›‹U+E0101›‹U+180E›",
        ),
    ] {
        assert_eq!(visible(bytes), shown);
    }
}

#[test]
fn hidden_characters_are_numbers() {
    let is_hidden = |c: &char| *c != '‹' && visible(c.to_string().as_bytes()).starts_with('‹');
    for c in ('\0'..=char::MAX).filter(is_hidden) {
        let mut out = Vec::new();
        push_text(&mut out, &format!("quay{c}"));
        assert!(out.is_ascii(), "{:x}", u32::from(c));
        let read: String = serde_json::from_slice(&out).expect("JSON");
        assert_eq!(read, format!("quay{c}"));
    }
}

#[test]
fn each_key_has_its_reach() {
    let text = |text: &str| Some(text.to_owned());
    let plain = StepSpec {
        pattern: text("a"),
        with: text("b"),
        contains: vec!["c".to_owned()],
        ..StepSpec::default()
    };
    let with = |with: &str| StepSpec {
        with: text(with),
        ..plain.clone()
    };
    let cases = [
        (plain.clone(), Reach::Line, None),
        (
            StepSpec {
                pick: text("last"),
                ..plain.clone()
            },
            Reach::Line,
            None,
        ),
        (
            StepSpec {
                lines: text("2.."),
                ..plain.clone()
            },
            Reach::File,
            Some("lines"),
        ),
        (
            StepSpec {
                columns: text("1"),
                ..plain.clone()
            },
            Reach::File,
            Some("columns"),
        ),
        (
            StepSpec {
                unit: text("text"),
                ..plain.clone()
            },
            Reach::File,
            Some("unit"),
        ),
        (
            StepSpec {
                between: vec!["x".into(), "y".into()],
                ..plain.clone()
            },
            Reach::File,
            Some("between"),
        ),
        (
            StepSpec {
                pick: text("first"),
                per: text("file"),
                ..plain.clone()
            },
            Reach::File,
            Some("per"),
        ),
        (
            StepSpec {
                with: None,
                above: text("x"),
                ..plain.clone()
            },
            Reach::File,
            Some("above"),
        ),
        (with("${@line}"), Reach::File, Some("with")),
        (with("${@number}"), Reach::Run, Some("with")),
        (
            StepSpec {
                limit: Some(3),
                ..plain.clone()
            },
            Reach::Run,
            Some("limit"),
        ),
        (
            StepSpec {
                pick: text("first"),
                per: text("run"),
                ..plain.clone()
            },
            Reach::Run,
            Some("per"),
        ),
        (
            StepSpec {
                expect: vec!["3".into()],
                ..plain.clone()
            },
            Reach::Run,
            Some("expect"),
        ),
    ];
    for (spec, reach, key) in cases {
        let step = spec.build(&mut NoTables).unwrap();
        assert_eq!(step.reach(), (reach, key), "{spec:?}");
    }
}
