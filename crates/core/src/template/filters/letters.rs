//! Filters that change letters, and what others make of letters and blanks.

use crate::template::filters::filter::{Effect, Filter};
use deunicode::deunicode_char;
use heck::{ToKebabCase, ToLowerCamelCase, ToShoutySnakeCase, ToSnakeCase, ToUpperCamelCase};
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
        name: "case-of",
        arguments: "REF",
        does: "in the letter case of REF",
        examples: &[
            ("hue", "case-of COLOUR", "HUE"),
            ("hue", "case-of Colour", "Hue"),
            ("HUE", "case-of colour", "hue"),
        ],
        read: |arguments| {
            let model = arguments.operand()?;
            let words = format!("in the letter case of {}", model.words());
            let effect = Effect::new(move |value| Ok(case_of(value.text, &value.write(&model))));
            Ok(effect.worded(words))
        },
    },
    Filter {
        name: "snake",
        arguments: "",
        does: "its words in small letters, joined by `_`",
        examples: &[("NorthQuay 4", "snake", "north_quay_4")],
        read: |_| Ok(Effect::plain(ToSnakeCase::to_snake_case)),
    },
    Filter {
        name: "camel",
        arguments: "",
        does: "its words joined, each but the first with a capital letter",
        examples: &[("north_quay", "camel", "northQuay")],
        read: |_| Ok(Effect::plain(ToLowerCamelCase::to_lower_camel_case)),
    },
    Filter {
        name: "pascal",
        arguments: "",
        does: "its words joined, each with a capital letter",
        examples: &[("north-quay", "pascal", "NorthQuay")],
        read: |_| Ok(Effect::plain(ToUpperCamelCase::to_upper_camel_case)),
    },
    Filter {
        name: "kebab",
        arguments: "",
        does: "its words in small letters, joined by `-`",
        examples: &[("NorthQuay", "kebab", "north-quay")],
        read: |_| Ok(Effect::plain(ToKebabCase::to_kebab_case)),
    },
    Filter {
        name: "constant",
        arguments: "",
        does: "its words in capital letters, joined by `_`",
        examples: &[("northQuay", "constant", "NORTH_QUAY")],
        read: |_| Ok(Effect::plain(ToShoutySnakeCase::to_shouty_snake_case)),
    },
    Filter {
        name: "plain",
        arguments: "",
        does: "with the accents taken off its letters, and other Latin letters as those of ASCII",
        examples: &[
            ("Ånstad", "plain", "Anstad"),
            ("Søren ß łódź Æ", "plain", "Soren ss lodz AE"),
            ("≠ ж", "plain", "≠ ж"),
        ],
        read: |_| Ok(Effect::plain(plain)),
    },
    Filter {
        name: "code",
        arguments: "[decimal]",
        does: "as code points, in hexadecimal or in decimal",
        examples: &[("é", "code", "U+00E9"), ("é!", "code decimal", "233 33")],
        read: |arguments| {
            let in_decimal = arguments.has_more();
            if in_decimal {
                arguments.read(|word| (word == "decimal").then_some(()))?;
            }
            let code = move |c: char| match in_decimal {
                true => u32::from(c).to_string(),
                false => format!("U+{:04X}", u32::from(c)),
            };
            let effect = Effect::plain(move |text| {
                let codes: Vec<String> = text.chars().map(code).collect();
                codes.join(" ")
            });
            let base = if in_decimal { "decimal" } else { "hexadecimal" };
            // Each character becomes at most ten.
            let growth = |text: &str| text.len().saturating_mul(9);
            Ok(effect
                .worded(format!("as code points in {base}"))
                .growing(growth))
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

/// The text in the letter case of another: in capitals, in small letters, with one capital in front or
/// one for each word. Where that has no letters, or is mixed in another way, only the first letter follows it.
fn case_of(text: &str, model: &str) -> String {
    let letters: Vec<char> = model.chars().filter(|c| c.is_alphabetic()).collect();
    let Some((first, rest)) = letters.split_first() else {
        return text.to_owned();
    };
    let (is_upper, is_lower) = (char::is_uppercase, |c: &char| !c.is_uppercase());
    let is_capital = is_upper(*first);
    match rest.is_empty() {
        // One letter alone tells only how a word begins.
        true if is_capital => return title_first(text),
        true => return text.to_lowercase(),
        false => {}
    }
    if is_capital && rest.iter().copied().all(is_upper) {
        return text.to_uppercase();
    }
    if !is_capital && rest.iter().all(is_lower) {
        return text.to_lowercase();
    }
    let words = model.split_whitespace();
    let begins = |word: &str| word.chars().next().is_some_and(char::is_uppercase);
    match is_capital && rest.iter().all(is_lower) {
        true => title_first(text),
        false if words.clone().count() > 1 && { words }.all(begins) => title(text),
        false if is_capital => capital(text),
        false => text.to_owned(),
    }
}

/// The text in small letters, with a capital first letter.
fn title_first(text: &str) -> String {
    capital(&text.to_lowercase())
}

/// The text with the accents of its letters taken off, and Latin letters that are no letter of ASCII with
/// an accent, as `ø` and `ß`, written with those; signs keep their strokes.
fn plain(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for cluster in text.graphemes(true) {
        let is_letter = cluster.nfd().next().is_some_and(char::is_alphabetic);
        if !is_letter {
            out.push_str(cluster);
            continue;
        }
        for c in cluster.nfd().filter(|c| !is_accent(*c)).nfc() {
            match deunicode_char(c).filter(|_| is_latin(c)) {
                Some(letters) => out.push_str(letters),
                None => out.push(c),
            }
        }
    }
    out
}

/// Latin letters beyond ASCII.
fn is_latin(c: char) -> bool {
    matches!(c, '\u{C0}'..='\u{24F}' | '\u{1E00}'..='\u{1EFF}' | '\u{2C60}'..='\u{2C7F}' | '\u{A720}'..='\u{A7FF}')
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
