//! The ways to bound the matches of a pattern: by words, by the ends of a line, or by text that is written back.

use crate::infer::examples::Place;
use crate::infer::form::Piece;
use crate::infer::tokens::{is_inside_word, text_of, tokens};

/// A way to bound a match: pieces of the pattern, and the text that they match, which is written back.
#[derive(Clone, Debug)]
pub(super) struct Bound {
    pub pieces: Vec<Piece>,
    pub text: Vec<char>,
    pub cost: f64,
}

/// The ways to bound the matches of all windows on one side.
pub(super) fn bounds(places: &[Place<'_>], cell: bool, left: bool) -> Vec<Bound> {
    let anchor = if left { Piece::Start } else { Piece::End };
    let bound = |pieces: Vec<Piece>, text: &[char], cost: f64| Bound {
        pieces,
        text: text.to_vec(),
        cost,
    };
    if cell {
        return vec![bound(vec![anchor], &[], 0.0)];
    }
    let side = |place: &Place<'_>| -> (Vec<char>, usize) {
        let (case, window) = place;
        match left {
            true => (case.before[..window.before.0].to_vec(), window.before.0),
            false => (case.before[window.before.1..].to_vec(), window.before.1),
        }
    };
    let word = |c: Option<&char>| c.is_some_and(|c| c.is_alphanumeric() || *c == '_');
    let inner = |place: &Place<'_>| -> Option<char> {
        let (case, window) = place;
        let text = &case.before[window.before.0..window.before.1];
        if left {
            text.first().copied()
        } else {
            text.last().copied()
        }
    };
    let outer = |place: &Place<'_>| -> Option<char> {
        let (case, window) = place;
        let at = if left {
            window.before.0.checked_sub(1)
        } else {
            Some(window.before.1)
        };
        at.and_then(|at| case.before.get(at)).copied()
    };
    let at_edge = |place: &Place<'_>| word(inner(place).as_ref()) != word(outer(place).as_ref());
    // A word is meant as a whole where all examples have it as a whole.
    let whole_word = places
        .iter()
        .all(|place| word(inner(place).as_ref()) && at_edge(place));
    // Text that all examples have right before a sign is likely to belong to it.
    let torn = places.len() > 1
        && places
            .iter()
            .all(|place| !word(inner(place).as_ref()) && word(outer(place).as_ref()));
    // And a word that all of them have right there, even more so.
    let near_word = {
        let near = |place: &Place<'_>| -> Option<String> {
            let (case, window) = place;
            let (text, at) = (
                &case.before,
                if left {
                    window.before.0
                } else {
                    window.before.1
                },
            );
            let close: Vec<char> = match left {
                true => text[..at]
                    .iter()
                    .rev()
                    .take_while(|c| !c.is_whitespace())
                    .copied()
                    .collect(),
                false => text[at..]
                    .iter()
                    .take_while(|c| !c.is_whitespace())
                    .copied()
                    .collect(),
            };
            let letters = close.iter().skip_while(|c| !c.is_alphabetic());
            let word: String = letters.take_while(|c| c.is_alphabetic()).collect();
            (word.chars().count() > 1).then_some(word)
        };
        let first = near(&places[0]);
        places.len() > 1 && first.is_some() && places.iter().all(|place| near(place) == first)
    };
    let none = if near_word { 0.5 } else { 0.0 }
        + match () {
            () if whole_word => 0.3,
            () if torn => 0.3,
            () => 0.0,
        };
    let mut all = vec![bound(Vec::new(), &[], none)];
    if places.iter().all(at_edge) {
        let ends = places.len() > 1 && places.iter().all(|place| outer(place).is_none());
        let cost = if near_word { 0.5 } else { 0.0 }
            + match () {
                () if ends => 0.15,
                () if whole_word => 0.0,
                () => 0.3,
            };
        all.push(bound(vec![Piece::Edge], &[], cost));
    }
    let sides: Vec<Vec<char>> = places.iter().map(|place| side(place).0).collect();
    if sides.iter().all(Vec::is_empty) {
        let several = places.len() > 1;
        all.push(bound(
            vec![anchor.clone()],
            &[],
            if several { 0.1 } else { 0.6 },
        ));
    }
    let first = &sides[0];
    let cut = tokens(first);
    for count in 1..=cut.len().min(5) {
        let text: &[char] = match left {
            true => &first[cut[cut.len() - count].from..],
            false => &first[..cut[count - 1].to],
        };
        let shared = sides.iter().all(|side| match left {
            true => side.ends_with(text),
            false => side.starts_with(text),
        });
        if !shared {
            break;
        }
        let outer = |at: usize| match left {
            true => tokens(text)[0].is_word() && at > 0,
            false => tokens(text).last().is_some_and(|token| token.is_word()) && at > 0,
        };
        let literal = Piece::Text(text_of(text));
        // Text that all examples share is the likelier meant, the more they are and the closer it stands.
        let close = !text.iter().any(|c| c.is_whitespace());
        let share = match close {
            true => places.len().min(3) as f64,
            false => {
                if places.len() > 1 {
                    1.4
                } else {
                    1.0
                }
            }
        };
        let has_word = text.iter().filter(|c| c.is_alphabetic()).count() > 1;
        let without = if near_word && !has_word { 0.5 } else { 0.0 };
        let cost = (0.35 + 0.1 * count as f64) / share + without;
        let with = |anchor: Piece, cost: f64| match left {
            true => bound(vec![anchor, literal.clone()], text, cost),
            false => bound(vec![literal.clone(), anchor], text, cost),
        };
        let boundary = sides.iter().all(|side| {
            let at = match left {
                true => side.len() - text.len(),
                false => text.len(),
            };
            at == 0 || !is_inside_word(side, at)
        });
        let whole = boundary && outer(1);
        all.push(bound(
            vec![literal.clone()],
            text,
            if whole { cost + 0.25 } else { cost },
        ));
        if whole {
            all.push(with(Piece::Edge, cost));
        }
        if sides.iter().all(|side| side.len() == text.len()) {
            let lone = if places.len() > 1 { 0.2 } else { 0.5 };
            all.push(with(anchor.clone(), cost + lone));
        }
    }
    all.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    all
}
