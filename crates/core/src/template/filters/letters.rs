//! Filters that change letters, and what others make of letters and blanks.

use crate::template::filters::filter::{Effect, Filter};
use unicode_normalization::UnicodeNormalization;
use unicode_segmentation::UnicodeSegmentation;

pub(super) const FILTERS: &[Filter] = &[
    Filter {
        name: "upper",
        arguments: "",
        does: "in capital letters",
        examples: &[("straße", "upper", "STRASSE")],
        read: |_| Ok(Effect::plain(str::to_uppercase)),
    },
    Filter {
        name: "lower",
        arguments: "",
        does: "in small letters",
        examples: &[("QUAY", "lower", "quay")],
        read: |_| Ok(Effect::plain(str::to_lowercase)),
    },
    Filter {
        name: "title",
        arguments: "",
        does: "each word with a capital first letter, the rest small",
        examples: &[("EAST quay", "title", "East Quay")],
        read: |_| Ok(Effect::plain(title)),
    },
    Filter {
        name: "capital",
        arguments: "",
        does: "with a capital first letter, the rest as it is",
        examples: &[("east QUAY", "capital", "East QUAY")],
        read: |_| Ok(Effect::plain(capital)),
    },
    Filter {
        name: "plain",
        arguments: "",
        does: "with the accents taken off its letters",
        examples: &[("Ånstad", "plain", "Anstad"), ("≠ ø", "plain", "≠ ø")],
        read: |_| Ok(Effect::plain(plain)),
    },
    Filter {
        name: "code",
        arguments: "",
        does: "as code points",
        examples: &[("é", "code", "U+00E9")],
        read: |_| {
            Ok(Effect::plain(|text| {
                let codes = text.chars().map(|c| format!("U+{:04X}", c as u32));
                codes.collect::<Vec<_>>().join(" ")
            }))
        },
    },
];

/// Each word with the title case of its first character and the rest small.
fn title(text: &str) -> String {
    let word = |word: &str| {
        let small = word.to_lowercase();
        let Some(first) = word.chars().next() else {
            return small;
        };
        // The rest is made small with the word around it, as a final sigma asks.
        let passed: usize = first.to_lowercase().map(char::len_utf8).sum();
        title_case(first) + small.get(passed..).unwrap_or_default()
    };
    text.split_word_bounds().map(word).collect()
}

/// The text with the title case of its first character.
fn capital(text: &str) -> String {
    let mut chars = text.chars();
    let first = chars.next().map(title_case);
    first.unwrap_or_default() + chars.as_str()
}

/// The title case of a character, which may be several; most often a capital letter.
///
/// Source: Unicode, Titlecase_Mapping.
fn title_case(c: char) -> String {
    let mapped = unicode_case_mapping::to_titlecase(c);
    let mapped: String = (mapped.into_iter().filter(|code| *code > 0))
        .filter_map(char::from_u32)
        .collect();
    match mapped.is_empty() {
        true => c.into(),
        false => mapped,
    }
}

/// The text with the accents of its letters taken off; signs keep their strokes.
fn plain(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for cluster in text.graphemes(true) {
        let is_letter = cluster.nfd().next().is_some_and(char::is_alphabetic);
        if is_letter && cluster.nfd().any(is_accent) {
            out.extend(cluster.nfd().filter(|c| !is_accent(*c)).nfc());
        } else {
            out.push_str(cluster);
        }
    }
    out
}

/// Combining marks that stand on letters of several scripts; those that belong to one script
/// are not accents.
fn is_accent(c: char) -> bool {
    matches!(c,
        '\u{300}'..='\u{36F}' | '\u{1AB0}'..='\u{1AFF}' | '\u{1DC0}'..='\u{1DFF}'
        | '\u{20D0}'..='\u{20FF}' | '\u{FE20}'..='\u{FE2F}')
}

/// The text with each run of white space as one space.
pub(super) fn collapse(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut blank = false;
    for c in text.chars() {
        if !c.is_whitespace() {
            out.push(c);
        } else if !blank {
            out.push(' ');
        }
        blank = c.is_whitespace();
    }
    out
}

/// Fills on the left; zeros stand behind the sign of a number.
pub(super) fn pad(text: &str, fill: &str, missing: usize) -> String {
    let signed = text
        .strip_prefix(['-', '+'])
        .filter(|rest| fill == "0" && rest.starts_with(|c: char| c.is_ascii_digit()));
    match signed {
        Some(rest) => format!("{}{}{rest}", &text[..1], fill.repeat(missing)),
        None => format!("{}{text}", fill.repeat(missing)),
    }
}
