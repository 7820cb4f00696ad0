//! Lines found by searching many at once are those that a look at each line finds.

use crate::support::{self, cases, pattern, spec};
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::pattern::probe::Probe;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::Query;
use brisk_quill_core::query::findings::{Findings, MatchStatus};
use brisk_quill_core::query::note::Note;
use brisk_quill_core::query::prefilter::PrefilterUse;
use brisk_quill_core::query::scope::{Block, Near};
use brisk_quill_core::query::unit_view::UnitView;
use brisk_quill_core::query::unit_view::Unmatched;
use brisk_quill_core::rewrite::options::{RunOptions, Watch};
use brisk_quill_core::rewrite::part_start::PartStart;
use brisk_quill_core::rewrite::seen::SeenUnit;
use brisk_quill_core::rewrite::sink::Sink;
use brisk_quill_core::rewrite::{Rewrite, Run};
use brisk_quill_core::span::Span;
use proptest::prelude::*;

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
    (lines, any::<bool>(), any::<bool>()).prop_map(|(lines, cut, has_returns)| {
        let mut text = Vec::new();
        for (content, ending, times) in lines {
            let line = [content.concat(), ending.as_bytes().to_vec()].concat();
            text.extend(line.repeat(times));
        }
        if cut {
            text.pop();
        }
        if !has_returns {
            // Such texts are searched as a whole.
            text.retain(|byte| *byte != b'\r');
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

/// Line and offset of a unit, its bytes, each match in it, and the groups of each.
type Unit = (
    u64,
    u64,
    Vec<u8>,
    Vec<(Span, MatchStatus)>,
    Vec<Vec<Option<Span>>>,
);

/// The units that were shown.
#[derive(Debug, Default, PartialEq)]
struct Shown(Vec<Unit>, u64);

impl Shown {
    /// Without the numbers of the matches taken, which no one knows in a part.
    fn unnumbered(mut self) -> Self {
        for status in self.0.iter_mut().flat_map(|unit| &mut unit.3) {
            if let MatchStatus::Picked(number) = &mut status.1 {
                *number = 0;
            }
        }
        self
    }
}

impl Sink for Shown {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, _: u64) {
        let matches = found.iter().map(|f| (f.span, f.status)).collect();
        let groups: Vec<_> = found
            .iter()
            .map(|f| f.groups.iter().collect::<Vec<_>>())
            .collect();
        let place = unit.offset(0);
        let bytes = unit.bytes().to_vec();
        self.0.push((unit.line, place, bytes, matches, groups));
    }

    fn passed(&mut self, units: u64) {
        self.1 += units;
    }

    fn problem(&mut self, problem: Problem) {
        panic!("{problem:?}");
    }

    fn seen(&mut self, _: usize, seen: &SeenUnit<'_>) {
        if seen.found.is_empty() {
            // A probe has shown it.
            self.unit(seen.unit, seen.found, 0);
        }
    }

    fn note(&mut self, _: usize, note: Note) {
        assert!(matches!(note, Note::OpenBlock(_)), "{note:?}");
    }
}

fn shown(query: &Query, text: &[u8], size: usize, prefilter: PrefilterUse) -> Shown {
    shown_with(query, text, size, &looking(prefilter))
}

fn looking(prefilter: PrefilterUse) -> RunOptions {
    RunOptions {
        prefilter,
        ..RunOptions::default()
    }
}

fn shown_with(query: &Query, text: &[u8], size: usize, options: &RunOptions) -> Shown {
    let mut shown = Shown::default();
    let (search, prefilter) = (Rewrite::showing(query.clone()), options.prefilter);
    let mut run = Run::new(&search, options);
    let mut found = run.text("-", 0);
    let mut pieces = text.chunks(size).peekable();
    while let Some(piece) = pieces.next() {
        match pieces.peek() {
            // Each look learns of the end in its own way.
            None if prefilter == PrefilterUse::Always => found.push_last(piece, &mut shown),
            _ => found.push(piece, &mut shown),
        }
    }
    found.finish(&mut shown);
    shown
}

/// The same in parts of whole lines, at least `size` bytes long, looked at in turn by two.
fn shown_in_parts(query: &Query, text: &[u8], size: usize) -> Shown {
    let mut shown = Shown::default();
    let search = Rewrite::showing(query.clone());
    let mut two = [PrefilterUse::default(), PrefilterUse::Always]
        .map(|prefilter| Run::new(&search, &looking(prefilter)));
    let (mut start, mut rest) = (PartStart::of_text(0), text);
    while !rest.is_empty() {
        let end = rest.iter().skip(size).position(|byte| *byte == b'\n');
        let (part, behind) = rest.split_at(end.map_or(rest.len(), |at| size + at + 1));
        let mut found = two[0].part("-", start.clone());
        found.push_last(part, &mut shown);
        found.finish(&mut shown);
        (start, rest) = (start.behind(part), behind);
        two.swap(0, 1);
    }
    shown
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(), failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn prefilter_finds_what_each_line_holds(
        text in text(), source in source(), size in prop_oneof![1..9usize, Just(usize::MAX)],
        whole_word in any::<bool>(), scope in 0..9usize, shows in any::<bool>(), groups in any::<bool>(),
        marks in (source(), source()), (inner, open_end, outside) in any::<(bool, bool, bool)>(),
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
            4 | 5 => {
                let mark = |source: &str| Pattern::new(source, &options);
                let (Ok(start), Ok(end)) = (mark(&marks.0), mark(&marks.1)) else {
                    return Ok(());
                };
                query.scope.blocks.push(Block { start, end, inner, open_end, outside });
            }
            _ => {}
        }
        let by = |prefilter| {
            let missing = if shows { Unmatched::Shown } else { Unmatched::Ignored };
            let options = RunOptions { missing, groups, ..looking(prefilter) };
            shown_with(&query, &text, size, &options)
        };
        prop_assert_eq!(by(PrefilterUse::Always).0, by(PrefilterUse::Never).0, "{}", source);
        // Units without a match that are counted are as many as are shown elsewhere.
        let without = |prefilter, missing| {
            let shown = shown_with(&query, &text, size, &RunOptions { missing, ..looking(prefilter) });
            shown.0.iter().filter(|unit| unit.3.is_empty()).count() as u64 + shown.1
        };
        let all = without(PrefilterUse::Never, Unmatched::Shown);
        prop_assert_eq!(without(PrefilterUse::Always, Unmatched::Counted), all, "{}", source);
        prop_assert_eq!(without(PrefilterUse::Never, Unmatched::Counted), all, "{}", source);
        let each = shown(&query, &text, size, PrefilterUse::Never);
        // Nor does it matter who looks at which part.
        let search = Rewrite::showing(query.clone());
        prop_assert_eq!(Run::new(&search, &RunOptions::default()).part_cut("-").is_some(), !matches!(scope, 2 | 4 | 5));
        if !matches!(scope, 2 | 4 | 5) {
            let parts = shown_in_parts(&query, &text, size);
            prop_assert_eq!(parts.unnumbered(), each.unnumbered(), "{}", source);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(), failure_persistence: None, ..ProptestConfig::default() })]

    /// A probe changes no match, and shows every line in scope that its patterns match; what is shown
    /// depends neither on pieces nor on the prefilter.
    #[test]
    fn a_probe_shows_further_lines(
        text in text(), sources in (source(), source()), size in prop_oneof![1..9usize, Just(usize::MAX)],
        odd_lines in any::<bool>(),
    ) {
        let options = MatchOptions::default();
        let (Ok(main), Ok(further)) = (Pattern::new(&sources.0, &options), Pattern::new(&sources.1, &options)) else {
            return Ok(());
        };
        let Some(probe) = Probe::new(&main, std::slice::from_ref(&further)) else {
            return Ok(());
        };
        let scope = |query: &mut Query| if odd_lines { query.scope.lines = spec("1.. by 2") };
        let (mut query, mut others) = (Query::new(main), Query::new(further));
        scope(&mut query);
        scope(&mut others);
        let plain = shown(&query, &text, size, PrefilterUse::Never);
        let probed = |size, how| {
            let probes = vec![Some(probe.clone())];
            let watch = Some(Watch { probes });
            shown_with(&query, &text, size, &RunOptions { watch, ..looking(how) })
        };
        let all = probed(size, PrefilterUse::Never);
        prop_assert_eq!(&probed(usize::MAX, PrefilterUse::Always).0, &all.0, "{:?}", sources);
        let with_match = all.0.iter().filter(|unit| !unit.3.is_empty()).cloned().collect();
        prop_assert_eq!(&Shown(with_match, 0), &Shown(plain.0.clone(), 0), "{:?}", sources);
        let in_scope = |unit: &&Unit| unit.3.iter().any(|(_, status)| matches!(status, MatchStatus::Picked(_)));
        for unit in shown(&others, &text, size, PrefilterUse::Never).0.iter().filter(in_scope) {
            // What may be empty is looked for nowhere.
            let may_be_empty = others.pattern.shortest() == Some(0);
            prop_assert!(may_be_empty || all.0.iter().any(|shown| shown.0 == unit.0), "{:?} {unit:?}", sources);
        }
    }
}

/// Named cases that a search over many lines at once could get wrong, with the lines that match.
#[test]
fn lines_that_are_easily_missed() {
    let cases: [(&str, &str, &[u64]); 22] = [
        // The start and the end of a line are those of the unit.
        (r"\Aberth", "berth 1\nno berth\nberth 2\n", &[1, 3]),
        (r"quay\z", "quay\nquay 2\r\nold quay\r\n", &[1, 3]),
        (r"(?-m:^)quay(?-m:$)", "quay\r\n quay\nquay", &[1, 3]),
        (r"\r$", "quay\r\r\nquay\r\n", &[1]),
        (r"^\s", " quay\n\nquay\n\tpier\n", &[1, 4]),
        // No match holds a line end.
        (r"quay\n", "quay\nquay\n", &[]),
        (r"quay\s+pier", "quay\npier\nquay  pier\n", &[3]),
        (r"quay[^x]pier", "quay\npier\nquay pier\n", &[3]),
        (r"(?s)quay.pier", "quay\npier\nquay\tpier\n", &[3]),
        (r"quay\n?!", "quay\n!\nquay!\n", &[3]),
        (r"quay(\n|,)", "quay\nquay,\n", &[2]),
        // Words are those of the line.
        (r"\bpier\b", "pier\npiers\nold pier\n", &[1, 3]),
        (r"\bé", "é\naé\n é\n", &[1, 3]),
        (r"\Bier", "pier\nier\n", &[1]),
        (r"(?-u:\b)é?x", "éx\nx\n", &[1, 2]),
        (r"\b{start}no\b{end}", "no.\nnone\nan no\n", &[1, 3]),
        // Stray bytes belong to their line, and to no match.
        (r"a.b", "a\u{fffd}b\na\u{85}b\n", &[1, 2]),
        (r"(?i)QUAY", "Quay\nQUA Y\nquay", &[1, 3]),
        // Many candidates in a row, few of which match.
        (r"\bgauge\b 7", "gauge 17\ngauge 7\ngauges 7\n", &[2]),
        (r"7$", "7\n77\n8\n7", &[1, 2, 4]),
        // Some may be empty.
        (r"x*", "\nab\n", &[1, 2]),
        (r"^$", "a\n\n\r\nb\n", &[2, 3]),
    ];
    for (source, text, wanted) in cases {
        let query = Query::new(pattern(source));
        // The same lines again and again, so that there is something to prefilter in.
        let lines = support::lines_in(text);
        let again = text.repeat(if text.ends_with('\n') { 40 } else { 1 });
        let times = again.len() / text.len();
        let all = |lines_of_one: u64| {
            let of_time =
                move |time: u64| wanted.iter().map(move |line| time * lines_of_one + line);
            (0..times as u64).flat_map(of_time).collect::<Vec<u64>>()
        };
        for prefilter in [
            PrefilterUse::Never,
            PrefilterUse::Always,
            PrefilterUse::AsNeeded,
        ] {
            for size in [1, 7, usize::MAX] {
                let shown = shown(&query, again.as_bytes(), size, prefilter);
                let found: Vec<u64> = shown.0.iter().map(|unit| unit.0).collect();
                assert_eq!(
                    found,
                    all(lines),
                    "{source} {prefilter:?} in pieces of {size}"
                );
            }
        }
    }
}
