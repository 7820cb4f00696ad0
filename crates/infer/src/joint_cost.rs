//! Costs that a pattern and its template have only together.

use crate::candidate::{Candidate, Written};
use crate::case::Case;
use crate::examples::Examples;
use crate::form::{Class, Piece};
use crate::layouts::Slot;
use crate::slots::Choice;
use crate::tokens::{Kind, is_inside_word, kind, text_of, tokens};

/// Costs that pattern and template have only together.
pub(super) fn joint_cost(
    candidate: &Candidate,
    layout: &[Slot],
    chosen: &[&Choice],
    examples: &Examples<'_>,
) -> f64 {
    let mut cost = 0.0;
    let pattern_text = literal_text(&candidate.pieces);
    for part in &candidate.template {
        let Written::Text(text) = part else {
            continue;
        };
        for token in tokens(text) {
            let word = token.of(text);
            let everywhere = |case: &&&Case| {
                tokens(&case.before)
                    .iter()
                    .any(|token| token.of(&case.before) == word)
            };
            cost += initials_cost(word, &pattern_text, examples);
            match token.kind {
                Kind::Letters if word.len() > 1 => {
                    let stands = examples.changed.iter().all(|case| everywhere(&case));
                    if stands && !pattern_text.contains(&text_of(word)) {
                        cost += 2.0;
                    }
                }
                Kind::Digits => {
                    let stands = examples
                        .changed
                        .iter()
                        .any(|case| text_of(&case.before).contains(&text_of(word)));
                    if stands && !pattern_text.contains(&text_of(word)) {
                        cost += 1.0;
                    }
                }
                _ => {}
            }
        }
    }
    for (slot, choice) in layout.iter().zip(chosen) {
        let Some(group) = slot.group else {
            continue;
        };
        if let [
            Piece::Run {
                class: Class::Digit,
                least,
                most,
                ..
            },
        ] = choice.pieces[..]
            && most == Some(least)
        {
            // Nothing is left to fill.
            let idle = |part: &&Written| match part {
                Written::Group {
                    group: of, filter, ..
                } if *of == group + 1 => {
                    let pad = examples.filters.words(*filter).strip_prefix("pad ");
                    pad.and_then(|pad| pad.parse().ok())
                        .is_some_and(|pad: u32| pad <= least)
                }
                _ => false,
            };
            cost += 0.6 * candidate.template.iter().filter(idle).count() as f64;
        }
        let is_choice = matches!(choice.pieces[..], [Piece::OneOf(..)]);
        let filtered = candidate.template.iter().any(|part| {
            matches!(part, Written::Group { group: of, filter, .. } if *of == group + 1 && *filter != 0)
        });
        if is_choice && !filtered {
            cost += 1.0;
        }
    }
    cost += boundary_cost(candidate);
    if examples.cell {
        if !candidate.refers() {
            cost += 3.0;
        }
    } else {
        let lack = 1.2 - literalness(&candidate.pieces);
        if lack > 0.0 {
            cost += 3.0 * lack;
        }
        cost += begins_inside_word(candidate, examples);
    }
    cost
}

/// The cost of letters in a template that begin a word of every old text, where the pattern takes any other word too: what is
/// short for a word does not suit another.
fn initials_cost(word: &[char], pattern_text: &str, examples: &Examples<'_>) -> f64 {
    let folded = |text: &[char]| text_of(text).to_lowercase();
    let initials = folded(word);
    let begins = |case: &&Case| {
        let words = tokens(&case.before);
        let mut words = words.iter().filter(|token| token.kind == Kind::Letters);
        words.any(|token| folded(token.of(&case.before)).starts_with(&initials))
    };
    let is_short = word.iter().all(|c| c.is_alphabetic()) && examples.changed.iter().all(begins);
    match is_short && !pattern_text.to_lowercase().contains(&initials) {
        true if examples.changed.len() > 1 => 1.0,
        true => 0.4,
        false => 0.0,
    }
}

/// The cost of a boundary behind a class that takes everything.
fn boundary_cost(candidate: &Candidate) -> f64 {
    let mut cost = 0.0;
    for two in candidate.pieces.windows(2) {
        match two {
            // What takes everything leaves one character of a run behind it.
            [
                Piece::Run {
                    class, lazy: false, ..
                },
                next,
            ] if is_wide(class) => {
                let first = match next {
                    Piece::Group(inner) => inner.first(),
                    other => Some(other),
                };
                let run = |piece: &Piece| match piece {
                    Piece::Run {
                        class, least, most, ..
                    } => {
                        let of_words = matches!(
                            class,
                            Class::Digit | Class::Word | Class::Letter | Class::Lower
                        );
                        of_words && *most != Some(*least)
                    }
                    _ => false,
                };
                cost += if first.is_some_and(run) { 0.6 } else { 0.0 };
            }
            [Piece::Group(inner), Piece::Edge] => {
                let open = |piece: &Piece| {
                    matches!(
                        piece,
                        Piece::Run {
                            class: Class::Any | Class::Not(_),
                            ..
                        }
                    )
                };
                cost += if inner.last().is_some_and(open) {
                    0.4
                } else {
                    0.0
                };
            }
            _ => {}
        }
    }
    cost
}

/// True if a class holds digits and letters alike.
fn is_wide(class: &Class) -> bool {
    matches!(
        class,
        Class::Any | Class::Dense | Class::Not(_) | Class::Word | Class::WordAnd(_)
    )
}

/// All literal text of a pattern.
fn literal_text(pieces: &[Piece]) -> String {
    let mut out = String::new();
    for piece in pieces {
        match piece {
            Piece::Text(text) => out.push_str(text),
            Piece::OneOf(texts, _) => texts.iter().for_each(|text| {
                out.push_str(text);
                out.push('\n');
            }),
            Piece::Maybe(inner) | Piece::Group(inner) => out.push_str(&literal_text(inner)),
            _ => out.push('\n'),
        }
    }
    out
}

/// The sum of what says a match in a line from any other text.
fn literalness(pieces: &[Piece]) -> f64 {
    let of = |piece: &Piece| match piece {
        Piece::Text(text) => {
            let chars: Vec<char> = text.chars().collect();
            let of_token = |kind: Kind| match kind {
                Kind::Letters => 0.45,
                Kind::Digits => 0.6,
                Kind::Sign => 0.5,
                Kind::Blanks => 0.15,
            };
            let letters: usize = chars.iter().filter(|c| kind(**c) == Kind::Letters).count();
            let of_letters = 0.45 * letters.min(3) as f64;
            let others = tokens(&chars);
            let others = others.iter().filter(|token| token.kind != Kind::Letters);
            of_letters + others.map(|token| of_token(token.kind)).sum::<f64>()
        }
        Piece::OneOf(texts, _) => {
            if texts.len() > 2 {
                0.7
            } else {
                1.0
            }
        }
        Piece::Run {
            class: Class::Digit | Class::DigitAnd(_),
            most,
            least,
            ..
        } => match most {
            Some(most) if most == least && *most > 1 => 0.55,
            _ => 0.35,
        },
        Piece::Run {
            class: Class::Upper,
            ..
        } => 0.4,
        Piece::Run {
            class: Class::Blank,
            least: 1..,
            ..
        } => 0.15,
        Piece::Run {
            class: Class::Set(set),
            least,
            ..
        } if *least > 0 && set.len() <= 2 => 0.4,
        Piece::Run {
            class: Class::Set(set),
            ..
        } if set.len() <= 2 => 0.1,
        Piece::Group(inner) => literalness(inner),
        Piece::Start | Piece::End => 0.4,
        _ => 0.0,
    };
    let at_end = pieces.windows(2).any(|two| {
        let blank = |piece: &Piece| match piece {
            Piece::Run {
                class: Class::Blank,
                least: 1..,
                ..
            } => true,
            Piece::Run {
                class: Class::Set(set),
                least: 1..,
                ..
            } => set.iter().all(|c| c.is_whitespace()),
            _ => false,
        };
        matches!(&two[0], Piece::Start) && blank(&two[1])
            || blank(&two[0]) && matches!(&two[1], Piece::End)
    });
    // A capital behind a small letter is as good as a sign.
    let humps = pieces.windows(2).filter(|two| {
        let ends = |piece: &Piece, last: bool| match piece {
            Piece::Group(inner) if last => inner.last().cloned(),
            Piece::Group(inner) => inner.first().cloned(),
            piece => Some(piece.clone()),
        };
        let is = |piece: Option<Piece>, wanted: &Class| matches!(piece, Some(Piece::Run { class, .. }) if class == *wanted);
        is(ends(&two[0], true), &Class::Lower) && is(ends(&two[1], false), &Class::Upper)
    });
    pieces.iter().map(of).sum::<f64>() + 0.6 * humps.count() as f64 + if at_end { 0.7 } else { 0.0 }
}

/// The cost of a match that begins with a text within a word, or within a name in parts.
fn begins_inside_word(candidate: &Candidate, examples: &Examples<'_>) -> f64 {
    let first = candidate
        .pieces
        .iter()
        .find(|piece| !matches!(piece, Piece::Edge));
    let mut first = first;
    while let Some(Piece::Group(inner)) = first {
        first = inner.first();
    }
    if !matches!(first, Some(Piece::Text(_) | Piece::OneOf(..))) {
        return 0.0;
    }
    let mut cost: f64 = 0.0;
    for case in &examples.changed {
        for spans in candidate.matcher.all(&case.before).unwrap_or_default() {
            let from = spans[0].map_or(0, |span| span.0);
            let joined = |at: usize| {
                case.before
                    .get(at)
                    .is_some_and(|c| c.is_alphanumeric() || *c == '_')
            };
            if is_inside_word(&case.before, from) {
                cost = cost.max(3.0);
            } else if from > 0 && joined(from - 1) && joined(from) {
                cost = cost.max(0.8);
            }
        }
    }
    cost
}
