//! Templates that write the new text of one example from the old one.

use crate::budget::Budget;
use crate::copies::{Copy, CopyMap};
use crate::filters::{FilterSet, Filters};
use crate::tokens::{Kind, is_inside_word, kind};

/// Templates kept at each place of the new text.
const BEAM: usize = 24;

/// A part of a template in the making.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) enum Part {
    /// This text.
    Text(Vec<char>),
    /// A span of the old text, passed through one of some filters.
    Slot {
        /// The number of the span, from 0, in the order in which they are in the old text.
        slot: usize,
        /// The filters that fit all examples so far.
        filters: FilterSet,
        /// The text before and after it that is written only if the span is there; `None` where
        /// the span always is.
        optional: Option<(Vec<char>, Vec<char>)>,
    },
    /// The number of the line, filled with zeros to this many characters.
    Line(usize),
    /// The number of the match, filled likewise.
    Number(usize),
}

/// The spans that the slots of a template have in one example; `None` where one is absent.
pub(super) type Reading = Vec<Option<(usize, usize)>>;

/// A template with what its slots are in each of the examples read so far.
#[derive(Clone, Debug)]
pub(super) struct Hypothesis {
    pub parts: Vec<Part>,
    pub readings: Vec<Reading>,
    pub cost: f64,
}

/// A window of an example: the part of the old text and the part of the new one that it became.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) struct Window {
    /// In the old text, in characters, the end excluded.
    pub before: (usize, usize),
    /// In the new text, likewise.
    pub after: (usize, usize),
}

/// The numbers that a template may write in an example.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct LinePlace {
    /// The number of the line, from 1.
    pub line: Option<u64>,
}

#[derive(Clone, Debug)]
enum Step {
    Text(usize, usize),
    Copy(Copy),
    Line(usize),
    Number(usize),
}

#[derive(Clone, Debug)]
struct State {
    steps: Vec<Step>,
    cost: f64,
}

/// The cost of a character that is in a template.
fn text_cost(c: char) -> f64 {
    match kind(c) {
        Kind::Letters | Kind::Digits => 0.35,
        Kind::Blanks | Kind::Sign => 0.12,
    }
}

/// The cost of a span whose ends are not those of words.
pub(super) fn span_cost(text: &[char], (from, to): (usize, usize)) -> f64 {
    let end = |at: usize| match () {
        () if !is_inside_word(text, at) => 0.0,
        // A first letter, a capital within a word, and zeros in front are natural places.
        () if !is_inside_word(text, at - 1) => 0.35,
        () if text[at - 1].is_lowercase() && text[at].is_uppercase() => 0.35,
        () if text[at - 1] == '0' && text[at] != '0' && text[at].is_ascii_digit() => 0.35,
        () if kind(text[at - 1]) != kind(text[at]) => 0.35,
        () => 0.6,
    };
    let loose = |c: char| match kind(c) {
        Kind::Blanks => 0.9,
        Kind::Sign => 0.5,
        Kind::Letters | Kind::Digits => 0.0,
    };
    // Several words of which the last is torn, or the first, are hardly meant.
    let torn = is_inside_word(text, from) || is_inside_word(text, to);
    let several = text[from..to].iter().any(|c| c.is_whitespace());
    let phrase = if torn && several { 0.9 } else { 0.0 };
    phrase + end(from) + end(to) + loose(text[from]) + loose(text[to - 1])
}

/// The cost of a word that is partly copied and partly text of the template.
fn junction_cost(after: &[char], at: usize) -> f64 {
    match (
        at.checked_sub(1).map(|before| kind(after[before])),
        kind(after[at]),
    ) {
        (Some(Kind::Letters), Kind::Letters) => 0.7,
        (Some(Kind::Digits), Kind::Digits) => 0.2,
        _ => 0.0,
    }
}

/// The cheapest templates for one window of an example, at most `most`; none where the budget does not
/// reach to the end of the window.
pub(super) fn templates(
    map: &CopyMap,
    (window, place): (Window, LinePlace),
    (filters, most): (&Filters, usize),
    budget: &mut Budget,
) -> Vec<Hypothesis> {
    let (start, end) = window.after;
    let mut at_place: Vec<Vec<State>> = vec![Vec::new(); end - start + 1];
    at_place[0].push(State {
        steps: Vec::new(),
        cost: 0.0,
    });
    for position in start..end {
        let mut states = std::mem::take(&mut at_place[position - start]);
        states.sort_by(|a, b| a.cost.total_cmp(&b.cost));
        states.truncate(BEAM);
        let numbers = numbers_at(map, window, position, place);
        if budget.is_spent() {
            return Vec::new();
        }
        for state in &states {
            let steps = state.steps.len();
            budget.spend(4 + steps / 2 + map.by_start[position].len() * (3 + steps / 4));
            for copy in &map.by_start[position] {
                let inside = copy.span.0 >= window.before.0 && copy.span.1 <= window.before.1;
                if !inside || position + copy.len > end || !fits(&state.steps, copy.span) {
                    continue;
                }
                let glued = match state.steps.last() {
                    Some(Step::Text(..)) => junction_cost(&map.after, position),
                    _ => 0.0,
                };
                let cost = 1.0
                    + glued
                    + filters.least_cost(copy.filters)
                    + span_cost(&map.before, copy.span);
                budget.spend(2 + steps / 2);
                let next = &mut at_place[position + copy.len - start];
                next.push(state.with(Step::Copy(*copy), cost));
            }
            for (step, len) in &numbers {
                let next = &mut at_place[position + len - start];
                next.push(state.with(step.clone(), 2.2));
            }
            let mut longer = state.clone();
            longer.cost += text_cost(map.after[position]);
            match longer.steps.last_mut() {
                Some(Step::Text(_, to)) => *to += 1,
                _ => {
                    let glued = match longer.steps.last() {
                        Some(_) => junction_cost(&map.after, position),
                        None => 0.0,
                    };
                    longer.cost += 0.9 + glued;
                    longer.steps.push(Step::Text(position, position + 1));
                }
            }
            at_place[position + 1 - start].push(longer);
        }
    }
    let mut complete = std::mem::take(&mut at_place[end - start]);
    complete.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    complete.truncate(most);
    complete
        .into_iter()
        .map(|state| state.hypothesis(map))
        .collect()
}

/// A number in the new text that may be that of the line or of the match.
fn numbers_at(map: &CopyMap, window: Window, at: usize, place: LinePlace) -> Vec<(Step, usize)> {
    let after = &map.after[..window.after.1];
    let digits = after[at..]
        .iter()
        .take_while(|c| c.is_ascii_digit())
        .count();
    let begins = at == 0 || !after[at - 1].is_ascii_digit();
    let text: String = after[at..at + digits].iter().collect();
    let Some(value) = text
        .parse::<u64>()
        .ok()
        .filter(|value| begins && *value > 0)
    else {
        return Vec::new();
    };
    let old = map.before.iter().collect::<String>();
    if old.contains(value.to_string().as_str()) {
        return Vec::new();
    }
    let pad = if text.starts_with('0') { digits } else { 0 };
    let mut numbers = Vec::new();
    if let Some(line) = place.line {
        if line == value {
            numbers.push((Step::Line(pad), digits));
        }
        if value <= line {
            numbers.push((Step::Number(pad), digits));
        }
    }
    numbers
}

/// True if a span is one of those already used, or apart from all of them.
fn fits(steps: &[Step], span: (usize, usize)) -> bool {
    steps.iter().all(|step| match step {
        Step::Copy(copy) => copy.span == span || copy.span.1 <= span.0 || span.1 <= copy.span.0,
        _ => true,
    })
}

impl State {
    fn with(&self, step: Step, cost: f64) -> Self {
        let mut next = self.clone();
        next.steps.push(step);
        next.cost += cost;
        next
    }

    fn hypothesis(self, map: &CopyMap) -> Hypothesis {
        let copied = self.steps.iter().filter_map(|step| match step {
            Step::Copy(copy) => Some(copy.span),
            _ => None,
        });
        let mut spans: Vec<_> = copied.collect();
        spans.sort_unstable();
        spans.dedup();
        let part = |step: &Step| match step {
            Step::Text(from, to) => Part::Text(map.after[*from..*to].to_vec()),
            Step::Copy(copy) => Part::Slot {
                slot: spans
                    .iter()
                    .position(|span| *span == copy.span)
                    .unwrap_or(0),
                filters: copy.filters,
                optional: None,
            },
            Step::Line(pad) => Part::Line(*pad),
            Step::Number(pad) => Part::Number(*pad),
        };
        Hypothesis {
            parts: self.steps.iter().map(part).collect(),
            readings: vec![spans.iter().copied().map(Some).collect()],
            cost: self.cost,
        }
    }
}
