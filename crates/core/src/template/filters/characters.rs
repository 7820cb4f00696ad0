//! Filters that cut and fill by characters, as a reader counts them.

use crate::template::filters::argument::{Arguments, CallError, Quoted};
use crate::template::filters::filter::{Effect, Filter};
use crate::template::filters::letters;
use unicode_segmentation::UnicodeSegmentation;

/// The most characters to which a text is filled.
const PAD_MOST: usize = 100_000;

pub(super) const FILTERS: &[Filter] = &[
    Filter {
        name: "trim",
        arguments: "",
        does: "without white space at its ends",
        examples: &[(" quay ", "trim", "quay")],
        read: |_| Ok(Effect::plain(|text| text.trim().to_owned())),
    },
    Filter {
        name: "collapse",
        arguments: "",
        does: "each run of white space as one space",
        examples: &[("a   b", "collapse", "a b")],
        read: |_| Ok(Effect::plain(letters::collapse)),
    },
    Filter {
        name: "length",
        arguments: "",
        does: "the number of its characters",
        examples: &[("Ånstad", "length", "6"), ("", "length", "0")],
        read: |_| Ok(Effect::plain(|text| length(text).to_string())),
    },
    Filter {
        name: "take",
        arguments: "N",
        does: "only the first N characters",
        examples: &[("quay", "take 2", "qu")],
        read: |arguments| {
            let n = arguments.count()?;
            let effect = Effect::plain(move |text| text.graphemes(true).take(n).collect());
            Ok(effect.worded(format!("only the first {}", characters(n))))
        },
    },
    Filter {
        name: "drop",
        arguments: "N",
        does: "without the first N characters",
        examples: &[("quay", "drop 1", "uay")],
        read: |arguments| {
            let n = arguments.count()?;
            let effect = Effect::plain(move |text| text.graphemes(true).skip(n).collect());
            Ok(effect.worded(format!("without the first {}", characters(n))))
        },
    },
    Filter {
        name: "take-last",
        arguments: "N",
        does: "only the last N characters",
        examples: &[("quay", "take-last 2", "ay")],
        read: |arguments| {
            let n = arguments.count()?;
            let effect = Effect::plain(move |text| {
                let before = length(text).saturating_sub(n);
                text.graphemes(true).skip(before).collect()
            });
            Ok(effect.worded(format!("only the last {}", characters(n))))
        },
    },
    Filter {
        name: "drop-last",
        arguments: "N",
        does: "without the last N characters",
        examples: &[("quay", "drop-last 1", "qua")],
        read: |arguments| {
            let n = arguments.count()?;
            let effect = Effect::plain(move |text| {
                let left = length(text).saturating_sub(n);
                text.graphemes(true).take(left).collect()
            });
            Ok(effect.worded(format!("without the last {}", characters(n))))
        },
    },
    Filter {
        name: "pad",
        arguments: "N [CHAR]",
        does: "filled on the left to N characters, with 0 or CHAR",
        examples: &[
            ("7", "pad 3", "007"),
            ("-7", "pad 4", "-007"),
            ("x", "pad 3 .", "..x"),
        ],
        read: |arguments| {
            let to = filling("pad", "0", arguments)?;
            Ok(filled("left", to, letters::pad))
        },
    },
    Filter {
        name: "pad-right",
        arguments: "N [CHAR]",
        does: "filled on the right to N characters, with a space or CHAR",
        examples: &[("7", "pad-right 3 .", "7..")],
        read: |arguments| {
            let to = filling("pad-right", " ", arguments)?;
            Ok(filled("right", to, |text, with, missing| {
                format!("{text}{}", with.repeat(missing))
            }))
        },
    },
];

fn length(text: &str) -> usize {
    text.graphemes(true).count()
}

/// The number of characters to which `name` fills, and the character it fills with.
fn filling(
    name: &str,
    usual: &str,
    arguments: &mut Arguments<'_>,
) -> Result<(usize, String), CallError> {
    let n = arguments.count()?;
    if n > PAD_MOST {
        let message = format!("`{name}` fills to at most {PAD_MOST} characters, not to {n}");
        return Err(CallError::Argument(message));
    }
    let fill = match arguments.has_more() {
        true => arguments.read(|text| (length(text) == 1).then(|| text.to_owned()))?,
        false => usual.to_owned(),
    };
    Ok((n, fill))
}

/// Fills a text on one side to `n` characters; `fill` is given the text, the character, and how
/// many are missing.
fn filled(
    side: &str,
    (n, with): (usize, String),
    fill: impl Fn(&str, &str, usize) -> String + Send + Sync + 'static,
) -> Effect {
    let words = format!(
        "filled on the {side} to {}, with {}",
        characters(n),
        sign(&with)
    );
    let bytes = with.len();
    let missing = move |text: &str| n.saturating_sub(length(text));
    Effect::plain(move |text| fill(text, &with, missing(text)))
        .worded(words)
        .growing(move |text| missing(text).saturating_mul(bytes))
}

fn characters(n: usize) -> String {
    match n {
        1 => "character".to_owned(),
        n => format!("{n} characters"),
    }
}

/// The bits that a text is filled with.
fn sign(fill: &str) -> String {
    match fill {
        "0" => "zeros".into(),
        " " => "spaces".into(),
        other => Quoted(other).to_string(),
    }
}
