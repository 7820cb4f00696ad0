//! Several steps, where no single one makes all examples: each step for the examples of one form.

use crate::candidate::Candidate;
use crate::case::Case;
use crate::deeds::{COMBINED, READ_MOST, STEPS_MOST, by_deed, mostly_copied};
use crate::examples::Examples;
use crate::tokens::shape;

/// Groups of examples, each of which one step makes, with the candidates of each; none where the groups look like a table of
/// single cases.
///
/// A rule says what becomes of a form of text: of two groups neither may have an example whose form is that of one in the
/// other, since nothing would say them apart but the very texts.
pub(super) fn groups<'e>(
    examples: &Examples<'e>,
    mut solve: impl FnMut(&Examples<'e>) -> Vec<Candidate>,
) -> Vec<Vec<Candidate>> {
    let of_deeds = by_deed(examples, &mut solve);
    if !of_deeds.is_empty() {
        return of_deeds;
    }
    let mut left: Vec<&Case> = examples.to_read(READ_MOST);
    let read = left.len();
    let mut groups: Vec<(Vec<&Case>, Vec<Candidate>)> = Vec::new();
    let of = |changed: Vec<&'e Case>| Examples {
        changed,
        ..examples.clone()
    };
    while let Some(first) = left.first().copied() {
        if groups.len() == STEPS_MOST {
            return Vec::new();
        }
        let mut group = vec![first];
        let mut candidates = solve(&of(group.clone()));
        let mut rest = Vec::new();
        for case in &left[1..] {
            let mut larger = group.clone();
            larger.push(case);
            let of_larger = solve(&of(larger.clone()));
            match of_larger.is_empty() {
                true => rest.push(*case),
                false => (group, candidates) = (larger, of_larger),
            }
        }
        let lone = group.len() == 1;
        candidates.retain(|candidate| match lone {
            true => mostly_copied(candidate, first),
            false => candidate.refers() || !examples.cell,
        });
        if candidates.is_empty() {
            return Vec::new();
        }
        candidates.sort_by(|a, b| a.cost.total_cmp(&b.cost));
        candidates.truncate(COMBINED);
        groups.push((group, candidates));
        left = rest;
    }
    let enough = groups.len() < read || read == 2;
    let shapes =
        |group: &[&Case]| -> Vec<String> { group.iter().map(|case| shape(&case.before)).collect() };
    let alike = (0..groups.len()).any(|a| {
        let of_a = shapes(&groups[a].0);
        groups[..a]
            .iter()
            .any(|(other, _)| shapes(other).iter().any(|shape| of_a.contains(shape)))
    });
    if !enough || alike || groups.len() < 2 {
        return Vec::new();
    }
    groups
        .into_iter()
        .map(|(_, candidates)| candidates)
        .collect()
}

/// All ways to take one candidate of each group.
pub(super) fn combined(groups: &[Vec<Candidate>]) -> Vec<Vec<Candidate>> {
    let mut ways: Vec<Vec<Candidate>> = vec![Vec::new()];
    for group in groups {
        let mut longer = Vec::new();
        for way in &ways {
            for candidate in group {
                let mut way = way.clone();
                way.push(candidate.clone());
                longer.push(way);
            }
        }
        ways = longer;
    }
    ways
}
