//! Laws that must hold for every input.

use crate::support::{
    self, Say, record, record_parts, record_prefiltered, reference, rewrite, spec,
};
use brisk_quill_core::edits::compose::compose;
use brisk_quill_core::edits::{Edit, StepSet, invert, splice};
use brisk_quill_core::example::Example;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::query::Per;
use brisk_quill_core::query::prefilter::PrefilterUse;
use brisk_quill_core::rewrite::rewrite_text;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::shapes::Shapes;
use brisk_quill_core::span::Span;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::template::{MatchContext, Template};
use brisk_quill_core::unit::UnitKind;
use proptest::prelude::*;

/// Texts with every kind of line end, accents, stray bytes, and letters that patterns like.
fn text() -> impl Strategy<Value = Vec<u8>> {
    let bit = prop::sample::select(vec![
        "a", "b", "ab", "aa", " ", "7", "12", "é", "日", "\n", "\r\n", "\r", "\n\n", "x",
    ]);
    let bits = prop::collection::vec(
        prop_oneof![
            12 => bit.prop_map(|s| s.as_bytes().to_vec()),
            1 => prop::sample::select(vec![vec![0xC3], vec![0xFF], vec![0xA9]]),
        ],
        0..24,
    );
    bits.prop_map(|bits| bits.concat())
}

fn pick_of<T: Clone + std::fmt::Debug + 'static>(all: &[T]) -> impl Strategy<Value = T> + use<T> {
    prop::sample::select(all.to_vec())
}

/// Now and then a value, mostly none.
fn seldom<T: std::fmt::Debug + Clone + 'static>(
    some: impl Strategy<Value = T> + 'static,
) -> impl Strategy<Value = Option<T>> {
    prop_oneof![3 => Just(None), 1 => some.prop_map(Some)]
}

fn step() -> impl Strategy<Value = Say> {
    let patterns = [
        "a",
        "b*",
        "a+",
        "(a)(b)?",
        r"\d",
        "^",
        "$",
        r"\w*",
        ".",
        "x|é",
        "[^a]",
        r"\b",
        "aa|a",
        "",
        r"(?:ab)+|7",
        r"a\s+a",
        r"\n",
        r"(?s).+",
        r"b$",
        r"^a",
        r"\z",
        r"\n*",
    ];
    let templates = [
        "",
        "a",
        "$0$0",
        "<$0>",
        "\\n",
        "b\\r\\n",
        "${@number}",
        "${0 | add 1}",
    ];
    let actions = [
        "",
        "",
        "",
        "remove",
        "drop-lines",
        "keep-lines",
        "above",
        "below",
        "lead",
        "trail",
    ];
    let conditions = ["a", "b$", r"\d", "^$", "é"];
    let units = [
        UnitKind::Line,
        UnitKind::Line,
        UnitKind::Paragraph,
        UnitKind::Text,
    ];
    let what = (
        pick_of(&patterns),
        pick_of(&templates),
        pick_of(&units),
        pick_of(&actions),
    );
    let place = (
        pick_of(&["", "", "1", "2..", "last", "last-1..", "1.. by 2", "..2"]),
        seldom(pick_of(&conditions)),
        seldom(pick_of(&conditions)),
        seldom((
            pick_of(&["a", "^", "7"]),
            pick_of(&["b", "$", "a"]),
            any::<bool>(),
        )),
        seldom((pick_of(&conditions), 0..3u64)),
    );
    let block = (any::<bool>(), any::<bool>());
    let which = (
        block,
        pick_of(&["", "", "first", "last", "2", "2..3", "last-1.."]),
        pick_of(&[Per::Unit, Per::Unit, Per::File, Per::Run]),
        seldom(0..3u64),
    );
    (what, place, which).prop_map(|(what, place, which)| Say {
        pattern: what.0,
        with: what.1,
        action: what.3,
        // Lines cannot be dropped or inserted in larger units.
        unit: match what.3 {
            "" | "remove" | "lead" | "trail" => what.2,
            _ => UnitKind::Line,
        },
        lines: place.0,
        contains: Vec::from_iter(place.1),
        lacks: Vec::from_iter(place.2),
        between: place.3,
        near: place.4,
        block: which.0,
        pick: which.1,
        per: which.2,
        limit: which.3,
    })
}

/// Text that is hard to write down: quotes, backslashes, line ends, signs of TOML.
fn words() -> impl Strategy<Value = String> {
    let bits = [
        "a", "'", "\"", "\\", "\n", "\r\n", "\t", "é", "#", "[[step]]", "=", "'''", "\u{7}", "$1",
        " ",
    ];
    prop::collection::vec(prop::sample::select(bits.to_vec()), 0..6).prop_map(|bits| bits.concat())
}

fn example() -> impl Strategy<Value = Example> {
    prop_oneof![
        (words(), words()).prop_map(|(before, after)| Example::change(&before, &after)),
        words().prop_map(|text| Example {
            untouched: Some(text),
            ..Example::default()
        }),
    ]
}

/// A step in words, whether it makes sense or not.
fn step_text() -> impl Strategy<Value = StepSpec> {
    let texts = prop::collection::vec(prop::option::weighted(0.4, words()), 20);
    let flags = prop::collection::vec(any::<bool>(), 13);
    let lists = (
        prop::collection::vec(words(), 0..3),
        prop::collection::vec([words(), words()], 0..3),
        prop::collection::vec((words(), 0..9u64), 0..3),
        prop::option::of(0..9u64),
        prop::collection::vec(example(), 0..3),
    );
    (texts, flags, lists).prop_map(
        |(texts, flags, (contains, between, near, limit, example))| {
            let mut texts = texts.into_iter();
            let mut text = || texts.next().flatten();
            StepSpec {
                pattern: text(),
                pattern_file: text().map(Into::into),
                with: text(),
                above: text(),
                below: text(),
                lead: text(),
                trail: text(),
                remove_chars: text(),
                unit: text(),
                lines: text(),
                pick: text(),
                per: text(),
                expect: Vec::from_iter(text()),
                ensure: contains.clone(),
                ignore_case: flags[0],
                whole_word: flags[1],
                literal: flags[2],
                entire: flags[3],
                remove: flags[4],
                drop_lines: flags[5],
                keep_lines: flags[6],
                inner: flags[7],
                open_end: flags[10],
                trimmed: flags[11],
                into_empty: flags[12],
                into: text(),
                where_listed: between.concat(),
                unless_listed: between.iter().rev().flatten().cloned().collect(),
                outside: between.concat(),
                swap_chars: between.first().cloned().map_or_else(Vec::new, Vec::from),
                pairs: None,
                set: between.concat(),
                add_column: between.iter().skip(1).flatten().cloned().collect(),
                columns: text(),
                table: text(),
                label: text(),
                format: text(),
                delimiter: text(),
                quote: text(),
                no_header: flags[8],
                ragged: flags[9],
                where_in: between.concat(),
                unless_in: between.iter().rev().flatten().cloned().collect(),
                unless: contains.iter().rev().cloned().collect(),
                contains,
                between: between.concat(),
                near: near
                    .into_iter()
                    .flat_map(|(text, n): (String, u64)| [text, n.to_string()])
                    .collect(),
                limit,
                example,
            }
        },
    )
}

/// A look at what is beside a place, and where it holds: of word characters before and after.
type Look = (&'static str, fn(bool, bool) -> bool);

/// Offsets of the characters and stray bytes of a text, and which are word characters.
fn signs(text: &[u8]) -> Vec<(usize, bool)> {
    let mut signs = Vec::new();
    for chunk in text.utf8_chunks() {
        let at = chunk.valid().as_ptr() as usize - text.as_ptr() as usize;
        let chars = chunk.valid().char_indices();
        signs.extend(chars.map(|(i, c)| (at + i, c.is_alphanumeric())));
        let stray = at + chunk.valid().len();
        signs.extend((stray..stray + chunk.invalid().len()).map(|at| (at, false)));
    }
    signs
}

/// Sorted, disjoint edits of a text; they may touch.
fn edits_of(length: usize, step: usize) -> impl Strategy<Value = Vec<Edit>> {
    let edit = (0..4usize, 0..4usize, "[xyz]{0,3}");
    prop::collection::vec(edit, 0..6).prop_map(move |parts| {
        let mut at = 0;
        let mut edits = Vec::new();
        for (gap, size, text) in parts {
            let (from, to) = (at + gap, at + gap + size);
            if to > length {
                break;
            }
            let (span, steps) = (Span::new(from, to), StepSet::one(step));
            edits.push(Edit::new(span, text.into_bytes().into(), steps));
            at = to;
        }
        edits
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: support::cases(), failure_persistence: None, ..ProptestConfig::default() })]

    /// Composing steps equals doing them one after another.
    #[test]
    fn composition_is_doing_in_order(text in text(), steps in prop::collection::vec(step(), 1..5)) {
        let rewrite = rewrite(&steps);
        let wanted = reference(&rewrite, &text);
        let recorded = record(&rewrite, &text, usize::MAX);
        prop_assert_eq!(support::splice(&text, &recorded.changes), &wanted[..]);
        let outcome = rewrite_text(&rewrite, &text);
        prop_assert_eq!(&outcome.text, &wanted);
        prop_assert_eq!(outcome.counts.changes, recorded.changes.len() as u64);
    }

    /// The way a text is cut into pieces does not matter.
    #[test]
    fn pieces_do_not_matter(
        text in text(), steps in prop::collection::vec(step(), 1..4), size in 1..9usize,
    ) {
        let rewrite = rewrite(&steps);
        let whole = record(&rewrite, &text, usize::MAX);
        prop_assert_eq!(&record(&rewrite, &text, size), &whole);
        // Nor does it matter how lines without a match are passed over.
        prop_assert_eq!(&record_prefiltered(&rewrite, &text, size, PrefilterUse::Always), &whole);
        // Where lines are local, each part may be evaluated for itself.
        for steps in [&steps[..], &steps[..1]] {
            let rewrite = support::rewrite(steps);
            if let Some(parts) = record_parts(&rewrite, &text, size) {
                prop_assert_eq!(parts, record(&rewrite, &text, usize::MAX));
            }
        }
    }

    /// A line with many changes may come in parts: the changes, and what is counted, are the same,
    /// and the parts follow each other.
    #[test]
    fn long_lines_may_be_split(
        text in text(), step in step(), size in 1..40usize, most in 1..5usize,
    ) {
        let rewrite = rewrite(&[step]);
        let whole = record(&rewrite, &text, size);
        let split = support::record_split(&rewrite, &text, size, most);
        prop_assert_eq!(&split.changes, &whole.changes);
        prop_assert_eq!(&split.counts, &whole.counts);
        prop_assert_eq!(&split.problems, &whole.problems);
        let mut at = 0;
        let mut out = Vec::new();
        for (line, from, was, now) in &split.hunks {
            let from = *from as usize;
            prop_assert!(from >= at);
            prop_assert_eq!(&text[from..from + was.len()], &was[..]);
            let before = text[..from].iter().filter(|b| **b == b'\n').count() as u64;
            prop_assert_eq!(*line, before + 1);
            out.extend_from_slice(&text[at..from]);
            out.extend_from_slice(now);
            at = from + was.len();
        }
        out.extend_from_slice(&text[at..]);
        prop_assert_eq!(out, reference(&rewrite, &text));
    }

    /// Hunks are whole lines in order, none shares a line with another, and their line
    /// numbers and offsets are right.
    #[test]
    fn passages_are_whole_lines(text in text(), steps in prop::collection::vec(step(), 1..4)) {
        let rewrite = rewrite(&steps);
        let recorded = record(&rewrite, &text, usize::MAX);
        let mut at = 0;
        let mut out = Vec::new();
        for (line, from, was, now) in &recorded.hunks {
            let from = *from as usize;
            prop_assert!(from >= at);
            prop_assert_eq!(&text[from..from + was.len()], &was[..]);
            prop_assert!(from == 0 || text[from - 1] == b'\n');
            let end = from + was.len();
            prop_assert!(end == text.len() || text[end - 1] == b'\n');
            let before = text[..from].iter().filter(|b| **b == b'\n').count() as u64;
            prop_assert_eq!(*line, before + 1);
            out.extend_from_slice(&text[at..from]);
            out.extend_from_slice(now);
            at = end;
        }
        out.extend_from_slice(&text[at..]);
        prop_assert_eq!(out, reference(&rewrite, &text));
        for (from, _, line, ..) in &recorded.changes {
            let before = text[..*from as usize].iter().filter(|b| **b == b'\n').count() as u64;
            prop_assert_eq!(*line, before + 1);
        }
    }

    /// Matches add up: each is an edit, unchanged, or left out for one reason.
    #[test]
    fn counts_add_up(text in text(), steps in prop::collection::vec(step(), 1..4)) {
        for step in &rewrite_text(&rewrite(&steps), &text).counts.steps {
            prop_assert_eq!(step.matches, step.edits + step.unchanged + step.failed);
        }
    }

    /// Composing lists of edits equals making one list after the other; what comes out is
    /// sorted and disjoint, and changes something.
    #[test]
    fn composed_edits_equal_edits_in_order(
        (text, first) in "[a-c]{0,16}".prop_flat_map(|t| { let n = t.len(); (Just(t), edits_of(n, 0)) }),
        shift in 0..8usize, second in edits_of(12, 1),
    ) {
        let text = text.as_bytes();
        let middle = splice(text, &first);
        let mut second = second;
        second.iter_mut().for_each(|edit| edit.span = edit.span.shifted(shift));
        second.retain(|edit| edit.span.to <= middle.len());
        let wanted = splice(&middle, &second);
        let composed = compose(text, first, &middle, second);
        prop_assert_eq!(splice(text, &composed), wanted);
        prop_assert!(composed.windows(2).all(|pair| pair[0].span.to <= pair[1].span.from));
    }

    /// A stray byte beside a match is not a word character, whatever is beside it in turn.
    #[test]
    fn stray_bytes_are_no_words(text in text(), tail in pick_of(&[&b"a\x96"[..], b"\x96a", b"\xFFa", b"a\xE2\x82", b""])) {
        let text = [text, tail.to_vec()].concat();
        let signs = signs(&text);
        let ends = signs.iter().map(|sign| sign.0).chain([text.len()]);
        let held = |holds: fn(bool, bool) -> bool| {
            let mut places = Vec::new();
            for (index, at) in ends.clone().enumerate() {
                let before = index > 0 && signs[index - 1].1;
                let after = signs.get(index).is_some_and(|sign| sign.1);
                // No empty match lies behind the last line end.
                let behind = at == text.len() && text.ends_with(b"\n");
                if holds(before, after) && !behind {
                    places.push(Span::new(at, at));
                }
            }
            places
        };
        let looks: [Look; 6] = [
            (r"\b", |before, after| before != after),
            (r"\B", |before, after| before == after),
            (r"\b{start}", |before, after| !before && after),
            (r"\b{end}", |before, after| before && !after),
            (r"\b{start-half}", |before, _| !before),
            (r"\b{end-half}", |_, after| !after),
        ];
        for (look, holds) in looks {
            let pattern = Pattern::new(look, &MatchOptions::default()).unwrap();
            prop_assert_eq!(support::spans(&pattern, &text), held(holds), "{} {}", look, text.escape_ascii());
            prop_assert_eq!(pattern.finder().is_match(&text).unwrap(), !held(holds).is_empty());
        }
        // Whole words are the runs of word characters.
        let whole_word = MatchOptions { whole_word: true, ..MatchOptions::default() };
        let words = Pattern::new(r"\w+", &whole_word).unwrap();
        let found = support::spans(&words, &text);
        let starts = held(|before, after| !before && after).into_iter();
        let ends = held(|before, after| before && !after).into_iter();
        prop_assert_eq!(found, starts.zip(ends).map(|(a, b)| Span::new(a.from, b.to)).collect::<Vec<_>>());
    }

    /// Both engines find the same: an empty look-ahead in front changes only the engine.
    #[test]
    fn the_engines_agree(text in "[ab7é \\n]{0,12}", step in step(), multi_line in any::<bool>()) {
        let options = MatchOptions { multi_line, ..MatchOptions::default() };
        let linear = Pattern::new(step.pattern, &options).unwrap();
        let backtracking = Pattern::new(&format!("(?=){}", step.pattern.replace('|', "|(?=)")), &options).unwrap();
        prop_assert!(backtracking.backtracks() && !linear.backtracks());
        prop_assert_eq!(support::spans(&linear, text.as_bytes()), support::spans(&backtracking, text.as_bytes()));
    }

    /// Going back after splicing is the identity.
    #[test]
    fn splice_then_inverse_is_the_identity(
        (text, edits) in "[a-c]{0,16}".prop_flat_map(|t| { let n = t.len(); (Just(t), edits_of(n, 0)) }),
    ) {
        let spliced = splice(text.as_bytes(), &edits);
        let back = invert(text.as_bytes(), &edits);
        prop_assert_eq!(splice(&spliced, &back), text.as_bytes());
    }

    /// XX prints parses to the same rewrite, whatever it holds.
    #[test]
    fn rewrite_file_prints_what_it_parses(
        title in prop::option::of(words()),
        step in prop::collection::vec(step_text(), 1..4),
        example in prop::collection::vec(example(), 0..3),
    ) {
        let rewrite = RewriteText { title, step, example };
        prop_assert_eq!(RewriteText::parse(&rewrite.to_toml()).unwrap(), rewrite);
    }

    /// The pattern of a shape matches a value just when that has the shape.
    #[test]
    fn shapes_are_what_their_patterns_match(
        one in "[AaÉéǅß日ªⅣ٣9²_.^$#~\\[\\]\\\\\n -]{0,5}", two in "[Aaéǅ日٣9.^-]{0,3}",
    ) {
        let shapes = Shapes::new();
        let shape = shapes.of(one.as_bytes());
        let pattern = support::pattern(&shape.pattern().unwrap());
        for value in [&one, &two] {
            let matches = !support::spans(&pattern, value.as_bytes()).is_empty();
            prop_assert_eq!(matches, shapes.of(value.as_bytes()) == shape, "{:?} {}", value, pattern.source());
        }
    }

    /// A SPEC that is printed parses to the same SPEC.
    #[test]
    fn spec_prints_what_it_parses(
        items in prop::collection::vec(
            ("(last(-[0-9])?|[1-9][0-9]?)", "(last(-[0-9])?|[1-9][0-9]?)?", 1..4u8, any::<bool>()), 1..4),
    ) {
        let item = |(from, to, by, range): &(String, String, u8, bool)| match range {
            true => format!("{from}..{to} by {by}"),
            false => from.clone(),
        };
        let text = items.iter().map(item).collect::<Vec<_>>().join(" , ");
        if let Ok(parsed) = text.parse::<brisk_quill_core::address::Spec>() {
            prop_assert_eq!(spec(&parsed.to_string()), parsed);
        }
    }

    /// A template that is printed parses to a template that writes the same.
    #[test]
    fn template_prints_what_it_parses(bits in prop::collection::vec(
        prop::sample::select(vec!["$1", "$0", "${2}", "${n}", "${1|pad 3 '.'|upper}", "${n | default \"it's\"}", "${2 | if yes else 'no|}'}", "${@number|add 0.5}", "${@stem}", "\\1", "\\n", "\\t", "\\\\", "$$", "a", "é", "{", "}", "\\u{1F6A2}", "0", "\u{7}", "|"]),
        0..8,
    )) {
        let pattern = support::pattern(r"(a)(?<n>b)?");
        let template = Template::parse(&bits.concat(), pattern.groups()).unwrap();
        let again = Template::parse(&template.to_string(), pattern.groups()).unwrap();
        prop_assert_eq!(again.to_string(), template.to_string());
        let groups = [Some(Span::new(0, 2)), Some(Span::new(0, 1)), None];
        let (mut one, mut two) = (Vec::new(), Vec::new());
        let matches = Matches::of_one(&groups);
        let context = MatchContext { unit: b"ab", groups: matches.groups(0), line: 7, file: "a/b.txt".as_ref(), count: 3, row: None };
        template.expand(&context, &mut one).unwrap();
        again.expand(&context, &mut two).unwrap();
        prop_assert_eq!(one, two);
    }
}
