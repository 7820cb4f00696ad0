//! Examples of one shape to which different things are done: `12N` becomes `12`, and `7S` becomes `-7`.
//!
//! Examples are put together by the tokens that change in them. Each group is solved for itself, with the texts of the
//! others as texts that stay; so the search finds the guard that says them apart. A table of single words would pass
//! as such rules, too; therefore the pattern of a group must hold a whole token that all of the group have and no other
//! has, and change texts of the data that are not examples.

use crate::candidate::{Candidate, Written};
use crate::case::Case;
use crate::examples::Examples;
use crate::form::Piece;
use crate::tokens::{Kind, digit_folded, in_all, shape, text_of, token_texts, tokens};
use std::collections::BTreeSet;

/// The most steps of one proposal.
pub(super) const STEPS_MOST: usize = 3;
/// The most candidates of each group that are combined.
pub(super) const COMBINED: usize = 4;
/// Examples that are put into groups, at most; all others are only checked.
pub(super) const READ_MOST: usize = 12;
/// Texts of the data that must be changed too: by a group of one example, and by one of several.
const SUPPORT_OF_ONE: usize = 3;
const SUPPORT_OF_SEVERAL: usize = 2;

/// The candidates of each group of examples to which the same is done; none where there are not two or three groups, or one of
/// them has no rule.
pub(super) fn by_deed<'e>(
    examples: &Examples<'e>,
    solve: &mut impl FnMut(&Examples<'e>) -> Vec<Candidate>,
) -> Vec<Vec<Candidate>> {
    let cases = examples.to_read(READ_MOST);
    let mut tried: Vec<Vec<Vec<&Case>>> = Vec::new();
    for folds_words in [false, true] {
        let clusters = clusters(&cases, folds_words);
        if !(2..=STEPS_MOST).contains(&clusters.len()) || tried.contains(&clusters) {
            continue;
        }
        let solved = (0..clusters.len()).map(|at| of_cluster(examples, &clusters, at, solve));
        let solved: Option<Vec<_>> = solved.collect();
        if let Some(solved) = solved {
            return solved;
        }
        tried.push(clusters);
    }
    Vec::new()
}

/// The examples by what changes in them, in the order in which each first stands.
fn clusters<'e>(cases: &[&'e Case], folds_words: bool) -> Vec<Vec<&'e Case>> {
    let mut clusters: Vec<(Deed, Vec<&Case>)> = Vec::new();
    for case in cases {
        let deed = deed(case, folds_words);
        match clusters.iter_mut().find(|(other, _)| *other == deed) {
            Some((_, cluster)) => cluster.push(case),
            None => clusters.push((deed, vec![case])),
        }
    }
    clusters.into_iter().map(|(_, cluster)| cluster).collect()
}

/// The tokens that go and those that come in their place, wherever some do.
type Deed = Vec<(Vec<String>, Vec<String>)>;

fn deed(case: &Case, folds_words: bool) -> Deed {
    let (old, new) = (cut(&case.before), cut(&case.after));
    let kept = longest_common(&old, &new);
    let folded = |tokens: &[String]| -> Vec<String> {
        let fold = |token: &String| {
            let mut out = String::new();
            for c in token.chars() {
                let sign = match folds_words && c.is_alphabetic() {
                    true => 'a',
                    false => digit_folded(c),
                };
                // However long a number or a folded word is.
                let folds = sign == '9' || folds_words && sign == 'a';
                if !(folds && out.ends_with(sign)) {
                    out.push(sign);
                }
            }
            out
        };
        tokens.iter().map(fold).collect()
    };
    let mut deed = Vec::new();
    let (mut from, mut to) = (0, 0);
    for (a, b) in kept.into_iter().chain([(old.len(), new.len())]) {
        if from < a || to < b {
            deed.push((folded(&old[from..a]), folded(&new[to..b])));
        }
        (from, to) = (a + 1, b + 1);
    }
    deed
}

fn cut(text: &[char]) -> Vec<String> {
    let tokens = tokens(text).into_iter();
    tokens.map(|token| text_of(token.of(text))).collect()
}

/// The numbers of the tokens that both have, in order, as many as there can be.
fn longest_common(old: &[String], new: &[String]) -> Vec<(usize, usize)> {
    /// Tokens of a text that are compared; of longer texts, the common ends alone are kept.
    const MOST: usize = 200;
    let head = old.iter().zip(new).take_while(|(a, b)| a == b).count();
    let (rest_old, rest_new) = (&old[head..], &new[head..]);
    let tail = rest_old
        .iter()
        .rev()
        .zip(rest_new.iter().rev())
        .take_while(|(a, b)| a == b)
        .count();
    let (mid_old, mid_new) = (
        &rest_old[..rest_old.len() - tail],
        &rest_new[..rest_new.len() - tail],
    );
    let mut kept: Vec<(usize, usize)> = (0..head).map(|at| (at, at)).collect();
    if mid_old.len() <= MOST && mid_new.len() <= MOST {
        let (rows, columns) = (mid_old.len() + 1, mid_new.len() + 1);
        let mut lengths = vec![0u32; rows * columns];
        for a in (0..mid_old.len()).rev() {
            for b in (0..mid_new.len()).rev() {
                lengths[a * columns + b] = match mid_old[a] == mid_new[b] {
                    true => lengths[(a + 1) * columns + b + 1] + 1,
                    false => lengths[(a + 1) * columns + b].max(lengths[a * columns + b + 1]),
                };
            }
        }
        let (mut a, mut b) = (0, 0);
        while a < mid_old.len() && b < mid_new.len() {
            let (skip_old, skip_new) =
                (lengths[(a + 1) * columns + b], lengths[a * columns + b + 1]);
            if mid_old[a] == mid_new[b] {
                kept.push((head + a, head + b));
                (a, b) = (a + 1, b + 1);
            } else if skip_old >= skip_new {
                a += 1;
            } else {
                b += 1;
            }
        }
    }
    kept.extend((1..=tail).rev().map(|n| (old.len() - n, new.len() - n)));
    kept
}

/// The candidates of one group, the likeliest first; `None` where there is none.
fn of_cluster<'e>(
    examples: &Examples<'e>,
    clusters: &[Vec<&'e Case>],
    at: usize,
    solve: &mut impl FnMut(&Examples<'e>) -> Vec<Candidate>,
) -> Option<Vec<Candidate>> {
    let own = &clusters[at];
    let others: Vec<&Case> = (clusters.iter().enumerate())
        .filter(|(other, _)| *other != at)
        .flat_map(|(_, cluster)| cluster.iter().copied())
        .collect();
    let mut untouched = examples.untouched.clone();
    untouched.extend(&others);
    let candidates = solve(&Examples {
        changed: own.clone(),
        untouched,
        ..examples.clone()
    });
    let guards = own_tokens(own, &others);
    let differ = {
        let shapes: BTreeSet<String> = others.iter().map(|case| shape(&case.before)).collect();
        !own.iter().any(|case| shapes.contains(&shape(&case.before)))
    };
    let is_lone = own.len() == 1;
    let least = if is_lone {
        SUPPORT_OF_ONE
    } else {
        SUPPORT_OF_SEVERAL
    };
    let mut kept: Vec<(f64, Candidate)> = Vec::new();
    for candidate in candidates {
        let is_guarded = holds_any(&candidate, &guards);
        let support = support(&candidate, examples);
        let is_supported = support >= least;
        let stands = match differ {
            true => {
                // Words that one text alone gets may be anything.
                let copies = mostly_copied(&candidate, own[0]) && !writes_words(&candidate);
                !is_lone || copies || is_guarded && is_supported
            }
            false => is_guarded && is_supported,
        };
        // A constant is not a rule unless it comes of other texts too, and whatever becomes of one text can be calculated
        // from it.
        let is_rule = candidate.refers() || !examples.cell && is_supported;
        if stands && is_rule && !(is_lone && calculates(&candidate, examples)) {
            let score = candidate.cost - 0.8 * (1.0 + support as f64).ln();
            kept.push((score, candidate));
        }
    }
    kept.sort_by(|a, b| a.0.total_cmp(&b.0));
    kept.truncate(COMBINED);
    let kept: Vec<Candidate> = kept.into_iter().map(|(_, candidate)| candidate).collect();
    (!kept.is_empty()).then_some(kept)
}

/// True if a candidate writes letters of its own.
fn writes_words(candidate: &Candidate) -> bool {
    candidate.template.iter().any(|part| match part {
        Written::Text(text) => text.iter().any(|c| c.is_alphabetic()),
        Written::CaseOf(_) => true,
        Written::Group { .. } | Written::Line(_) | Written::Number(_) => false,
    })
}

/// True if a candidate writes anything but parts of the old text, in another letter case or filled up.
fn calculates(candidate: &Candidate, examples: &Examples<'_>) -> bool {
    candidate.template.iter().any(|part| match part {
        Written::Group { filter, .. } => {
            let words = examples.filters.words(*filter);
            ["add", "multiply", "round", "swap", "map", "date"]
                .iter()
                .any(|name| words.contains(name))
        }
        Written::Text(_) | Written::CaseOf(_) | Written::Line(_) | Written::Number(_) => false,
    })
}

/// The tokens, but for blanks, that all of a group have and no other example has.
fn own_tokens(own: &[&Case], others: &[&Case]) -> BTreeSet<String> {
    let of = |case: &Case| -> BTreeSet<String> {
        token_texts(&case.before, |token| token.kind != Kind::Blanks)
    };
    let mut shared = in_all(own.iter().map(|case| of(case)));
    for case in others {
        for token in of(case) {
            shared.remove(&token);
        }
    }
    shared
}

/// True if the pattern of a candidate holds one of these tokens, as a whole.
fn holds_any(candidate: &Candidate, guards: &BTreeSet<String>) -> bool {
    let in_text = |text: &str| {
        let chars: Vec<char> = text.chars().collect();
        let own = tokens(&chars);
        own.into_iter()
            .any(|token| guards.contains(&text_of(token.of(&chars))))
    };
    fn any(pieces: &[Piece], in_text: &dyn Fn(&str) -> bool) -> bool {
        pieces.iter().any(|piece| match piece {
            Piece::Text(text) => in_text(text),
            Piece::OneOf(texts, _) => texts.iter().all(|text| in_text(text)),
            Piece::Group(inner) => any(inner, in_text),
            Piece::Run { .. } | Piece::Maybe(_) | Piece::Start | Piece::End | Piece::Edge => false,
        })
    }
    any(&candidate.pieces, &in_text)
}

/// The number of different texts of the data, none of them an example, that a candidate changes.
fn support(candidate: &Candidate, examples: &Examples<'_>) -> usize {
    let is_example = |text: &[char]| {
        let mut all = examples.changed.iter().chain(&examples.untouched);
        all.any(|case| case.before == text)
    };
    let texts: BTreeSet<&[char]> = examples.data.iter().map(|text| &text.text[..]).collect();
    texts
        .into_iter()
        .filter(|text| !is_example(text))
        .filter(|text| candidate.matches(text) > 0)
        .count()
}

/// True if at least half of the letters and digits of the new text come from the old one.
pub(super) fn mostly_copied(candidate: &Candidate, case: &Case) -> bool {
    let words = |text: &[char]| text.iter().filter(|c| c.is_alphanumeric()).count();
    let own: usize = candidate
        .template
        .iter()
        .map(|part| match part {
            Written::Text(text) => words(text),
            _ => 0,
        })
        .sum();
    candidate.refers() && 2 * own <= words(&case.after)
}
