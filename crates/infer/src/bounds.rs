//! The ways to bound the matches of a pattern: by words, by the ends of a line, or by text that is written back.

use crate::examples::Place;
use crate::form::Piece;
use crate::tokens::{Token, is_inside_word, text_of, tokens};

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
    let beside = |place: &Place<'_>| -> Vec<char> {
        let (case, window) = place;
        match left {
            true => case.before[..window.before.0].to_vec(),
            false => case.before[window.before.1..].to_vec(),
        }
    };
    let sides: Vec<Vec<char>> = places.iter().map(beside).collect();
    let word = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
    let inner = |place: &Place<'_>| -> Option<char> {
        let (case, window) = place;
        let text = &case.before[window.before.0..window.before.1];
        let c = if left { text.first() } else { text.last() };
        c.copied()
    };
    let outer = |side: &[char]| -> Option<char> {
        let c = if left { side.last() } else { side.first() };
        c.copied()
    };
    // The characters on both sides of each edge of a window.
    let edges: Vec<(Option<char>, Option<char>)> = places
        .iter()
        .zip(&sides)
        .map(|(place, side)| (inner(place), outer(side)))
        .collect();
    let several = places.len() > 1;
    let at_edge = edges
        .iter()
        .all(|(inner, outer)| word(*inner) != word(*outer));
    // A word is meant as a whole where all examples have it as a whole.
    let whole_word = at_edge && edges.iter().all(|(inner, _)| word(*inner));
    // Text that all examples have right before a sign is likely to belong to it.
    let torn = several && at_edge && edges.iter().all(|(_, outer)| word(*outer));
    // And a word that all of them have right there, even more so.
    let near_word = {
        let near = |side: &Vec<char>| -> Option<String> {
            let word = match left {
                true => first_word(side.iter().rev()),
                false => first_word(side.iter()),
            };
            (word.chars().count() > 1).then_some(word)
        };
        let first = near(&sides[0]);
        several && first.is_some() && sides.iter().all(|side| near(side) == first)
    };
    // The cost of a bound that leaves it out.
    let without_word = if near_word { 0.5 } else { 0.0 };
    let none = without_word + if whole_word || torn { 0.3 } else { 0.0 };
    let mut all = vec![bound(Vec::new(), &[], none)];
    let to_end = sides.iter().all(Vec::is_empty);
    if at_edge {
        let cost = match () {
            () if several && to_end => 0.15,
            () if whole_word => 0.0,
            () => 0.3,
        };
        all.push(bound(vec![Piece::Edge], &[], without_word + cost));
    }
    if to_end {
        let cost = if several { 0.1 } else { 0.6 };
        all.push(bound(vec![anchor.clone()], &[], cost));
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
        let outermost = if left {
            tokens(text).into_iter().next()
        } else {
            tokens(text).pop()
        };
        let literal = Piece::Text(text_of(text));
        // Text that all examples share is the likelier meant, the more they are and the closer it stands.
        let close = !text.iter().any(|c| c.is_whitespace());
        let share = match close {
            true => places.len().min(3) as f64,
            false if several => 1.4,
            false => 1.0,
        };
        let has_word = text.iter().filter(|c| c.is_alphabetic()).count() > 1;
        let without = if has_word { 0.0 } else { without_word };
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
        let whole = boundary && outermost.is_some_and(Token::is_word);
        all.push(bound(
            vec![literal.clone()],
            text,
            if whole { cost + 0.25 } else { cost },
        ));
        if whole {
            all.push(with(Piece::Edge, cost));
        }
        if sides.iter().all(|side| side.len() == text.len()) {
            let lone = if several { 0.2 } else { 0.5 };
            all.push(with(anchor.clone(), cost + lone));
        }
    }
    all.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    all
}

/// The first word of some text, up to white space; empty where there is none.
fn first_word<'c>(text: impl Iterator<Item = &'c char>) -> String {
    text.take_while(|c| !c.is_whitespace())
        .skip_while(|c| !c.is_alphabetic())
        .take_while(|c| c.is_alphabetic())
        .collect()
}
