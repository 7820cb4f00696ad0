//! Conditions on the whole unit, for candidates that would also change texts that must stay.

use crate::infer::candidate::{Candidate, Condition, Made};
use crate::infer::examples::Examples;
use crate::infer::form::{Matcher, Piece};
use crate::infer::tokens::{Kind, Token, text_of, tokens};

/// The most candidates tried with conditions.
const TRIED: usize = 10;

/// Candidates that are too wide, each with the conditions under which all examples hold.
pub(super) fn narrowed(mut too_wide: Vec<Candidate>, examples: &Examples<'_>) -> Vec<Candidate> {
    too_wide.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    too_wide.truncate(TRIED);
    let mut all = Vec::new();
    for candidate in &too_wide {
        let breaks = |text: &[char]| {
            !matches!(
                candidate.rewrite(text, 1, 0, examples.filters),
                Made::Nothing
            )
        };
        let kept: Vec<&[char]> = examples
            .untouched
            .iter()
            .map(|case| &case.before[..])
            .collect();
        let broken: Vec<&[char]> = kept.iter().copied().filter(|text| breaks(text)).collect();
        let changed: Vec<&[char]> = examples
            .changed
            .iter()
            .map(|case| &case.before[..])
            .collect();
        let mut conditions = tests(&broken, &changed, false);
        conditions.extend(tests(&changed, &broken, true));
        for (pieces, holds, cost) in conditions {
            // The more texts say so, the likelier it is meant.
            let said = if holds { changed.len() } else { broken.len() };
            let lone = if holds && said == 1 { 0.4 } else { 0.0 };
            let cost = cost + lone - 0.25 * (said.min(4) as f64 - 1.0);
            all.push(Candidate {
                condition: Some(Condition {
                    matcher: Matcher::new(&pieces),
                    pieces,
                    holds,
                }),
                cost: candidate.cost + cost,
                ..candidate.clone()
            });
        }
    }
    all
}

/// Tests that all of some texts pass, and none of the others.
fn tests(all: &[&[char]], none: &[&[char]], holds: bool) -> Vec<(Vec<Piece>, bool, f64)> {
    let Some(first) = all.first() else {
        return Vec::new();
    };
    let cut = tokens(first);
    let mut forms: Vec<(Vec<Piece>, f64)> = Vec::new();
    for count in 1..=2.min(cut.len()) {
        let text = &first[..cut[count - 1].to];
        let of = |token: &Token| match token.kind {
            Kind::Sign => 0.5,
            Kind::Blanks => 0.2,
            Kind::Letters | Kind::Digits => 0.8,
        };
        let mut pieces = vec![Piece::Start, Piece::Text(text_of(text))];
        if cut[count - 1].is_word() {
            pieces.push(Piece::Edge);
        }
        forms.push((pieces, cut[..count].iter().map(of).sum()));
    }
    for token in cut
        .iter()
        .filter(|token| token.kind == Kind::Letters)
        .take(12)
    {
        let word = Piece::Text(text_of(token.of(first)));
        forms.push((vec![Piece::Edge, word, Piece::Edge], 1.4));
    }
    if let Some(last) = cut.last().filter(|last| last.kind == Kind::Sign) {
        forms.push((vec![Piece::Text(text_of(last.of(first))), Piece::End], 0.9));
    }
    let passes =
        |matcher: &Matcher, text: &[char]| matcher.all(text).is_some_and(|found| !found.is_empty());
    let tells = |pieces: &[Piece]| {
        let matcher = Matcher::new(pieces);
        all.iter().all(|text| passes(&matcher, text))
            && !none.iter().any(|text| passes(&matcher, text))
    };
    forms
        .into_iter()
        .filter(|(pieces, _)| tells(pieces))
        .map(|(pieces, cost)| (pieces, holds, 0.6 + cost))
        .collect()
}
