//! Evidence for hints, gathered while files are searched or rewritten, in bounded memory.

use crate::hints::beside::Beside;
use crate::hints::spot::{Spot, TEXT_MOST};
use crate::hints::study::{StepPlan, StudyPlan, WiderForm};
use brisk_quill_core::inventory::Inventory;
use brisk_quill_core::pattern::Finder;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::query::findings::{Finding, LeftOut, MatchStatus};
use brisk_quill_core::rewrite::seen::SeenUnit;
use brisk_quill_core::span::Span;
use brisk_quill_files::source::Source;
use std::hash::{DefaultHasher, Hash, Hasher};

/// Forms of matches that are told apart, for each step.
const FORMS_MOST: usize = 2000;
/// Further texts that are told apart, for each step.
const WIDER_MOST: usize = 500;
/// In lines beyond this, a unit with a match is not searched for further texts.
const LINES_SEARCHED: u64 = 10_000;
/// Longer units are not searched for further texts.
const UNIT_MOST: usize = 64 << 10;

/// A form of matches: with the same text, the same new text, and the same kind of character on either side.
#[derive(Clone, Debug)]
pub struct Form {
    /// The text that matched.
    pub before: Box<[u8]>,
    /// The new text; `None` where no text is put in the place of matches.
    pub after: Option<Box<[u8]>>,
    /// The character before.
    pub left: Beside,
    /// The character behind.
    pub right: Beside,
    /// A word of the new text stands beside the same word.
    pub doubles: bool,
    /// An earlier step has written all of it.
    pub written: bool,
    /// The first of them.
    pub spot: Spot,
}

/// A text that the pattern does not match and a wider one does.
#[derive(Clone, Debug)]
pub struct WiderText {
    /// The index of the wider form in its [`StepPlan`].
    pub form: usize,
    /// The character before the first of them.
    pub left: Beside,
    /// The character behind.
    pub right: Beside,
    /// The first of them.
    pub spot: Spot,
}

/// The evidence about one step.
#[derive(Debug)]
pub struct StepEvidence {
    /// Forms of matches that were taken.
    pub forms: Inventory<u64, Form>,
    /// Texts that only a wider form matches.
    pub wider: Inventory<u64, WiderText>,
    /// Units of which the pick left matches, and the first of those.
    pub left_by_pick: Option<(u64, Spot)>,
}

impl Default for StepEvidence {
    fn default() -> Self {
        Self {
            forms: Inventory::new(FORMS_MOST),
            wider: Inventory::new(WIDER_MOST),
            left_by_pick: None,
        }
    }
}

impl StepEvidence {
    fn absorb(&mut self, next: Self) {
        self.forms.absorb(next.forms, |_, _| {});
        self.wider.absorb(next.wider, |_, _| {});
        self.left_by_pick = match (self.left_by_pick.take(), next.left_by_pick) {
            (Some((units, spot)), Some((more, _))) => Some((units + more, spot)),
            (first, next) => first.or(next),
        };
    }
}

/// Gathers evidence in one file after another, or in one part of a file.
#[derive(Debug)]
pub struct Evidence<'p> {
    plan: &'p StudyPlan<'p>,
    source: Source,
    /// For each step.
    pub steps: Vec<StepEvidence>,
    /// For each wider form of each step, made when it is first needed.
    finders: Vec<Vec<Option<Finder>>>,
    matches: Matches,
}

impl<'p> Evidence<'p> {
    /// None so far, about matches in `source`.
    pub fn new(plan: &'p StudyPlan<'p>, source: &Source) -> Self {
        let steps = plan.steps.len();
        Self {
            plan,
            source: source.clone(),
            steps: (0..steps).map(|_| StepEvidence::default()).collect(),
            finders: (0..steps).map(|_| Vec::new()).collect(),
            matches: Matches::default(),
        }
    }

    /// Begins another file.
    pub fn begin_file(&mut self, source: &Source) {
        self.source = source.clone();
    }

    /// The same for a part of a file, to be absorbed.
    #[must_use]
    pub fn for_part(mut self) -> Self {
        for step in &mut self.steps {
            let StepEvidence { forms, wider, .. } = std::mem::take(step);
            step.forms = forms.without_limit();
            step.wider = wider.without_limit();
        }
        self
    }

    /// Adds what was gathered behind it.
    pub fn absorb(&mut self, next: Self) {
        for (step, next) in self.steps.iter_mut().zip(next.steps) {
            step.absorb(next);
        }
    }

    /// Takes note of a unit that step `index`, from 0, has looked at.
    pub fn seen(&mut self, index: usize, seen: &SeenUnit<'_>) {
        let (Some(step), Some(plan)) = (self.steps.get_mut(index), self.plan.steps.get(index))
        else {
            return;
        };
        take_forms(step, plan, &self.source, seen);
        let unit = seen.unit;
        let is_searched = seen.found.is_empty() || unit.line <= LINES_SEARCHED;
        if unit.in_scope && is_searched && unit.bytes().len() <= UNIT_MOST {
            let finders = &mut self.finders[index];
            finders.resize_with(plan.wider.len(), || None);
            for (number, (form, finder)) in plan.wider.iter().zip(finders).enumerate() {
                let finder = finder.get_or_insert_with(|| form.pattern.finder());
                let found = finder.collect(unit.bytes(), false, &mut self.matches);
                if found.is_ok() {
                    take_wider(step, (number, form), &self.matches, &self.source, seen);
                }
            }
        }
    }
}

/// Counts the matches of a unit by form.
fn take_forms(step: &mut StepEvidence, plan: &StepPlan<'_>, source: &Source, seen: &SeenUnit<'_>) {
    let bytes = seen.unit.bytes();
    let mut left = None;
    let mut changes = seen.changes().map(Iterator::peekable);
    if plan.inserts {
        // What is inserted belongs to no match.
        for (span, text) in changes.into_iter().flatten() {
            take_form(step, source, seen, span, Some(text));
        }
        return;
    }
    for finding in seen.found.iter() {
        match finding.status {
            MatchStatus::LeftOut(LeftOut::Pick) => left = left.or(Some(finding)),
            MatchStatus::LeftOut(_) => {}
            MatchStatus::Picked(_) => {
                let after = match &mut changes {
                    Some(changes) if plan.replaces => Some(new_text(changes, finding, bytes)),
                    _ => None,
                };
                take_form(step, source, seen, finding.span, after);
            }
        }
    }
    if let Some(finding) = left {
        let spot = || Spot::new(source, seen.unit, finding.span);
        let (units, _) = step.left_by_pick.get_or_insert_with(|| (0, spot()));
        *units += 1;
    }
}

/// The new text of a match: that of its edit, or, where it has none, its own.
fn new_text<'b>(
    changes: &mut std::iter::Peekable<impl Iterator<Item = (Span, &'b [u8])>>,
    finding: Finding<'_>,
    bytes: &'b [u8],
) -> &'b [u8] {
    let is_before =
        |(span, _): &(Span, &[u8])| span.to <= finding.span.from && span.from < finding.span.from;
    while changes.next_if(is_before).is_some() {}
    match changes.next_if(|(span, _)| *span == finding.span) {
        Some((_, text)) => text,
        None => &bytes[finding.span.range()],
    }
}

fn take_form(
    step: &mut StepEvidence,
    source: &Source,
    seen: &SeenUnit<'_>,
    span: Span,
    after: Option<&[u8]>,
) {
    let bytes = seen.unit.bytes();
    let before = &bytes[span.range()];
    if before.len() > TEXT_MOST || after.is_some_and(|text| text.len() > TEXT_MOST) {
        return;
    }
    let left = Beside::before(bytes, span.from);
    let right = Beside::after(bytes, span.to);
    let doubles = after.is_some_and(|after| after != before && doubles(bytes, span, after));
    let written = seen.is_written(span);
    let mut key = DefaultHasher::new();
    (before, after, left, right, doubles, written).hash(&mut key);
    step.forms.add(key.finish(), || Form {
        before: before.into(),
        after: after.map(Into::into),
        left,
        right,
        doubles,
        written,
        spot: Spot::new(source, seen.unit, span),
    });
}

/// True if the first or the last word of `after`, put in the place of `span`, stands beside the same word.
fn doubles(bytes: &[u8], span: Span, after: &[u8]) -> bool {
    let is_letter = |byte: &u8| byte.is_ascii_alphabetic() || *byte >= 0x80;
    let first = after.iter().take_while(|b| is_letter(b)).count();
    let last = after.iter().rev().take_while(|b| is_letter(b)).count();
    let (first, last) = (&after[..first], &after[after.len() - last..]);
    let ends_a_word = |text: &[u8], word: &[u8]| {
        text.strip_suffix(word)
            .is_some_and(|head| !head.last().is_some_and(|b| is_letter(b)))
    };
    let begins_a_word = |text: &[u8], word: &[u8]| {
        text.strip_prefix(word)
            .is_some_and(|tail| !tail.first().is_some_and(|b| is_letter(b)))
    };
    let (before, behind) = (&bytes[..span.from], &bytes[span.to..]);
    let doubles_left = before
        .strip_suffix(b" ")
        .is_some_and(|text| !first.is_empty() && ends_a_word(text, first));
    let doubles_right = behind
        .strip_prefix(b" ")
        .is_some_and(|text| !last.is_empty() && begins_a_word(text, last));
    doubles_left || doubles_right
}

/// Counts the texts in a unit that a wider form matches and the pattern does not.
fn take_wider(
    step: &mut StepEvidence,
    (number, form): (usize, &WiderForm),
    matches: &Matches,
    source: &Source,
    seen: &SeenUnit<'_>,
) {
    let bytes = seen.unit.bytes();
    let mut own = seen.found.iter().peekable();
    for index in 0..matches.len() {
        let span = matches.span(index);
        while own
            .next_if(|finding| finding.span.to <= span.from)
            .is_some()
        {}
        let is_matched = own
            .peek()
            .is_some_and(|finding| finding.span.from < span.to);
        if is_matched || span.is_empty() || span.len() > TEXT_MOST {
            continue;
        }
        let (left, right) = (
            Beside::before(bytes, span.from),
            Beside::after(bytes, span.to),
        );
        if form.is_word && (left.is_word() || right.is_word()) {
            continue;
        }
        let mut key = DefaultHasher::new();
        (number, &bytes[span.range()], left, right).hash(&mut key);
        step.wider.add(key.finish(), || WiderText {
            form: number,
            left,
            right,
            spot: Spot::new(source, seen.unit, span),
        });
    }
}
