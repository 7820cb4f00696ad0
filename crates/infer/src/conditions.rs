//! Conditions on the whole unit, for candidates that would also change texts that must stay.

use crate::candidate::{Candidate, Condition, Made};
use crate::case::Case;
use crate::examples::Examples;
use crate::form::{Matcher, Piece};
use crate::tokens::{Kind, Token, text_of, tokens};

/// The most candidates tried with conditions.
const TRIED: usize = 10;
/// Candidates that hold and are tried with a condition none the less, and conditions for each.
const ASKED_FOR: usize = 4;
const CONDITIONS: usize = 2;

/// Candidates that are too wide, each with the conditions under which all examples hold.
pub(super) fn narrowed(mut too_wide: Vec<Candidate>, examples: &Examples<'_>) -> Vec<Candidate> {
    too_wide.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    too_wide.truncate(TRIED);
    let (kept, changed) = (texts_of(&examples.untouched), texts_of(&examples.changed));
    let mut all = Vec::new();
    for candidate in &too_wide {
        let breaks = |text: &[char]| {
            !matches!(
                candidate.rewrite(text, 1, 0, examples.filters),
                Made::Nothing
            )
        };
        let broken: Vec<&[char]> = kept.iter().copied().filter(|text| breaks(text)).collect();
        let mut conditions = tests(&broken, &changed, false);
        conditions.extend(tests(&changed, &broken, true));
        all.extend(conditions.iter().map(|test| {
            // The more texts say so, the likelier it is meant.
            let said = if test.holds {
                changed.len()
            } else {
                broken.len()
            };
            let lone = if test.holds && said == 1 { 0.4 } else { 0.0 };
            test.of(candidate, lone + said_by(said))
        }));
    }
    all
}

/// The cheapest candidates, each with a condition that all examples meet and some of the texts of the data that would change
/// do not: what all examples have, and the data has not, may be meant.
pub(super) fn asked_for(hits: &[Candidate], examples: &Examples<'_>) -> Vec<Candidate> {
    let changed = texts_of(&examples.changed);
    if changed.len() < 2 {
        return Vec::new();
    }
    let (tests, said) = (tests(&changed, &[], true), said_by(changed.len()));
    let plain = hits.iter().filter(|hit| hit.condition.is_none());
    let narrowed = plain.take(ASKED_FOR).flat_map(|candidate| {
        let changes = |text: &&[char]| {
            let made = candidate.rewrite(text, 1, 0, examples.filters);
            !matches!(made.of_change(text), Made::Nothing)
        };
        let data: Vec<&[char]> = examples.probes.iter().copied().filter(changes).collect();
        let passing = |test: &Test| data.iter().filter(|text| test.passes(text)).count();
        let mut telling: Vec<(usize, &Test)> = (tests.iter())
            .map(|test| (passing(test), test))
            .filter(|(passing, _)| *passing < data.len())
            .collect();
        telling.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.cost.total_cmp(&b.1.cost)));
        let first = telling.into_iter().take(CONDITIONS);
        first.map(move |(_, test)| test.of(candidate, said))
    });
    narrowed.collect()
}

/// The old texts of some examples.
fn texts_of<'e>(cases: &[&'e Case]) -> Vec<&'e [char]> {
    cases.iter().map(|case| &case.before[..]).collect()
}

/// The cost of a condition that this many texts speak for.
fn said_by(texts: usize) -> f64 {
    -0.25 * (texts.min(4) as f64 - 1.0)
}

/// A test of whole texts.
struct Test {
    pieces: Vec<Piece>,
    matcher: Matcher,
    holds: bool,
    cost: f64,
}

impl Test {
    fn passes(&self, text: &[char]) -> bool {
        let found = self.matcher.all(text);
        found.is_some_and(|found| !found.is_empty())
    }

    /// The candidate under this condition, which costs more by `further` than alone.
    fn of(&self, candidate: &Candidate, further: f64) -> Candidate {
        Candidate {
            condition: Some(Condition {
                matcher: self.matcher.clone(),
                pieces: self.pieces.clone(),
                holds: self.holds,
            }),
            cost: candidate.cost + self.cost + further,
            ..candidate.clone()
        }
    }
}

/// Tests that all of some texts pass, and none of the others.
fn tests(all: &[&[char]], none: &[&[char]], holds: bool) -> Vec<Test> {
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
    let test = |(pieces, cost): (Vec<Piece>, f64)| Test {
        matcher: Matcher::new(&pieces),
        pieces,
        holds,
        cost: 0.6 + cost,
    };
    let tells = |test: &Test| {
        all.iter().all(|text| test.passes(text)) && !none.iter().any(|text| test.passes(text))
    };
    forms.into_iter().map(test).filter(tells).collect()
}
