//! Filters that change letters, and what others make of letters and blanks.

use crate::template::filters::filter::{Effect, Filter};
use crate::template::filters::words::{capitalized, is_latin, joined, title_case};
use deunicode::deunicode_char;
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
        examples: &[
            ("EAST quay", "title", "East Quay"),
            ("_EAST_quay 3RD", "title", "_East_Quay 3rd"),
        ],
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
            ("HUE", "case-of 日本", "HUE"),
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
        examples: &[
            ("NorthQuay 4", "snake", "north_quay_4"),
            ("Cafe\u{301} ΟΔΟΣ", "snake", "cafe\u{301}_οδος"),
        ],
        read: |_| {
            Ok(Effect::plain(|text| {
                joined(text, "_", |_, word| word.to_lowercase())
            }))
        },
    },
    Filter {
        name: "camel",
        arguments: "",
        does: "its words joined, each but the first with a capital letter",
        examples: &[("north_quay", "camel", "northQuay")],
        read: |_| {
            let camel = |number: usize, word: &str| match number {
                0 => word.to_lowercase(),
                _ => capitalized(word),
            };
            Ok(Effect::plain(move |text| joined(text, "", camel)))
        },
    },
    Filter {
        name: "pascal",
        arguments: "",
        does: "its words joined, each with a capital letter",
        examples: &[
            ("north-quay", "pascal", "NorthQuay"),
            ("ﬁsh ßa ǆungla", "pascal", "FishSsaǅungla"),
        ],
        read: |_| {
            Ok(Effect::plain(|text| {
                joined(text, "", |_, word| capitalized(word))
            }))
        },
    },
    Filter {
        name: "kebab",
        arguments: "",
        does: "its words in small letters, joined by `-`",
        examples: &[("NorthQuay", "kebab", "north-quay")],
        read: |_| {
            Ok(Effect::plain(|text| {
                joined(text, "-", |_, word| word.to_lowercase())
            }))
        },
    },
    Filter {
        name: "constant",
        arguments: "",
        does: "its words in capital letters, joined by `_`",
        examples: &[("northQuay", "constant", "NORTH_QUAY")],
        read: |_| {
            Ok(Effect::plain(|text| {
                joined(text, "_", |_, word| word.to_uppercase())
            }))
        },
    },
    Filter {
        name: "plain",
        arguments: "",
        does: "with the accents taken off its letters, and other Latin letters as those of ASCII where there are such",
        examples: &[
            ("Ånstad", "plain", "Anstad"),
            ("Søren ß łódź Æ", "plain", "Soren ss lodz AE"),
            ("ﬁn Ｑ ɛ Ŋŋ", "plain", "fin Q e NGng"),
            ("≠ ж Ə", "plain", "≠ ж Ə"),
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
    let parts = text.split_word_bounds();
    // Underscores join the words of a name, and are not part of them.
    let parts = parts.flat_map(|word| word.split_inclusive('_'));
    parts.map(capitalized).collect()
}

/// The text with the title case of its first character.
fn capital(text: &str) -> String {
    let mut chars = text.chars();
    let first = chars.next().map(title_case);
    first.unwrap_or_default() + chars.as_str()
}

/// The text in the letter case of another: in capitals, in small letters, with one capital in front or
/// one for each word. Where that has no letters, or is mixed in another way, only the first letter follows it.
fn case_of(text: &str, model: &str) -> String {
    // Letters of scripts without case say nothing.
    let has_case = |c: &char| c.is_uppercase() || c.is_lowercase();
    let letters: Vec<char> = model.chars().filter(has_case).collect();
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

/// The text with the accents of its letters taken off, and Latin letters that are not letter of ASCII with
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
            match ascii_of(c) {
                Some(letters) => out.push_str(&letters),
                None => out.push(c),
            }
        }
    }
    out
}

/// The letters of ASCII for a Latin letter, in its case; `None` where there are none.
fn ascii_of(c: char) -> Option<String> {
    if c.is_ascii() || !is_latin(c) {
        return None;
    }
    let only_letters = |text: String| {
        let is_one = |c: char| c.is_ascii_alphabetic();
        Some(text).filter(|text| !text.is_empty() && text.chars().all(is_one))
    };
    // What is another form of a letter is that letter, and what looks like another one is not it.
    let same = std::iter::once(c)
        .nfkd()
        .filter(|c| !is_accent(*c))
        .collect();
    let letters = only_letters(same).or_else(|| only_letters(deunicode_char(c)?.to_owned()))?;
    Some(match (c.is_uppercase(), c.is_lowercase()) {
        (true, _) => letters.to_ascii_uppercase(),
        (_, true) => letters.to_ascii_lowercase(),
        (false, false) => letters,
    })
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

/// Fills on the left; zeros follow the sign of a number.
pub(super) fn pad(text: &str, fill: &str, missing: usize) -> String {
    let signed = text
        .strip_prefix(['-', '+'])
        .filter(|rest| fill == "0" && rest.starts_with(|c: char| c.is_ascii_digit()));
    match signed {
        Some(rest) => format!("{}{}{rest}", &text[..1], fill.repeat(missing)),
        None => format!("{}{text}", fill.repeat(missing)),
    }
}
