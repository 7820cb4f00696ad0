//! The search for patterns: from a template with its readings to candidates that make every example.

use crate::bounds::{Bound, bounds};
use crate::budget::Budget;
use crate::candidate::{Candidate, Made, Written, counts, rewritten};
use crate::case::Case;
use crate::examples::{Examples, Place};
use crate::filter_choice::assignments;
use crate::form::{Matcher, Piece, joined};
use crate::found::{Found, Novelty};
use crate::joint_cost::joint_cost;
use crate::layouts::{Slot, layouts};
use crate::slots::Choice;
use crate::span_patterns::of_slot;
use crate::templates::{Hypothesis, Part, Window};
use brisk_quill_core::stop::Stop;
use foldhash::fast::FixedState;
use std::cmp::Ordering;
use std::collections::{BinaryHeap, HashSet};

/// Limits of a search: templates for each way to cut the examples, then patterns tried and candidates kept for each.
#[derive(Clone, Copy, Debug)]
pub(super) struct Limits {
    pub templates: usize,
    pub patterns: usize,
    pub hits: usize,
    /// Patterns in a row that may fail.
    pub patience: usize,
    /// Patterns that may hold and do what others do, since the last that does something else.
    pub known: usize,
    /// Candidates that cost more than the cheapest by this much are not looked at.
    pub margin: f64,
}

/// The patterns of all parts of a layout: of its slots in order, then the bounds on the left and on the right.
struct Choices<'c> {
    slots: Vec<Vec<Choice>>,
    lefts: &'c [Bound],
    rights: &'c [Bound],
}

/// One choice for each part.
struct Chosen<'c> {
    slots: Vec<&'c Choice>,
    left: &'c Bound,
    right: &'c Bound,
}

impl Choices<'_> {
    /// The number of choices for each part.
    fn sizes(&self) -> Vec<usize> {
        let slots = self.slots.iter().map(Vec::len);
        slots.chain([self.lefts.len(), self.rights.len()]).collect()
    }

    /// The choices of these numbers, from 0, one for each part.
    fn chosen(&self, picks: &[u8]) -> Chosen<'_> {
        let (of_slots, of_bounds) = picks.split_at(self.slots.len());
        let each = self.slots.iter().zip(of_slots);
        Chosen {
            slots: each.map(|(list, pick)| &list[usize::from(*pick)]).collect(),
            left: &self.lefts[usize::from(of_bounds[0])],
            right: &self.rights[usize::from(of_bounds[1])],
        }
    }
}

impl Chosen<'_> {
    fn cost(&self) -> f64 {
        let slots: f64 = self.slots.iter().map(|choice| choice.cost).sum();
        slots + self.left.cost + self.right.cost
    }
}

/// The part of the cost by which a pattern is put off that combines a choice which alone did nothing new.
const PUT_OFF: f64 = 2.0;

/// An entry of the queue: the number of the choice for each part.
struct Entry {
    /// The cost, and a little for each part that has not its cheapest choice: so that the next choices of all parts are
    /// tried before combinations of them.
    rank: f64,
    picks: Vec<u8>,
    /// True if it was put off once.
    late: bool,
}

impl PartialEq for Entry {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Entry {}

impl PartialOrd for Entry {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Entry {
    fn cmp(&self, other: &Self) -> Ordering {
        // The cheapest is the greatest; among equals the first.
        other
            .rank
            .total_cmp(&self.rank)
            .then_with(|| other.picks.cmp(&self.picks))
    }
}

/// Gives one choice for each part after another, the cheapest first.
struct CheapestFirst<'c> {
    choices: &'c Choices<'c>,
    sizes: Vec<usize>,
    queue: BinaryHeap<Entry>,
    seen: HashSet<Vec<u8>, FixedState>,
    /// Choices, by part and number, that alone did nothing new.
    idle: HashSet<(usize, u8), FixedState>,
}

impl<'c> CheapestFirst<'c> {
    fn new(choices: &'c Choices<'c>) -> Self {
        let sizes = choices.sizes();
        let mut all = Self {
            choices,
            queue: BinaryHeap::new(),
            seen: HashSet::default(),
            idle: HashSet::default(),
            sizes,
        };
        all.push(vec![0; all.sizes.len()]);
        all
    }

    fn push(&mut self, picks: Vec<u8>) {
        let changed = picks.iter().filter(|pick| **pick > 0).count();
        let cost = self.choices.chosen(&picks).cost();
        self.queue.push(Entry {
            rank: cost + 0.1 * changed as f64,
            picks,
            late: false,
        });
    }

    /// Notes that a pattern does what another does: if only one part of it has not its cheapest choice, patterns that
    /// combine that choice with others are put off.
    fn note_idle(&mut self, picks: &[u8]) {
        let mut changed = (0..).zip(picks).filter(|(_, pick)| **pick > 0);
        if let (Some((part, pick)), None) = (changed.next(), changed.next()) {
            self.idle.insert((part, *pick));
        }
    }

    fn is_idle(&self, picks: &[u8]) -> bool {
        let changed = picks.iter().filter(|pick| **pick > 0).count();
        let mut each = (0..).zip(picks);
        changed > 1 && each.any(|(part, pick)| self.idle.contains(&(part, *pick)))
    }

    /// The next of all, the cheapest first; those that are put off come back later.
    fn pop(&mut self) -> Option<Entry> {
        loop {
            let mut entry = self.queue.pop()?;
            if entry.late || !self.is_idle(&entry.picks) {
                return Some(entry);
            }
            entry.rank += PUT_OFF;
            entry.late = true;
            self.queue.push(entry);
        }
    }
}

impl<'c> Iterator for CheapestFirst<'c> {
    type Item = (Vec<u8>, Chosen<'c>);

    fn next(&mut self) -> Option<(Vec<u8>, Chosen<'c>)> {
        let Entry { picks, .. } = self.pop()?;
        for at in 0..picks.len() {
            if usize::from(picks[at]) + 1 < self.sizes[at] {
                let mut next = picks.clone();
                next[at] += 1;
                if self.seen.insert(next.clone()) {
                    self.push(next);
                }
            }
        }
        let chosen = self.choices.chosen(&picks);
        Some((picks, chosen))
    }
}

/// Adds the candidates for one template to `found`.
pub(super) fn search(
    hypothesis: &Hypothesis,
    places: &[Place<'_>],
    examples: &Examples<'_>,
    limits: Limits,
    budget: &mut Budget,
    found: &mut Found,
) {
    let befores: Vec<&[char]> = places.iter().map(|(case, _)| &case.before[..]).collect();
    let windows: Vec<Window> = places.iter().map(|(_, window)| *window).collect();
    let search = Search {
        hypothesis,
        places,
        examples,
        assignments: assignments(hypothesis, examples.filters),
    };
    let all = |is_at: fn(&Place<'_>) -> bool| examples.cell || places.iter().all(is_at);
    let (to_start, to_end) = (
        all(|(_, window)| window.before.0 == 0),
        all(|(case, window)| window.before.1 == case.before.len()),
    );
    let lefts = bounds(places, examples.cell, true);
    let rights = bounds(places, examples.cell, false);
    for layout in layouts(hypothesis, &befores, &windows) {
        let of_slot = |at: usize| {
            let open = at == 0 && to_start || at + 1 == layout.len() && to_end;
            of_slot(&layout, at, open, hypothesis, examples)
        };
        let choices = Choices {
            slots: (0..layout.len()).map(of_slot).collect(),
            lefts: &lefts,
            rights: &rights,
        };
        if choices.slots.iter().any(Vec::is_empty) {
            continue;
        }
        let (mut hits, mut wide, mut failed, mut known) = (0, 0, 0, 0);
        let mut tried = 0;
        let mut queue = CheapestFirst::new(&choices);
        while let Some((picks, chosen)) = queue.next() {
            let too_dear = hypothesis.cost + chosen.cost() > found.best + limits.margin;
            let enough = tried >= limits.patterns
                || failed > limits.patience
                || known > limits.known
                || hits >= limits.hits
                || wide > 3 * limits.hits;
            if too_dear || enough || budget.is_spent() {
                break;
            }
            budget.spend(100);
            tried += 1;
            match search.attempt(&layout, &chosen, budget, found) {
                Tried::Breaks | Tried::Holds(Novelty::Narrow) => failed += 1,
                Tried::TooWide => (wide, failed) = (wide + 1, 0),
                Tried::Holds(Novelty::Known) => {
                    (known, failed) = (known + 1, 0);
                    queue.note_idle(&picks);
                }
                Tried::Holds(Novelty::New) => (hits, known, failed) = (hits + 1, 0, 0),
            }
        }
    }
}

/// The search for the patterns of one template.
struct Search<'s> {
    hypothesis: &'s Hypothesis,
    places: &'s [Place<'s>],
    examples: &'s Examples<'s>,
    /// The ways to choose its filters, each with its cost.
    assignments: Vec<(f64, Vec<usize>)>,
}

impl Search<'_> {
    /// Tries one pattern with each choice of filters; the outcome is the best of theirs.
    fn attempt(
        &self,
        layout: &[Slot],
        chosen: &Chosen<'_>,
        budget: &mut Budget,
        found: &mut Found,
    ) -> Tried {
        let pieces = assemble(layout, chosen);
        if pieces.iter().all(|piece| matches!(piece, Piece::Edge)) {
            return Tried::Breaks;
        }
        let matcher = Matcher::new(&pieces);
        let mut best = Tried::Breaks;
        for (more, assignment) in &self.assignments {
            let template = template(self.hypothesis, assignment, (chosen.left, chosen.right));
            let verdict = verify((&matcher, &template), self.places, self.examples, budget);
            if verdict == Verdict::Breaks {
                break;
            }
            let mut candidate = Candidate {
                pieces: pieces.clone(),
                matcher: matcher.clone(),
                template,
                cost: 0.0,
                condition: None,
            };
            let joint = joint_cost(&candidate, layout, &chosen.slots, self.examples);
            candidate.cost = self.hypothesis.cost + chosen.cost() + more + joint;
            best = best.max(match verdict {
                Verdict::Holds => {
                    budget.spend(self.examples.probes.iter().map(|text| text.len()).sum());
                    Tried::Holds(found.add(candidate, self.examples))
                }
                Verdict::TooWide | Verdict::Breaks => {
                    found.too_wide.push(candidate);
                    Tried::TooWide
                }
            });
        }
        best
    }
}

/// True if a candidate makes all examples.
pub(super) fn holds(candidate: &Candidate, examples: &Examples<'_>) -> bool {
    verify(
        (&candidate.matcher, &candidate.template),
        &[],
        examples,
        &mut Budget::full(&Stop::default()),
    ) == Verdict::Holds
}

/// The outcome of a pattern with its best choice of filters, the better the greater.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Tried {
    Breaks,
    TooWide,
    Holds(Novelty),
}

/// The outcome of a pattern and a template on all examples.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Verdict {
    /// An example does not come out.
    Breaks,
    /// A text that must stay does not.
    TooWide,
    Holds,
}

/// Runs a candidate on all examples.
fn verify(
    (matcher, template): (&Matcher, &[Written]),
    places: &[Place<'_>],
    examples: &Examples<'_>,
    budget: &mut Budget,
) -> Verdict {
    // A number of matches is known only for the file as a whole.
    let counts = counts(template);
    for case in &examples.changed {
        budget.spend(case.before.len() + 20);
        let line = case.line.unwrap_or(1);
        let number = match counts {
            true => match number_before(template, case, places) {
                Some(number) => number,
                None => return Verdict::Breaks,
            },
            false => 0,
        };
        match rewritten(
            (matcher, template),
            (&case.before, case.part),
            (line, number),
            examples.filters,
        ) {
            Made::Text(text) if text == case.after => {}
            _ => return Verdict::Breaks,
        }
    }
    for case in &examples.untouched {
        budget.spend(case.before.len() + 20);
        match rewritten(
            (matcher, template),
            (&case.before, case.part),
            (case.line.unwrap_or(1), 0),
            examples.filters,
        ) {
            Made::Nothing => {}
            Made::Text(text) if text == case.after => {}
            _ => return Verdict::TooWide,
        }
    }
    Verdict::Holds
}

/// The number of matches before an example, as its new text says it.
fn number_before(template: &[Written], case: &Case, places: &[Place<'_>]) -> Option<u64> {
    let (_, window) = places.iter().find(|(of, _)| std::ptr::eq(*of, case))?;
    let lead = template
        .iter()
        .take_while(|part| !matches!(part, Written::Number(_)));
    let before: usize = lead
        .map(|part| match part {
            Written::Text(text) => text.len(),
            _ => 0,
        })
        .sum();
    // Only texts may stand before the number, or what stands there is not known yet.
    let from = window.after.0 + before;
    let after = case.after.get(from..)?;
    let digits: String = after.iter().take_while(|c| c.is_ascii_digit()).collect();
    digits.parse::<u64>().ok()?.checked_sub(1)
}

/// The whole pattern: bounds, text between groups, and groups, of which some may be absent.
fn assemble(layout: &[Slot], chosen: &Chosen<'_>) -> Vec<Piece> {
    let mut pieces = chosen.left.pieces.clone();
    let mut inner: Vec<Piece> = Vec::new();
    for (slot, choice) in layout.iter().zip(&chosen.slots) {
        let own = match slot.group {
            Some(_) => vec![Piece::Group(choice.pieces.clone())],
            None => choice.pieces.clone(),
        };
        if slot.optional {
            inner.extend(own);
            continue;
        }
        if !inner.is_empty() {
            pieces.push(Piece::Maybe(std::mem::take(&mut inner)));
        }
        pieces.extend(own);
    }
    if !inner.is_empty() {
        pieces.push(Piece::Maybe(inner));
    }
    pieces.extend(chosen.right.pieces.iter().cloned());
    joined(pieces)
}

/// The template with one filter for each reference.
fn template(
    hypothesis: &Hypothesis,
    assignment: &[usize],
    (left, right): (&Bound, &Bound),
) -> Vec<Written> {
    let mut written: Vec<Written> = Vec::new();
    let text = |written: &mut Vec<Written>, more: &[char]| match written.last_mut() {
        _ if more.is_empty() => {}
        Some(Written::Text(text)) => text.extend_from_slice(more),
        _ => written.push(Written::Text(more.to_vec())),
    };
    text(&mut written, &left.text);
    for (part, filter) in hypothesis.parts.iter().zip(assignment) {
        match part {
            Part::Text(own) => text(&mut written, own),
            Part::Slot { slot, optional, .. } => written.push(Written::Group {
                group: slot + 1,
                filter: *filter,
                optional: optional.clone(),
            }),
            Part::Line(pad) => written.push(Written::Line(*pad)),
            Part::Number(pad) => written.push(Written::Number(*pad)),
        }
    }
    text(&mut written, &right.text);
    written
}
