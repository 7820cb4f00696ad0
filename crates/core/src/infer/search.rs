//! The search for patterns: from a template with its readings to candidates that make every example.

use crate::infer::candidate::{Candidate, Made, Written, counts, rewritten};
use crate::infer::case::Case;
use crate::infer::filters::{AS_IT_IS, FilterSet, Filters, members};
use crate::infer::form::{Class, Matcher, Piece};
use crate::infer::slots::{Choice, Setting, Slot, choices, layouts};
use crate::infer::templates::{Hypothesis, Part, Window};
use crate::infer::tokens::{Kind, is_inside_word, kind, shape, text_of, tokens};
use std::cell::RefCell;
use std::cmp::Ordering;
use std::collections::{BinaryHeap, HashMap, HashSet};
use std::rc::Rc;

/// The examples of one step, and what is known about all of them.
#[derive(Debug)]
pub(super) struct Examples<'e> {
    pub filters: &'e Filters,
    /// Those that change.
    pub changed: Vec<&'e Case>,
    /// Those that must not.
    pub untouched: Vec<&'e Case>,
    /// The unit is a cell.
    pub cell: bool,
    /// The patterns of spans that were asked for before.
    pub known: &'e KnownChoices,
}

impl<'e> Examples<'e> {
    /// Those that change of which templates are read, at most so many: of each form one before a second.
    pub fn to_read(&self, most: usize) -> Vec<&'e Case> {
        if self.changed.len() <= most {
            return self.changed.clone();
        }
        let mut seen = HashSet::new();
        let form = |case: &&&Case| (shape(&case.before), shape(&case.after));
        let (mut first, others): (Vec<&Case>, Vec<&Case>) = self
            .changed
            .iter()
            .partition(|case| seen.insert(form(case)));
        first.extend(others);
        first.truncate(most);
        first
    }
}

/// The patterns of the texts of a span at its place, which many templates share.
pub(super) type KnownChoices = RefCell<HashMap<(Vec<Vec<char>>, Setting), Rc<Vec<Choice>>>>;

/// Limits of a search: templates for each way to cut the examples, then patterns tried and candidates kept for each.
#[derive(Clone, Copy, Debug)]
pub(super) struct Limits {
    pub templates: usize,
    pub patterns: usize,
    pub hits: usize,
    /// Patterns in a row that may fail.
    pub patience: usize,
    /// What costs more than the cheapest by this much is not looked at.
    pub margin: f64,
}

/// Work that is left: about one for each character looked at, and a share for each pattern written.
#[derive(Debug)]
pub(super) struct Budget(i64);

impl Budget {
    /// The work that one inference may do, about half a second.
    pub fn full() -> Self {
        Self(6_000_000)
    }

    /// Takes off what was done.
    pub fn spend(&mut self, work: usize) {
        self.0 -= work as i64;
    }

    /// True if none is left.
    pub fn is_spent(&self) -> bool {
        self.0 <= 0
    }
}

/// Candidates found, and those that only fail on texts that must stay.
#[derive(Debug)]
pub(super) struct Found {
    /// The cost of the cheapest.
    pub best: f64,
    pub hits: Vec<Candidate>,
    pub too_wide: Vec<Candidate>,
}

impl Default for Found {
    fn default() -> Self {
        Self {
            best: f64::INFINITY,
            hits: Vec::new(),
            too_wide: Vec::new(),
        }
    }
}

/// A window with the case that it belongs to.
pub(super) type Place<'e> = (&'e Case, Window);

/// A way to bound a match: pieces of the pattern, and the text that they match, which is written back.
#[derive(Clone, Debug)]
struct Bound {
    pieces: Vec<Piece>,
    text: Vec<char>,
    cost: f64,
}

/// An entry of the queue: the number of the choice for each slot.
struct Entry {
    /// The cost, and a little for each slot that has not its cheapest choice: so that the next choices of all slots are
    /// tried before combinations of them.
    rank: f64,
    cost: f64,
    picks: Vec<u8>,
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
    let assignments = assignments(hypothesis, examples.filters);
    let all = |is_at: fn(&Place<'_>) -> bool| examples.cell || places.iter().all(is_at);
    let (to_start, to_end) = (
        all(|(_, window)| window.before.0 == 0),
        all(|(case, window)| window.before.1 == case.before.len()),
    );
    let lefts = bounds(places, examples.cell, true);
    let rights = bounds(places, examples.cell, false);
    for layout in layouts(hypothesis, &befores, &windows) {
        let mut lists: Vec<Vec<Choice>> = Vec::new();
        for at in 0..layout.len() {
            let open = at == 0 && to_start || at + 1 == layout.len() && to_end;
            lists.push(of_slot(&layout, at, open, hypothesis, examples));
        }
        if lists.iter().any(Vec::is_empty) {
            continue;
        }
        let mut sizes: Vec<usize> = lists.iter().map(Vec::len).collect();
        sizes.extend([lefts.len(), rights.len()]);
        let cost_of = |picks: &[u8]| -> f64 {
            let slots: f64 = lists
                .iter()
                .zip(picks)
                .map(|(list, &pick)| list[usize::from(pick)].cost)
                .sum();
            slots
                + lefts[usize::from(picks[lists.len()])].cost
                + rights[usize::from(picks[lists.len() + 1])].cost
        };
        let mut queue = BinaryHeap::new();
        let mut seen = HashSet::new();
        let first = vec![0_u8; sizes.len()];
        let entry = |picks: Vec<u8>| {
            let cost = cost_of(&picks);
            let changed = picks.iter().filter(|pick| **pick > 0).count();
            Entry {
                rank: cost + 0.1 * changed as f64,
                cost,
                picks,
            }
        };
        queue.push(entry(first));
        let (mut tried, mut hits, mut wide, mut last_hit) = (0, 0, 0, 0);
        while let Some(Entry { cost, picks, .. }) = queue.pop() {
            if hypothesis.cost + cost > found.best + limits.margin {
                break;
            }
            if tried >= limits.patterns
                || tried > last_hit + limits.patience
                || hits >= limits.hits
                || budget.is_spent()
            {
                break;
            }
            tried += 1;
            budget.0 -= 100;
            for (at, size) in sizes.iter().enumerate() {
                if usize::from(picks[at]) + 1 < *size {
                    let mut next = picks.clone();
                    next[at] += 1;
                    if seen.insert(next.clone()) {
                        queue.push(entry(next));
                    }
                }
            }
            let chosen: Vec<&Choice> = lists
                .iter()
                .zip(&picks)
                .map(|(list, &pick)| &list[usize::from(pick)])
                .collect();
            let (left, right) = (
                &lefts[usize::from(picks[lists.len()])],
                &rights[usize::from(picks[lists.len() + 1])],
            );
            let pieces = assemble(&layout, &chosen, left, right);
            if pieces.iter().all(|piece| matches!(piece, Piece::Edge)) {
                continue;
            }
            let matcher = Matcher::new(&pieces);
            let mut counted = false;
            let mut held = false;
            for (more, assignment) in &assignments {
                let template = template(hypothesis, assignment, left, right);
                let verdict = verify((&matcher, &template), places, examples, budget);
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
                let joint = joint_cost(&candidate, &layout, &chosen, examples);
                candidate.cost = hypothesis.cost + cost + more + joint;
                counted = true;
                match verdict {
                    Verdict::Holds => {
                        held = true;
                        found.best = found.best.min(candidate.cost);
                        found.hits.push(candidate);
                    }
                    _ => found.too_wide.push(candidate),
                }
            }
            hits += usize::from(held);
            last_hit = if counted { tried } else { last_hit };
            wide += usize::from(counted && !held);
            if wide > 3 * limits.hits {
                break;
            }
        }
    }
}

/// True if a candidate makes all examples.
pub(super) fn holds(candidate: &Candidate, examples: &Examples<'_>) -> bool {
    verify(
        (&candidate.matcher, &candidate.template),
        &[],
        examples,
        &mut Budget(i64::MAX),
    ) == Verdict::Holds
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Verdict {
    Holds,
    TooWide,
    Breaks,
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
        budget.0 -= case.before.len() as i64 + 20;
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
        budget.0 -= case.before.len() as i64 + 20;
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

/// The patterns of one slot of a layout.
fn of_slot(
    layout: &[Slot],
    at: usize,
    open: bool,
    hypothesis: &Hypothesis,
    examples: &Examples<'_>,
) -> Vec<Choice> {
    let slot = &layout[at];
    let texts: Vec<&[char]> = slot.texts.iter().flatten().map(|text| &text[..]).collect();
    let sign = |text: Option<&Option<Vec<char>>>, last: bool| -> Option<char> {
        let text = text?.as_ref()?;
        let c = if last { text.last() } else { text.first() };
        c.copied().filter(|c| !c.is_alphanumeric())
    };
    let shared = |other: Option<&Slot>, last: bool| -> Option<char> {
        let other = other?;
        let mut each = (0..other.texts.len()).filter(|&n| other.texts[n].is_some());
        let first = sign(other.texts.get(each.next()?), last)?;
        each.all(|n| sign(other.texts.get(n), last) == Some(first))
            .then_some(first)
    };
    let setting = Setting {
        cell: examples.cell || open,
        group: slot.group.is_some(),
        next: shared(layout.get(at + 1), false),
        previous: at
            .checked_sub(1)
            .and_then(|before| shared(layout.get(before), true)),
        alone: examples.cell
            && layout
                .iter()
                .filter(|slot| {
                    slot.texts
                        .iter()
                        .flatten()
                        .any(|text| text.iter().any(|c| !c.is_whitespace()))
                })
                .count()
                == 1,
        cut: (
            at.checked_sub(1)
                .is_some_and(|before| is_cut(layout, before)),
            is_cut(layout, at),
        ),
        depth: 0,
    };
    let key = (
        texts.iter().map(|text| text.to_vec()).collect::<Vec<_>>(),
        setting,
    );
    let known = examples.known.borrow().get(&key).cloned();
    let found = known.unwrap_or_else(|| {
        let found = Rc::new(choices(&texts, setting));
        examples.known.borrow_mut().insert(key, Rc::clone(&found));
        found
    });
    let mut list = (*found).clone();
    let date = slot
        .group
        .is_some_and(|group| reads_date(hypothesis, group, examples.filters));
    for choice in &mut list {
        if slot.group.is_none() {
            choice.cost += dropped_cost(&choice.pieces, &texts, setting.cut.0);
        }
        if date && choice.pieces.iter().any(is_loose) {
            choice.cost += if examples.cell { 0.2 } else { 0.9 };
        }
    }
    list.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    list
}

fn reads_date(hypothesis: &Hypothesis, group: usize, filters: &Filters) -> bool {
    hypothesis.parts.iter().any(|part| match part {
        Part::Slot {
            slot, filters: set, ..
        } => {
            *slot == group && members(*set).all(|filter| filters.words(filter).starts_with("date "))
        }
        _ => false,
    })
}

fn is_loose(piece: &Piece) -> bool {
    matches!(
        piece,
        Piece::Run {
            class: Class::Any
                | Class::Not(_)
                | Class::Dense
                | Class::DigitAnd(_)
                | Class::WordAnd(_),
            ..
        }
    )
}

/// The cost of text that a class takes away without its being seen in the pattern.
fn dropped_cost(pieces: &[Piece], texts: &[&[char]], cut: bool) -> f64 {
    let general = |piece: &&Piece| {
        match piece {
        Piece::Run { class, .. } => !matches!(class, Class::Set(_) | Class::Blank),
        Piece::Maybe(inner) => inner.iter().any(|piece| matches!(piece, Piece::Run { class, .. } if !matches!(class, Class::Set(_) | Class::Blank))),
        _ => false,
    }
    };
    if !pieces.iter().any(|piece| general(&piece)) {
        return 0.0;
    }
    let words = |text: &&[char]| tokens(text).iter().filter(|token| token.is_word()).count();
    let most = texts.iter().map(words).max().unwrap_or(0);
    // The rest of a word that is shortened is dropped as a matter of course.
    0.3 * (most.min(3) as f64 - if cut { 0.7 } else { 0.0 })
}

/// True if a word goes on from one slot into the next.
fn is_cut(layout: &[Slot], at: usize) -> bool {
    let (Some(slot), Some(next)) = (layout.get(at), layout.get(at + 1)) else {
        return false;
    };
    slot.texts.iter().zip(&next.texts).any(|two| match two {
        (Some(a), Some(b)) => {
            let kinds = (a.last().map(|c| kind(*c)), b.first().map(|c| kind(*c)));
            kinds.0 == kinds.1 && matches!(kinds.0, Some(Kind::Letters | Kind::Digits))
        }
        _ => false,
    })
}

/// The whole pattern: bounds, text between groups, and groups, of which some may be absent.
fn assemble(layout: &[Slot], chosen: &[&Choice], left: &Bound, right: &Bound) -> Vec<Piece> {
    let mut pieces = left.pieces.clone();
    let mut inner: Vec<Piece> = Vec::new();
    for (slot, choice) in layout.iter().zip(chosen) {
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
    pieces.extend(right.pieces.iter().cloned());
    joined(pieces)
}

/// The same with texts that follow each other as one.
fn joined(pieces: Vec<Piece>) -> Vec<Piece> {
    let mut all: Vec<Piece> = Vec::new();
    for piece in pieces {
        match (all.last_mut(), piece) {
            (Some(Piece::Text(last)), Piece::Text(text)) => last.push_str(&text),
            (_, piece) => all.push(piece),
        }
    }
    all
}

/// The template with one filter for each reference.
fn template(
    hypothesis: &Hypothesis,
    assignment: &[usize],
    left: &Bound,
    right: &Bound,
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

/// The ways to take one filter of each set, the cheapest first, with what they cost beyond the cheapest of each.
fn assignments(hypothesis: &Hypothesis, filters: &Filters) -> Vec<(f64, Vec<usize>)> {
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

/// The ways to bound the matches of all windows on one side.
fn bounds(places: &[Place<'_>], cell: bool, left: bool) -> Vec<Bound> {
    let anchor = if left { Piece::Start } else { Piece::End };
    let bound = |pieces: Vec<Piece>, text: &[char], cost: f64| Bound {
        pieces,
        text: text.to_vec(),
        cost,
    };
    if cell {
        return vec![bound(vec![anchor], &[], 0.0)];
    }
    let side = |place: &Place<'_>| -> (Vec<char>, usize) {
        let (case, window) = place;
        match left {
            true => (case.before[..window.before.0].to_vec(), window.before.0),
            false => (case.before[window.before.1..].to_vec(), window.before.1),
        }
    };
    let word = |c: Option<&char>| c.is_some_and(|c| c.is_alphanumeric() || *c == '_');
    let inner = |place: &Place<'_>| -> Option<char> {
        let (case, window) = place;
        let text = &case.before[window.before.0..window.before.1];
        if left {
            text.first().copied()
        } else {
            text.last().copied()
        }
    };
    let outer = |place: &Place<'_>| -> Option<char> {
        let (case, window) = place;
        let at = if left {
            window.before.0.checked_sub(1)
        } else {
            Some(window.before.1)
        };
        at.and_then(|at| case.before.get(at)).copied()
    };
    let at_edge = |place: &Place<'_>| word(inner(place).as_ref()) != word(outer(place).as_ref());
    // A word is meant as a whole where all examples have it as a whole.
    let whole_word = places
        .iter()
        .all(|place| word(inner(place).as_ref()) && at_edge(place));
    // Text that all examples have right before a sign is likely to belong to it.
    let torn = places.len() > 1
        && places
            .iter()
            .all(|place| !word(inner(place).as_ref()) && word(outer(place).as_ref()));
    // And a word that all of them have right there, even more so.
    let near_word = {
        let near = |place: &Place<'_>| -> Option<String> {
            let (case, window) = place;
            let (text, at) = (
                &case.before,
                if left {
                    window.before.0
                } else {
                    window.before.1
                },
            );
            let close: Vec<char> = match left {
                true => text[..at]
                    .iter()
                    .rev()
                    .take_while(|c| !c.is_whitespace())
                    .copied()
                    .collect(),
                false => text[at..]
                    .iter()
                    .take_while(|c| !c.is_whitespace())
                    .copied()
                    .collect(),
            };
            let letters = close.iter().skip_while(|c| !c.is_alphabetic());
            let word: String = letters.take_while(|c| c.is_alphabetic()).collect();
            (word.chars().count() > 1).then_some(word)
        };
        let first = near(&places[0]);
        places.len() > 1 && first.is_some() && places.iter().all(|place| near(place) == first)
    };
    let none = if near_word { 0.5 } else { 0.0 }
        + match () {
            () if whole_word => 0.3,
            () if torn => 0.3,
            () => 0.0,
        };
    let mut all = vec![bound(Vec::new(), &[], none)];
    if places.iter().all(at_edge) {
        let ends = places.len() > 1 && places.iter().all(|place| outer(place).is_none());
        let cost = if near_word { 0.5 } else { 0.0 }
            + match () {
                () if ends => 0.15,
                () if whole_word => 0.0,
                () => 0.3,
            };
        all.push(bound(vec![Piece::Edge], &[], cost));
    }
    let sides: Vec<Vec<char>> = places.iter().map(|place| side(place).0).collect();
    if sides.iter().all(Vec::is_empty) {
        let several = places.len() > 1;
        all.push(bound(
            vec![anchor.clone()],
            &[],
            if several { 0.1 } else { 0.6 },
        ));
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
        let outer = |at: usize| match left {
            true => tokens(text)[0].is_word() && at > 0,
            false => tokens(text).last().is_some_and(|token| token.is_word()) && at > 0,
        };
        let literal = Piece::Text(text_of(text));
        // Text that all examples share is the likelier meant, the more they are and the closer it stands.
        let close = !text.iter().any(|c| c.is_whitespace());
        let share = match close {
            true => places.len().min(3) as f64,
            false => {
                if places.len() > 1 {
                    1.4
                } else {
                    1.0
                }
            }
        };
        let has_word = text.iter().filter(|c| c.is_alphabetic()).count() > 1;
        let without = if near_word && !has_word { 0.5 } else { 0.0 };
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
        let whole = boundary && outer(1);
        all.push(bound(
            vec![literal.clone()],
            text,
            if whole { cost + 0.25 } else { cost },
        ));
        if whole {
            all.push(with(Piece::Edge, cost));
        }
        if sides.iter().all(|side| side.len() == text.len()) {
            let lone = if places.len() > 1 { 0.2 } else { 0.5 };
            all.push(with(anchor.clone(), cost + lone));
        }
    }
    all.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    all
}

/// Costs that pattern and template have only together.
fn joint_cost(
    candidate: &Candidate,
    layout: &[Slot],
    chosen: &[&Choice],
    examples: &Examples<'_>,
) -> f64 {
    let mut cost = 0.0;
    let pattern_text = literal_text(&candidate.pieces);
    for part in &candidate.template {
        let Written::Text(text) = part else {
            continue;
        };
        for token in tokens(text) {
            let word = token.of(text);
            let everywhere = |case: &&&Case| {
                tokens(&case.before)
                    .iter()
                    .any(|token| token.of(&case.before) == word)
            };
            match token.kind {
                Kind::Letters if word.len() > 1 => {
                    let stands = examples.changed.iter().all(|case| everywhere(&case));
                    if stands && !pattern_text.contains(&text_of(word)) {
                        cost += 2.0;
                    }
                }
                Kind::Digits => {
                    let stands = examples
                        .changed
                        .iter()
                        .any(|case| text_of(&case.before).contains(&text_of(word)));
                    if stands && !pattern_text.contains(&text_of(word)) {
                        cost += 1.0;
                    }
                }
                _ => {}
            }
        }
    }
    for (slot, choice) in layout.iter().zip(chosen) {
        let Some(group) = slot.group else {
            continue;
        };
        if let [
            Piece::Run {
                class: Class::Digit,
                least,
                most,
                ..
            },
        ] = choice.pieces[..]
            && most == Some(least)
        {
            // Nothing is left to fill.
            let idle = |part: &&Written| match part {
                Written::Group {
                    group: of, filter, ..
                } if *of == group + 1 => {
                    let pad = examples.filters.words(*filter).strip_prefix("pad ");
                    pad.and_then(|pad| pad.parse().ok())
                        .is_some_and(|pad: u32| pad <= least)
                }
                _ => false,
            };
            cost += 0.6 * candidate.template.iter().filter(idle).count() as f64;
        }
        let is_choice = matches!(choice.pieces[..], [Piece::OneOf(..)]);
        let filtered = candidate.template.iter().any(|part| {
            matches!(part, Written::Group { group: of, filter, .. } if *of == group + 1 && *filter != 0)
        });
        if is_choice && !filtered {
            cost += 1.0;
        }
    }
    cost += boundary_cost(candidate);
    if examples.cell {
        if !candidate.refers() {
            cost += 3.0;
        }
    } else {
        let lack = 1.2 - literalness(&candidate.pieces);
        if lack > 0.0 {
            cost += 3.0 * lack;
        }
        cost += begins_inside_word(candidate, examples);
    }
    cost
}

/// The cost of a boundary behind a class that takes everything.
fn boundary_cost(candidate: &Candidate) -> f64 {
    let mut cost = 0.0;
    for two in candidate.pieces.windows(2) {
        match two {
            // What takes everything leaves one character of a run behind it.
            [
                Piece::Run {
                    class, lazy: false, ..
                },
                next,
            ] if is_wide(class) => {
                let first = match next {
                    Piece::Group(inner) => inner.first(),
                    other => Some(other),
                };
                let run = |piece: &Piece| match piece {
                    Piece::Run {
                        class, least, most, ..
                    } => {
                        let of_words = matches!(
                            class,
                            Class::Digit | Class::Word | Class::Letter | Class::Lower
                        );
                        of_words && *most != Some(*least)
                    }
                    _ => false,
                };
                cost += if first.is_some_and(run) { 0.6 } else { 0.0 };
            }
            [Piece::Group(inner), Piece::Edge] => {
                let open = |piece: &Piece| {
                    matches!(
                        piece,
                        Piece::Run {
                            class: Class::Any | Class::Not(_),
                            ..
                        }
                    )
                };
                cost += if inner.last().is_some_and(open) {
                    0.4
                } else {
                    0.0
                };
            }
            _ => {}
        }
    }
    cost
}

/// True if a class holds digits and letters alike.
fn is_wide(class: &Class) -> bool {
    matches!(
        class,
        Class::Any | Class::Dense | Class::Not(_) | Class::Word | Class::WordAnd(_)
    )
}

/// All literal text of a pattern.
fn literal_text(pieces: &[Piece]) -> String {
    let mut out = String::new();
    for piece in pieces {
        match piece {
            Piece::Text(text) => out.push_str(text),
            Piece::OneOf(texts, _) => texts.iter().for_each(|text| {
                out.push_str(text);
                out.push('\n');
            }),
            Piece::Maybe(inner) | Piece::Group(inner) => out.push_str(&literal_text(inner)),
            _ => out.push('\n'),
        }
    }
    out
}

/// The sum of what tells a match in a line from any other text.
fn literalness(pieces: &[Piece]) -> f64 {
    let of = |piece: &Piece| match piece {
        Piece::Text(text) => {
            let chars: Vec<char> = text.chars().collect();
            let of_token = |kind: Kind| match kind {
                Kind::Letters => 0.45,
                Kind::Digits => 0.6,
                Kind::Sign => 0.5,
                Kind::Blanks => 0.15,
            };
            let letters: usize = chars.iter().filter(|c| kind(**c) == Kind::Letters).count();
            let of_letters = 0.45 * letters.min(3) as f64;
            let others = tokens(&chars);
            let others = others.iter().filter(|token| token.kind != Kind::Letters);
            of_letters + others.map(|token| of_token(token.kind)).sum::<f64>()
        }
        Piece::OneOf(texts, _) => {
            if texts.len() > 2 {
                0.7
            } else {
                1.0
            }
        }
        Piece::Run {
            class: Class::Digit | Class::DigitAnd(_),
            most,
            least,
            ..
        } => match most {
            Some(most) if most == least && *most > 1 => 0.55,
            _ => 0.35,
        },
        Piece::Run {
            class: Class::Upper,
            ..
        } => 0.4,
        Piece::Run {
            class: Class::Blank,
            least: 1..,
            ..
        } => 0.15,
        Piece::Run {
            class: Class::Set(set),
            least,
            ..
        } if *least > 0 && set.len() <= 2 => 0.4,
        Piece::Run {
            class: Class::Set(set),
            ..
        } if set.len() <= 2 => 0.1,
        Piece::Group(inner) => literalness(inner),
        Piece::Start | Piece::End => 0.4,
        _ => 0.0,
    };
    let at_end = pieces.windows(2).any(|two| {
        let blank = |piece: &Piece| match piece {
            Piece::Run {
                class: Class::Blank,
                least: 1..,
                ..
            } => true,
            Piece::Run {
                class: Class::Set(set),
                least: 1..,
                ..
            } => set.iter().all(|c| c.is_whitespace()),
            _ => false,
        };
        matches!(&two[0], Piece::Start) && blank(&two[1])
            || blank(&two[0]) && matches!(&two[1], Piece::End)
    });
    // A capital behind a small letter is as good as a sign.
    let humps = pieces.windows(2).filter(|two| {
        let ends = |piece: &Piece, last: bool| match piece {
            Piece::Group(inner) if last => inner.last().cloned(),
            Piece::Group(inner) => inner.first().cloned(),
            piece => Some(piece.clone()),
        };
        let is = |piece: Option<Piece>, wanted: &Class| matches!(piece, Some(Piece::Run { class, .. }) if class == *wanted);
        is(ends(&two[0], true), &Class::Lower) && is(ends(&two[1], false), &Class::Upper)
    });
    pieces.iter().map(of).sum::<f64>() + 0.6 * humps.count() as f64 + if at_end { 0.7 } else { 0.0 }
}

/// The cost of a match that begins with a text within a word, or within a name in parts.
fn begins_inside_word(candidate: &Candidate, examples: &Examples<'_>) -> f64 {
    let first = candidate
        .pieces
        .iter()
        .find(|piece| !matches!(piece, Piece::Edge));
    let mut first = first;
    while let Some(Piece::Group(inner)) = first {
        first = inner.first();
    }
    if !matches!(first, Some(Piece::Text(_) | Piece::OneOf(..))) {
        return 0.0;
    }
    let mut cost: f64 = 0.0;
    for case in &examples.changed {
        for spans in candidate.matcher.all(&case.before).unwrap_or_default() {
            let from = spans[0].map_or(0, |span| span.0);
            let joined = |at: usize| {
                case.before
                    .get(at)
                    .is_some_and(|c| c.is_alphanumeric() || *c == '_')
            };
            if is_inside_word(&case.before, from) {
                cost = cost.max(3.0);
            } else if from > 0 && joined(from - 1) && joined(from) {
                cost = cost.max(0.8);
            }
        }
    }
    cost
}
