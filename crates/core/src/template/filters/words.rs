//! The words of a name, in letters of any script.

use regex_syntax::hir::{Class, HirKind};
use std::sync::LazyLock;

/// Ranges of characters, in order, both ends included.
type Ranges = Vec<(char, char)>;

/// The characters of a property of Unicode, as patterns name it.
fn ranges_of(property: &str) -> Ranges {
    let parsed = regex_syntax::parse(property);
    match parsed.map(regex_syntax::hir::Hir::into_kind) {
        Ok(HirKind::Class(Class::Unicode(class))) => {
            let ranges = class.iter().map(|range| (range.start(), range.end()));
            ranges.collect()
        }
        _ => Ranges::new(),
    }
}

fn holds(ranges: &Ranges, c: char) -> bool {
    let at = ranges.partition_point(|(_, end)| *end < c);
    ranges.get(at).is_some_and(|(start, _)| *start <= c)
}

/// True if a character belongs to the one before it: combining marks, vowel signs and joiners.
pub(super) fn is_mark(c: char) -> bool {
    static MARKS: LazyLock<Ranges> = LazyLock::new(|| ranges_of(r"\p{M}"));
    matches!(c, '\u{200C}' | '\u{200D}') || holds(&MARKS, c)
}

/// True if a character is a letter of the Latin script.
pub(super) fn is_latin(c: char) -> bool {
    static LATIN: LazyLock<Ranges> = LazyLock::new(|| ranges_of(r"\p{Latin}"));
    c.is_alphabetic() && holds(&LATIN, c)
}

/// The letter case that the characters of a word have had last.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Mode {
    Start,
    Small,
    Capital,
}

/// The words of a name: what signs and blanks set apart, and what capitals do, as in `northQuay` and
/// `XMLFile`.
pub(super) fn words(text: &str) -> Vec<&str> {
    let mut words = Vec::new();
    let mut start = None;
    for (at, c) in text.char_indices() {
        let is_of_word = c.is_alphanumeric() || start.is_some() && is_mark(c);
        match (is_of_word, start) {
            (true, None) => start = Some(at),
            (false, Some(from)) => {
                parts(&text[from..at], &mut words);
                start = None;
            }
            (true, Some(_)) | (false, None) => {}
        }
    }
    if let Some(from) = start {
        parts(&text[from..], &mut words);
    }
    words
}

/// Cuts a word where its capitals say so.
fn parts<'t>(word: &'t str, out: &mut Vec<&'t str>) {
    let bases: Vec<(usize, char)> = word.char_indices().filter(|(_, c)| !is_mark(*c)).collect();
    let (mut from, mut mode) = (0, Mode::Start);
    for (number, (at, c)) in bases.iter().enumerate() {
        let next = bases.get(number + 1);
        let now = match c {
            c if is_capital(*c) => Mode::Capital,
            c if c.is_lowercase() => Mode::Small,
            _ => mode,
        };
        let Some((behind, next)) = next else { break };
        if now == Mode::Small && is_capital(*next) {
            out.push(&word[from..*behind]);
            (from, mode) = (*behind, Mode::Start);
        } else if mode == Mode::Capital && is_capital(*c) && next.is_lowercase() {
            // The last of several capitals begins the next word.
            if *at > from {
                out.push(&word[from..*at]);
            }
            (from, mode) = (*at, Mode::Start);
        } else {
            mode = now;
        }
    }
    out.push(&word[from..]);
}

/// True for capital letters, and for letters in title case, such as the one in the middle of `Ǆǅǆ`.
fn is_capital(c: char) -> bool {
    c.is_uppercase() || matches!(c, 'ǅ' | 'ǈ' | 'ǋ' | 'ǲ')
}

/// The title case of a character, which may be several; most often a capital letter.
///
/// Source: Unicode, Titlecase_Mapping.
pub(super) fn title_case(c: char) -> String {
    let mapped = unicode_case_mapping::to_titlecase(c);
    let mapped: String = (mapped.into_iter().filter(|code| *code > 0))
        .filter_map(char::from_u32)
        .collect();
    match mapped.is_empty() {
        true => c.into(),
        false => mapped,
    }
}

/// A word with the title case of its first letter and the rest small.
pub(super) fn capitalized(word: &str) -> String {
    let small = word.to_lowercase();
    let Some(first) = word.chars().next() else {
        return small;
    };
    // The rest is made small with the word around it, as a final sigma asks.
    let passed: usize = first.to_lowercase().map(char::len_utf8).sum();
    title_case(first) + small.get(passed..).unwrap_or_default()
}

/// The words of a name, each written by `write` with its number from 0, joined.
pub(super) fn joined(text: &str, sign: &str, write: impl Fn(usize, &str) -> String) -> String {
    let words = words(text).into_iter().enumerate();
    let written: Vec<String> = words.map(|(number, word)| write(number, word)).collect();
    written.join(sign)
}
