//! One filter for each reference, of those that fit all examples.

use crate::filters::{AS_IT_IS, FilterSet, Filters, members};
use crate::templates::{Hypothesis, Part};

/// The ways to take one filter of each set, the cheapest first, with what they cost beyond the cheapest of each.
pub(super) fn assignments(hypothesis: &Hypothesis, filters: &Filters) -> Vec<(f64, Vec<usize>)> {
    let sets: Vec<Option<FilterSet>> = hypothesis
        .parts
        .iter()
        .map(|part| match part {
            Part::Slot { filters, .. } => Some(*filters),
            _ => None,
        })
        .collect();
    let mut ways: Vec<Vec<usize>> = vec![Vec::new()];
    for set in &sets {
        let options: Vec<usize> = match set {
            Some(set) => {
                let mut options: Vec<usize> = members(*set).collect();
                options
                    .sort_by(|a, b| filters.cost(*a).total_cmp(&filters.cost(*b)).then(a.cmp(b)));
                options.truncate(4);
                options
            }
            None => vec![0],
        };
        let mut longer = Vec::new();
        for way in &ways {
            for option in &options {
                let mut way = way.clone();
                way.push(*option);
                longer.push(way);
            }
        }
        longer.sort_by(|a, b| way_cost(a, &sets, filters).total_cmp(&way_cost(b, &sets, filters)));
        longer.truncate(12);
        ways = longer;
    }
    let least: f64 = sets
        .iter()
        .flatten()
        .map(|set| filters.least_cost(*set))
        .sum();
    let mut ways: Vec<(f64, Vec<usize>)> = ways
        .into_iter()
        .map(|way| (way_cost(&way, &sets, filters) - least, way))
        .collect();
    ways.sort_by(|a, b| a.0.total_cmp(&b.0));
    ways.truncate(5);
    ways
}

/// The cost of filters together: one that is used before costs little, and a reference
/// that could have it and does not is odd.
fn way_cost(way: &[usize], sets: &[Option<FilterSet>], filters: &Filters) -> f64 {
    let mut cost = 0.0;
    let used: Vec<usize> = way.iter().copied().filter(|filter| *filter != 0).collect();
    for (at, filter) in way.iter().enumerate() {
        let Some(Some(set)) = sets.get(at) else {
            continue;
        };
        let again = way[..at].contains(filter);
        cost += match (*filter, again) {
            (0, _) => 0.0,
            (filter, true) => filters.cost(filter) * 0.2,
            // No example asks for it.
            (filter, false) if set & AS_IT_IS != 0 && !filters.words(filter).starts_with("pad") => {
                filters.cost(filter) + 0.8
            }
            (filter, false) => filters.cost(filter),
        };
        let must = |filter: &usize| {
            // Another reference has it, and cannot be without it.
            way.iter()
                .zip(sets)
                .any(|(of, set)| of == filter && set.is_some_and(|set| set & AS_IT_IS == 0))
        };
        if *filter == 0 && used.iter().any(|used| set & (1 << used) != 0 && must(used)) {
            cost += 0.45;
        }
    }
    cost
}
