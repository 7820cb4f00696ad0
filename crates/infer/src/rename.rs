//! A word renamed in several letter cases, which one step does.

use crate::candidate::{Candidate, Written};
use crate::examples::Examples;
use crate::form::{Matcher, Piece};
use crate::regions::token_changes;
use std::collections::BTreeSet;

/// The candidates that rename one word wherever it stands, in the letter case that it has there.
pub(super) fn renames(examples: &Examples<'_>) -> Vec<Candidate> {
    let mut pairs: BTreeSet<(String, String)> = BTreeSet::new();
    let mut forms: BTreeSet<String> = BTreeSet::new();
    for case in &examples.changed {
        for (old, new) in token_changes(case) {
            let is_word =
                |word: &str| word.chars().count() > 1 && word.chars().all(char::is_alphabetic);
            if !is_word(&old) || !is_word(&new) {
                return Vec::new();
            }
            pairs.insert((old.to_lowercase(), new.to_lowercase()));
            forms.insert(old);
        }
    }
    let (Some((old, new)), true) = (
        pairs.iter().next().filter(|_| pairs.len() == 1),
        forms.len() > 1,
    ) else {
        return Vec::new();
    };
    let word = Piece::OneOf(vec![old.clone()], true);
    let written = vec![Written::CaseOf(new.clone())];
    let candidate = |pieces: Vec<Piece>, cost: f64| Candidate {
        matcher: Matcher::new(&pieces),
        pieces,
        template: written.clone(),
        cost,
        condition: None,
    };
    vec![
        candidate(vec![Piece::Edge, word.clone(), Piece::Edge], 1.5),
        candidate(vec![word], 1.9),
    ]
}
