//! The search as a whole: programs that make all examples.

use crate::budget::Budget;
use crate::candidate::{Candidate, Made};
use crate::case::Case;
use crate::conditions::{asked_for, narrowed};
use crate::copies::CopyMap;
use crate::examples::Examples;
use crate::found::Found;
use crate::program::Program;
use crate::readings::{Source, read_further};
use crate::regions::plans;
use crate::rename::renames;
use crate::search::{Limits, holds, search};
use crate::several::{combined, groups};
use crate::templates::{Hypothesis, LinePlace, Window, templates};
use std::collections::{BTreeSet, HashSet};

/// Examples that a template is read off, at most; all others are only checked.
const READ_MOST: usize = 8;
/// The most candidates of one search that are compared by their effect on the data.
const CANDIDATES_MOST: usize = 400;

/// The share of the work that a single step may take.
const ONE_STEP: f64 = 0.6;
/// The share of it that looking for copies may take.
const OF_COPIES: f64 = 0.3;
/// The share of what is left then that looking at a part of the examples may take.
const OF_PART: f64 = 0.15;
/// The share of what is left then that the step of one group of examples may take.
const OF_GROUP: f64 = 0.35;

/// Limits for whole cells, of which there is one window each.
const OF_CELLS: Limits = Limits {
    templates: 70,
    patterns: 800,
    hits: 60,
    patience: 150,
    known: 60,
    margin: 6.0,
};
/// Limits for lines, which are cut in many ways.
const OF_LINES: Limits = Limits {
    templates: 16,
    patterns: 300,
    hits: 30,
    patience: 100,
    known: 40,
    margin: 4.0,
};

/// The programs that make all examples.
pub(super) fn programs(examples: &Examples<'_>, budget: &mut Budget) -> Vec<Program> {
    let one_step = budget.with_share(ONE_STEP, |budget| one_step_of(examples, budget));
    let single = |candidate: Candidate| Program {
        cost: candidate.cost,
        steps: vec![candidate],
    };
    if !one_step.is_empty() {
        return one_step.into_iter().map(single).collect();
    }
    let of_part = of_parts(examples, budget);
    if !of_part.is_empty() {
        return of_part.into_iter().map(single).collect();
    }
    let of_groups = groups(examples, |examples| {
        budget.with_share(OF_GROUP, |budget| one_step_of(examples, budget))
    });
    let program = |steps: Vec<Candidate>| Program {
        cost: steps.iter().map(|step| step.cost).sum::<f64>() + 1.0,
        steps,
    };
    let all = combined(&of_groups).into_iter().map(program);
    all.filter(|program| makes_all(program, examples)).collect()
}

/// The candidates that are found from the first example alone, the last, or both, and make all of them: what a search for
/// all at once passes by.
fn of_parts(examples: &Examples<'_>, budget: &mut Budget) -> Vec<Candidate> {
    let (Some(first), Some(last)) = (examples.changed.first(), examples.changed.last()) else {
        return Vec::new();
    };
    if examples.changed.len() < 2 {
        return Vec::new();
    }
    let mut parts = vec![vec![*first], vec![*last]];
    if examples.changed.len() > 2 {
        parts.push(vec![*first, *last]);
    }
    for changed in parts {
        let part = Examples {
            changed,
            ..examples.clone()
        };
        let mut found = budget.with_share(OF_PART, |budget| one_step_of(&part, budget));
        found.retain(|candidate| holds(candidate, examples));
        if !found.is_empty() {
            return found;
        }
    }
    Vec::new()
}

/// True if a program makes all examples, and leaves alone what must stay.
pub(super) fn makes_all(program: &Program, examples: &Examples<'_>) -> bool {
    let makes = |case: &&Case| {
        let mut numbers = vec![0; program.steps.len()];
        let line = case.line.unwrap_or(1);
        match program.rewrite(&case.before, line, &mut numbers, examples.filters) {
            Made::Nothing => case.is_untouched(),
            Made::Text(text) => text == case.after,
            Made::Failed => false,
        }
    };
    let mut all = examples.changed.iter().chain(&examples.untouched);
    all.all(makes)
}

/// The candidates that make all examples in one step, the cheapest first.
fn one_step_of(examples: &Examples<'_>, budget: &mut Budget) -> Vec<Candidate> {
    let mut found = Found::default();
    for candidate in renames(examples) {
        if holds(&candidate, examples) {
            found.add(candidate, examples);
        }
    }
    in_one_step(examples, budget, &mut found);
    let (mut hits, too_wide) = found.into_parts();
    // A condition on a cell would be one on its row.
    if !examples.cell {
        hits.extend(narrowed(too_wide, examples));
    }
    hits.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    if !examples.cell {
        hits.extend(asked_for(&hits, examples));
        hits.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    }
    hits.truncate(CANDIDATES_MOST);
    hits
}

/// Looks for candidates that make all examples in one step.
fn in_one_step(examples: &Examples<'_>, budget: &mut Budget, found: &mut Found) {
    let taught = examples.to_read(READ_MOST);
    if taught.is_empty() {
        return;
    }
    // Each of them may take a part of it, so that some is left for the search.
    let share = OF_COPIES / taught.len() as f64;
    let map = |case: &&Case| {
        budget.with_share(share, |budget| {
            CopyMap::new(&case.before, &case.after, examples.filters, budget)
        })
    };
    let maps: Vec<CopyMap> = taught.iter().map(map).collect();
    let windows = Windows {
        examples,
        taught: &taught,
        maps: &maps,
    };
    if examples.cell {
        let whole = |(at, case): (usize, &&Case)| {
            let window = Window {
                before: (0, case.before.len()),
                after: (0, case.after.len()),
            };
            (at, window)
        };
        let places: Vec<_> = taught.iter().enumerate().map(whole).collect();
        windows.search(&places, (OF_CELLS, 0.0), budget, found);
        return;
    }
    for plan in plans(&taught, budget) {
        if budget.is_spent() {
            break;
        }
        let each = plan.windows.iter().enumerate();
        let places: Vec<_> = each
            .flat_map(|(at, windows)| windows.iter().map(move |window| (at, *window)))
            .collect();
        windows.search(&places, (OF_LINES, plan.cost), budget, found);
    }
}

/// The examples that templates are read off, cut into windows in one way after another.
struct Windows<'w> {
    examples: &'w Examples<'w>,
    taught: &'w [&'w Case],
    maps: &'w [CopyMap],
}

impl Windows<'_> {
    /// Looks for candidates whose matches are these windows: each with the number of its example, from 0.
    fn search(
        &self,
        places: &[(usize, Window)],
        (limits, cost): (Limits, f64),
        budget: &mut Budget,
        found: &mut Found,
    ) {
        let length = |&(_, window): &(usize, Window)| window.before.1 - window.before.0;
        let longest = (0..places.len()).max_by_key(|&at| (length(&places[at]), usize::MAX - at));
        // What is optional is seen only from an example that has it.
        let bases: BTreeSet<usize> = [Some(0), longest].into_iter().flatten().collect();
        let mut seen = HashSet::new();
        for base in bases {
            let mut order = vec![places[base]];
            let others = places.iter().enumerate().filter(|(at, _)| *at != base);
            order.extend(others.map(|(_, place)| *place));
            order.truncate(READ_MOST);
            let read: Vec<_> = order
                .iter()
                .map(|(at, window)| (self.taught[*at], *window))
                .collect();
            for mut hypothesis in self.hypotheses(&order, limits.templates, budget) {
                let readings: BTreeSet<_> = hypothesis.readings.iter().cloned().collect();
                if !seen.insert((hypothesis.parts.clone(), readings)) {
                    continue;
                }
                hypothesis.cost += cost;
                search(&hypothesis, &read, self.examples, limits, budget, found);
            }
        }
    }

    /// The templates that make all these windows.
    fn hypotheses(
        &self,
        order: &[(usize, Window)],
        most: usize,
        budget: &mut Budget,
    ) -> Vec<Hypothesis> {
        let source = |(at, window): (usize, Window)| Source {
            map: &self.maps[at],
            window,
            place: LinePlace {
                line: self.taught[at].line,
            },
        };
        let filters = self.examples.filters;
        let first = source(order[0]);
        let begun = templates(
            first.map,
            (first.window, first.place),
            (filters, most),
            budget,
        );
        order[1..].iter().fold(begun, |hypotheses, further| {
            read_further(hypotheses, source(*further), filters, budget)
        })
    }
}
