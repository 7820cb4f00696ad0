//! Lines found by searching many at once are those that a look at each line finds.

mod support;

use brisk_quill_core::{
    Findings, Found, Hunting, MatchOptions, Near, Pattern, Problem, Query, Span, Standing,
    UnitView, Visitor,
};
use proptest::prelude::*;
use support::{cases, pattern, spec};

/// Texts of many lines, most of them alike; every kind of line end, and stray bytes.
fn text() -> impl Strategy<Value = Vec<u8>> {
    let content = prop::collection::vec(
        prop_oneof![
            12 => prop::sample::select(vec!["a", "b", "ab", "A", " ", "7", "é", "\r", "_", "\u{85}"])
                .prop_map(|bit| bit.as_bytes().to_vec()),
            1 => prop::sample::select(vec![vec![0xC3], vec![0xFF]]),
        ],
        0..6,
    );
    let ending = prop::sample::select(vec!["\n", "\n", "\r\n", "\n\n", "\r\r\n"]);
    let lines = prop::collection::vec((content, ending, 1..12usize), 0..8);
    (lines, any::<bool>()).prop_map(|(lines, cut)| {
        let mut text = Vec::new();
        for (content, ending, times) in lines {
            let line = [content.concat(), ending.as_bytes().to_vec()].concat();
            text.extend(line.repeat(times));
        }
        if cut {
            text.pop();
        }
        text
    })
}

/// Patterns of every kind of sign.
fn source() -> impl Strategy<Value = String> {
    let sign = prop::sample::select(vec![
        "a",
        "b",
        "A",
        "7",
        "é",
        " ",
        r"\n",
        r"\r",
        ".",
        "(?s:.)",
        "[^a]",
        r"[\n b]",
        r"\s",
        r"\S",
        r"\w",
        r"\d",
        r"\b",
        r"\B",
        "^",
        "$",
        r"\A",
        r"\z",
        "(?m:^)",
        "(?m:$)",
        "(?mR:^)",
        "(?mR:$)",
        r"(?-u:\b)",
        r"\b{start}",
        r"\b{end-half}",
        r"(?-u:\w)",
        "(?i:a)",
        r"\r?\n",
    ]);
    let sign = sign.prop_map(str::to_owned);
    sign.prop_recursive(3, 12, 4, |inner| {
        let several = prop::collection::vec(inner.clone(), 1..5);
        prop_oneof![
            6 => several.clone().prop_map(|signs| signs.concat()),
            1 => several.prop_map(|signs| format!("(?:{})", signs.join("|"))),
            1 => (inner.clone(), prop::sample::select(vec!["?", "*", "+", "+?", "{2}"]))
                .prop_map(|(inner, repeat)| format!("(?:{inner}){repeat}")),
            1 => inner.prop_map(|inner| format!("({inner})")),
        ]
    })
}

/// Line and offset of a unit, its bytes, and each match in it.
type Unit = (u64, u64, Vec<u8>, Vec<(Span, Standing)>);

/// The units that were shown.
#[derive(Debug, Default, PartialEq)]
struct Shown(Vec<Unit>);

impl Visitor for Shown {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>) {
        let matches = found.iter().map(|f| (f.span, f.standing)).collect();
        let place = unit.offset(0);
        let bytes = unit.bytes().to_vec();
        self.0.push((unit.line, place, bytes, matches));
    }

    fn problem(&mut self, _: usize, problem: Problem) {
        panic!("{problem:?}");
    }
}

fn shown(query: &Query, text: &[u8], size: usize, hunting: Hunting) -> Shown {
    let mut shown = Shown::default();
    let mut found = Found::new(query).hunting(hunting);
    found.begin("-", 0);
    let mut pieces = text.chunks(size).peekable();
    while let Some(piece) = pieces.next() {
        match pieces.peek() {
            // Each look is told of the end in its own way.
            None if hunting == Hunting::Always => found.push_last(piece, &mut shown),
            _ => found.push(piece, &mut shown),
        }
    }
    found.finish(&mut shown);
    shown
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(), failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn hunting_finds_what_each_line_holds(
        text in text(), source in source(), size in prop_oneof![1..9usize, Just(usize::MAX)],
        whole_word in any::<bool>(), scope in 0..6usize,
    ) {
        let options = MatchOptions { whole_word, ..MatchOptions::default() };
        let Ok(main) = Pattern::new(&source, &options) else {
            return Ok(());
        };
        let mut query = Query::new(main);
        match scope {
            0 => query.scope.lines = spec("2.. by 2"),
            1 => query.scope.contains.push(pattern("b")),
            2 => query.scope.near.push(Near { pattern: pattern("7"), distance: 1 }),
            3 => query.pick.spec = spec("2.."),
            _ => {}
        }
        let each = shown(&query, &text, size, Hunting::Never);
        prop_assert_eq!(&shown(&query, &text, size, Hunting::Always), &each, "{}", source);
    }
}
