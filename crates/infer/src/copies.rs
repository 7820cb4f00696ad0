//! The places of a new text that may be copies of spans of the old one.

use crate::budget::Budget;
use crate::filters::{FilterSet, Filters};
use crate::tokens::{Kind, tokens};
use std::collections::BTreeMap;

/// The most spans of a text that are looked at.
const SPANS_MOST: usize = 1500;

/// A span of the old text that, passed through a filter, is found at a place of the new one.
#[derive(Clone, Copy, Debug)]
pub(super) struct Copy {
    /// The span in the old text, in characters.
    pub span: (usize, usize),
    /// The filters that give this text.
    pub filters: FilterSet,
    /// The length in the new text, in characters.
    pub len: usize,
}

/// All copies of one pair of texts, by where they begin in the new one.
#[derive(Debug)]
pub(super) struct CopyMap {
    pub before: Vec<char>,
    pub after: Vec<char>,
    pub by_start: Vec<Vec<Copy>>,
}

impl CopyMap {
    /// The copies of a pair, as far as the budget goes.
    pub fn new(before: &[char], after: &[char], filters: &Filters, budget: &mut Budget) -> Self {
        let mut by_start = vec![Vec::new(); after.len() + 1];
        let cuts = cuts(before, after, budget);
        let mut spans = 0;
        // Short spans first, so that of a long text the useful ones are looked at.
        'all: for steps in 1..cuts.len() {
            for (from, to) in cuts.iter().zip(&cuts[steps..]) {
                let text = &before[*from..*to];
                if !text.iter().any(|c| c.is_alphanumeric()) {
                    continue;
                }
                spans += 1;
                if spans > SPANS_MOST || budget.is_spent() {
                    break 'all;
                }
                for (made, set) in results(text, filters) {
                    budget.spend(5 + (made.len() + after.len()) / 16);
                    for start in places(after, &made) {
                        by_start[start].push(Copy {
                            span: (*from, *to),
                            filters: set,
                            len: made.len(),
                        });
                    }
                }
            }
        }
        Self {
            before: before.to_vec(),
            after: after.to_vec(),
            by_start,
        }
    }
}

/// The texts that filters make of one, each with the filters that do.
fn results(text: &[char], filters: &Filters) -> BTreeMap<Vec<char>, FilterSet> {
    let written: String = text.iter().collect();
    let mut results: BTreeMap<Vec<char>, FilterSet> = BTreeMap::new();
    for filter in filters.for_text(text) {
        if let Some(made) = filters
            .apply(filter, &written)
            .filter(|made| !made.is_empty())
        {
            *results.entry(made.chars().collect()).or_default() |= 1 << filter;
        }
    }
    results
}

/// The places where `part` is in `text`.
pub(super) fn places<'t>(text: &'t [char], part: &'t [char]) -> impl Iterator<Item = usize> + 't {
    let most = (text.len() + 1).saturating_sub(part.len());
    (0..most).filter(move |&at| text[at..].starts_with(part))
}

/// The places of the old text where a span may begin or end.
fn cuts(before: &[char], after: &[char], budget: &mut Budget) -> Vec<usize> {
    let mut cuts = vec![0, before.len()];
    for token in tokens(before) {
        cuts.extend([token.from, token.to]);
        let text = token.of(before);
        match token.kind {
            Kind::Letters => {
                cuts.push(token.from + 1);
                let camel = |two: &[char]| two[0].is_lowercase() && two[1].is_uppercase();
                let humps = text.windows(2).enumerate().filter(|(_, two)| camel(two));
                cuts.extend(humps.map(|(at, _)| token.from + at + 1));
            }
            Kind::Digits => {
                let zeros = text.iter().take_while(|c| **c == '0').count();
                if zeros > 0 && zeros < text.len() {
                    cuts.push(token.from + zeros);
                }
            }
            Kind::Blanks | Kind::Sign => {}
        }
    }
    for token in tokens(after).into_iter().filter(|token| token.is_word()) {
        let text = token.of(after);
        if text.len() > 1 && !budget.is_spent() {
            budget.spend(1 + before.len() / 16);
            cuts.extend(places(before, text).flat_map(|at| [at, at + text.len()]));
        }
    }
    cuts.sort_unstable();
    cuts.dedup();
    cuts
}
