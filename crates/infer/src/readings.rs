//! A template read off the new text of a further example: which spans of its old text the slots
//! are.

use crate::budget::Budget;
use crate::copies::CopyMap;
use crate::filters::{FilterSet, Filters, members};
use crate::templates::{Hypothesis, LinePlace, Part, Reading, Window, span_cost};
use crate::tokens::{Kind, kind};

/// The most steps of one reading.
const STEPS_MOST: usize = 4000;
/// The most ways to read one template that are looked at.
const WAYS_MOST: usize = 24;
/// The most ways to read one template that are kept.
const WAYS_KEPT: usize = 3;
/// The most templates that are kept from one example to the next.
const KEPT: usize = 100;
/// The most signs beside a span that come and go with it.
const SIGNS_MOST: usize = 3;

/// An example that a template is read off.
#[derive(Clone, Copy, Debug)]
pub(super) struct Source<'m> {
    pub map: &'m CopyMap,
    pub window: Window,
    pub place: LinePlace,
}

/// The templates that make the new texts of one more example, too.
pub(super) fn read_further(
    hypotheses: Vec<Hypothesis>,
    source: Source<'_>,
    filters: &Filters,
    budget: &mut Budget,
) -> Vec<Hypothesis> {
    let mut kept = Vec::new();
    for hypothesis in hypotheses {
        if budget.is_spent() {
            break;
        }
        let plain = ways(&hypothesis, source, filters, budget);
        if !plain.is_empty() {
            kept.extend(plain);
            continue;
        }
        for optional in with_optional_part(&hypothesis) {
            kept.extend(ways(&optional, source, filters, budget));
        }
    }
    kept.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    kept.truncate(KEPT);
    kept
}

/// The same template in which one span, with signs beside it, may be absent.
fn with_optional_part(hypothesis: &Hypothesis) -> Vec<Hypothesis> {
    let mut variants = Vec::new();
    let uses = |wanted: usize| {
        let is_it = |part: &&Part| matches!(part, Part::Slot { slot, .. } if *slot == wanted);
        hypothesis.parts.iter().filter(is_it).count()
    };
    let optional_parts = |part: &Part| {
        matches!(
            part,
            Part::Slot {
                optional: Some(_),
                ..
            }
        )
    };
    if hypothesis
        .parts
        .iter()
        .filter(|part| optional_parts(part))
        .count()
        >= 2
    {
        return variants;
    }
    for (at, part) in hypothesis.parts.iter().enumerate() {
        let Part::Slot {
            slot,
            optional: None,
            ..
        } = part
        else {
            continue;
        };
        if uses(*slot) != 1 || hypothesis.readings[0].len() < 2 {
            continue;
        }
        let before = at.checked_sub(1).map(|before| &hypothesis.parts[before]);
        let after = hypothesis.parts.get(at + 1);
        let signs_before = match before {
            Some(Part::Text(text)) => text
                .iter()
                .rev()
                .take_while(|c| is_sign(**c))
                .count()
                .min(SIGNS_MOST),
            _ => 0,
        };
        let signs_after = match after {
            Some(Part::Text(text)) => text
                .iter()
                .take_while(|c| is_sign(**c))
                .count()
                .min(SIGNS_MOST),
            _ => 0,
        };
        for lead in 0..=signs_before {
            for tail in 0..=signs_after {
                if lead == 0 || tail == 0 {
                    variants.push(optional_at(hypothesis, at, lead, tail));
                }
            }
        }
    }
    variants
}

fn is_sign(c: char) -> bool {
    matches!(kind(c), Kind::Blanks | Kind::Sign)
}

/// The template in which the part at `at` is optional, with signs of the texts beside it.
fn optional_at(hypothesis: &Hypothesis, at: usize, lead: usize, tail: usize) -> Hypothesis {
    let mut variant = hypothesis.clone();
    let mut taken = (Vec::new(), Vec::new());
    if lead > 0
        && let Part::Text(text) = &mut variant.parts[at - 1]
    {
        taken.0 = text.split_off(text.len() - lead);
    }
    if tail > 0
        && let Part::Text(text) = &mut variant.parts[at + 1]
    {
        taken.1 = text.drain(..tail).collect();
    }
    if let Part::Slot { optional, .. } = &mut variant.parts[at] {
        *optional = Some(taken);
    }
    variant
        .parts
        .retain(|part| !matches!(part, Part::Text(text) if text.is_empty()));
    variant.cost += 1.0;
    variant
}

struct Reader<'r> {
    source: Source<'r>,
    filters: &'r Filters,
    slots: usize,
    steps: usize,
    /// Copies that were looked at.
    looked_at: usize,
    ways: Vec<(f64, Reading, Vec<Part>)>,
}

/// The template with each of the best ways to read it off one more example.
fn ways(
    hypothesis: &Hypothesis,
    source: Source<'_>,
    filters: &Filters,
    budget: &mut Budget,
) -> Vec<Hypothesis> {
    let slots = hypothesis.readings[0].len();
    let mut reader = Reader {
        source,
        filters,
        slots,
        steps: 0,
        looked_at: 0,
        ways: Vec::new(),
    };
    let mut reading = vec![None; slots];
    let mut parts = hypothesis.parts.clone();
    reader.read(0, source.window.after.0, &mut reading, &mut parts, 0.0);
    budget.spend(100 + reader.steps + reader.looked_at / 8);
    reader.ways.sort_by(|a, b| a.0.total_cmp(&b.0));
    reader.ways.truncate(WAYS_KEPT);
    let with = |(cost, reading, parts): (f64, Reading, Vec<Part>)| {
        let mut next = hypothesis.clone();
        // Filters that became dearer, as fewer were left.
        let least = |parts: &[Part]| -> f64 {
            parts
                .iter()
                .map(|part| match part {
                    Part::Slot { filters: set, .. } => filters.least_cost(*set),
                    _ => 0.0,
                })
                .sum()
        };
        next.cost += cost + least(&parts) - least(&next.parts);
        next.parts = parts;
        next.readings.push(reading);
        next
    };
    reader.ways.into_iter().map(with).collect()
}

impl Reader<'_> {
    fn read(
        &mut self,
        at: usize,
        position: usize,
        reading: &mut Reading,
        parts: &mut Vec<Part>,
        cost: f64,
    ) {
        self.steps += 1;
        if self.steps > STEPS_MOST || self.ways.len() >= WAYS_MOST {
            return;
        }
        let end = self.source.window.after.1;
        let Some(part) = parts.get(at).cloned() else {
            if position == end {
                self.ways.push((cost, reading.clone(), parts.clone()));
            }
            return;
        };
        match &part {
            Part::Text(text) => {
                if self.stands(text, position) {
                    self.read(at + 1, position + text.len(), reading, parts, cost);
                }
            }
            Part::Line(pad) => {
                let line = self.source.place.line.map(|line| padded(line, *pad));
                if let Some(text) = line.filter(|text| self.stands(text, position)) {
                    self.read(at + 1, position + text.len(), reading, parts, cost);
                }
            }
            Part::Number(pad) => {
                let after = &self.source.map.after[position..end];
                let digits = after.iter().take_while(|c| c.is_ascii_digit()).count();
                let least = if *pad == 0 { 1 } else { *pad };
                if digits >= least {
                    self.read(at + 1, position + digits, reading, parts, cost);
                }
            }
            Part::Slot {
                slot,
                filters,
                optional,
            } => {
                let (lead, tail) = optional.clone().unwrap_or_default();
                if self.stands(&lead, position) {
                    self.copies(
                        at,
                        position + lead.len(),
                        (*slot, *filters, &tail),
                        reading,
                        parts,
                        cost,
                    );
                }
                if optional.is_some() && reading[*slot].is_none() {
                    self.absent(at, position, (*slot, *filters), reading, parts, cost);
                }
            }
        }
    }

    /// Goes on with each span that may have been copied here.
    fn copies(
        &mut self,
        at: usize,
        position: usize,
        (slot, wanted, tail): (usize, FilterSet, &[char]),
        reading: &mut Reading,
        parts: &mut Vec<Part>,
        cost: f64,
    ) {
        let map = self.source.map;
        let window = self.source.window;
        let copies = map.by_start.get(position).map_or(&[][..], |copies| copies);
        self.looked_at += copies.len();
        for copy in copies {
            let set = copy.filters & wanted;
            let inside = copy.span.0 >= window.before.0 && copy.span.1 <= window.before.1;
            let next = position + copy.len;
            if set == 0 || !inside || next > window.after.1 || !self.stands(tail, next) {
                continue;
            }
            let known = reading[slot];
            let fits = match known {
                Some(span) => span == copy.span,
                None => in_order(reading, slot, copy.span),
            };
            if !fits {
                continue;
            }
            reading[slot] = Some(copy.span);
            let before = parts[at].clone();
            if let Part::Slot { filters, .. } = &mut parts[at] {
                *filters = set;
            }
            let more = if known.is_none() {
                span_cost(&map.before, copy.span)
            } else {
                0.0
            };
            self.read(at + 1, next + tail.len(), reading, parts, cost + more);
            parts[at] = before;
            reading[slot] = known;
        }
    }

    /// Goes on without the span; a filter may write something for an absent one, too.
    fn absent(
        &mut self,
        at: usize,
        position: usize,
        (slot, wanted): (usize, FilterSet),
        reading: &mut Reading,
        parts: &mut Vec<Part>,
        cost: f64,
    ) {
        debug_assert!(slot < self.slots);
        let mut written: Vec<(Vec<char>, FilterSet)> = Vec::new();
        for filter in members(wanted) {
            if let Some(text) = self.filters.apply(filter, "") {
                let text: Vec<char> = text.chars().collect();
                match written.iter_mut().find(|(known, _)| *known == text) {
                    Some((_, set)) => *set |= 1 << filter,
                    None => written.push((text, 1 << filter)),
                }
            }
        }
        for (text, set) in written {
            if !self.stands(&text, position) {
                continue;
            }
            let before = parts[at].clone();
            if let Part::Slot { filters, .. } = &mut parts[at] {
                *filters = set;
            }
            self.read(at + 1, position + text.len(), reading, parts, cost);
            parts[at] = before;
        }
    }

    /// True if a text stands here in the new one.
    fn stands(&self, text: &[char], position: usize) -> bool {
        let after = &self.source.map.after[..self.source.window.after.1];
        text.is_empty() || position <= after.len() && after[position..].starts_with(text)
    }
}

/// True if a span lies between those of the slots before and behind.
fn in_order(reading: &Reading, slot: usize, span: (usize, usize)) -> bool {
    let before = reading[..slot]
        .iter()
        .flatten()
        .all(|known| known.1 <= span.0);
    let behind = reading[slot + 1..]
        .iter()
        .flatten()
        .all(|known| span.1 <= known.0);
    before && behind
}

/// A number with zeros in front, this many characters in all.
pub(super) fn padded(number: u64, pad: usize) -> Vec<char> {
    format!("{number:0pad$}").chars().collect()
}
