//! Evidence for hints, gathered while files are searched or rewritten, in bounded memory.

use crate::hints::beside::Beside;
use crate::hints::hint::shown;
use crate::hints::known::Known;
use crate::hints::plan::{StepPlan, StudyPlan};
use crate::hints::spot::{LineCount, Spot, TEXT_MOST};
use crate::hints::wider::{WiderFinders, WiderForm};
use crate::sources::Sources;
use brisk_quill_core::columns::fault::ColumnFault;
use brisk_quill_core::inventory::Inventory;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::problem::{Problem, ProblemKind};
use brisk_quill_core::query::findings::{Finding, LeftOut, MatchStatus};
use brisk_quill_core::rewrite::seen::SeenUnit;
use brisk_quill_core::span::Span;
use brisk_quill_files::source::Source;
use foldhash::fast::FixedState;
use std::hash::{BuildHasher, Hash};
use std::sync::Arc;

/// Forms of matches that are distinguished, for each step.
const FORMS_MOST: usize = 10_000;
/// Further texts that are distinguished, for each step.
const WIDER_MOST: usize = 500;
/// Longer values of cells are not keys, in bytes.
const CELL_LONGEST: usize = 120;
/// Values of cells that are distinguished, for each step.
const CELLS_MOST: usize = 2000;
/// Files of which units without a match are looked at; matches are looked at in all.
const FILES_PROBED: usize = 200;
/// Lines of a file that are looked at.
pub const LINES_MOST: u64 = 10_000;
/// Longer units are not searched for further texts.
const UNIT_MOST: usize = 64 << 10;

/// A form of matches: with the same text, the same new text, and the same kind of character on either side.
#[derive(Clone, Debug)]
pub struct Form {
    /// The new text; `None` where no text is put in the place of matches.
    pub after: Option<Box<[u8]>>,
    /// The character before.
    pub left: Beside,
    /// The character behind.
    pub right: Beside,
    /// A word of the new text is beside the same word.
    pub doubles: bool,
    /// An earlier step has written all of it.
    pub written: bool,
    /// The first unit.
    pub spot: Spot,
}

impl Form {
    /// The text that matched.
    pub fn before(&self) -> &[u8] {
        self.spot.text()
    }

    /// The word around it, between backquotes.
    pub fn shown_word(&self) -> String {
        shown(self.spot.word())
    }
}

/// A text that the pattern does not match and a wider one does.
#[derive(Clone, Debug)]
pub struct WiderText {
    /// The index of the wider form in its step.
    pub form: usize,
    /// The character before the first of them.
    pub left: Beside,
    /// The character behind.
    pub right: Beside,
    /// The first unit.
    pub spot: Spot,
}

impl WiderText {
    /// The text, between backquotes.
    pub fn shown(&self) -> String {
        shown(self.spot.text())
    }
}

/// A value of a cell, as it was and as it becomes.
#[derive(Clone, Debug)]
pub struct CellValue {
    /// The name of its column.
    pub column: Arc<str>,
    /// The value as it was.
    pub before: Box<[u8]>,
    /// The value as it becomes.
    pub after: Box<[u8]>,
    /// The first cell that holds it.
    pub spot: Spot,
}

/// The evidence about one step.
#[derive(Debug)]
pub struct StepEvidence {
    /// Forms of matches that were taken; `None` is one that is known.
    pub forms: Inventory<u64, Option<Form>>,
    known: Arc<Known>,
    /// Texts that only a wider form matches.
    pub wider: Inventory<u64, WiderText>,
    /// Units of which the pick left matches, and the first of those.
    pub left_by_pick: Option<(u64, Spot)>,
    /// Values of cells with a match.
    pub cells: Inventory<u64, CellValue>,
}

impl Default for StepEvidence {
    fn default() -> Self {
        Self {
            forms: Inventory::new(FORMS_MOST),
            known: Arc::default(),
            wider: Inventory::new(WIDER_MOST),
            left_by_pick: None,
            cells: Inventory::new(CELLS_MOST),
        }
    }
}

impl StepEvidence {
    /// Holds all apart, to be absorbed.
    fn without_limit(self) -> Self {
        Self {
            forms: self.forms.without_limit(),
            wider: self.wider.without_limit(),
            cells: self.cells.without_limit(),
            ..self
        }
    }

    fn absorb(&mut self, next: Self) {
        self.forms.absorb(next.forms, |_, _| {});
        self.wider.absorb(next.wider, |_, _| {});
        self.cells.absorb(next.cells, |_, _| {});
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
    file: &'p Source,
    /// The same, to be shared by the places in it; made when it is first needed.
    source: Option<Arc<Source>>,
    is_probed: bool,
    /// For each step, or none as long as there is none.
    steps: Vec<StepEvidence>,
    /// Steps that are to be absorbed hold all apart.
    is_part: bool,
    finders: Option<WiderFinders>,
    /// The first file that lacks a column, and its fault.
    pub column_fault: Option<(Source, ColumnFault)>,
    /// True if a file has more lines than are looked at.
    pub is_cut: bool,
}

impl<'p> Evidence<'p> {
    /// None so far, about matches in `source`, one of `sources`.
    pub fn new(plan: &'p StudyPlan<'p>, source: &'p Source, sources: &Sources) -> Self {
        Self {
            plan,
            file: source,
            source: None,
            is_probed: sources.is_among_first(source, FILES_PROBED),
            steps: Vec::new(),
            is_part: false,
            finders: None,
            column_fault: None,
            is_cut: false,
        }
    }

    /// Begins another file, one of `sources`.
    pub fn begin_file(&mut self, source: &'p Source, sources: &Sources) {
        (self.file, self.source) = (source, None);
        self.is_probed = sources.is_among_first(source, FILES_PROBED);
    }

    /// True if units without a match are to be seen in the current file.
    pub fn wants_others(&self) -> bool {
        self.is_probed
    }

    /// The same for a part of a file, to be absorbed.
    #[must_use]
    pub fn for_part(mut self) -> Self {
        self.is_part = true;
        self
    }

    /// Adds what was gathered behind it.
    pub fn absorb(&mut self, mut next: Self) {
        self.column_fault = self.column_fault.take().or(next.column_fault.take());
        self.is_cut |= next.is_cut;
        let next = std::mem::take(&mut next.steps);
        if self.steps.is_empty() {
            self.steps
                .extend(next.iter().map(|_| StepEvidence::default()));
        }
        for ((step, next), plan) in self.steps.iter_mut().zip(next).zip(&self.plan.steps) {
            step.absorb(next);
            if !self.is_part {
                plan.known.learn(&step.forms);
            }
        }
    }

    /// The evidence about each step.
    pub fn into_steps(mut self) -> Vec<StepEvidence> {
        let mut steps = std::mem::take(&mut self.steps);
        steps.resize_with(self.plan.steps.len(), StepEvidence::default);
        steps
    }

    /// The form of each match of a unit that step `index`, from 0, takes.
    pub fn forms_of(&self, index: usize, seen: &SeenUnit<'_>) -> Vec<Form> {
        let source = Arc::new(self.file.clone());
        let mut forms = Vec::new();
        if let Some(plan) = self.plan.steps.get(index) {
            each_change(plan, seen, |span, after| {
                forms.push(form_of(&source, (seen, span), after));
            });
        }
        forms
    }

    /// Takes note of a problem.
    pub fn problem(&mut self, problem: &Problem) {
        if let ProblemKind::Column(fault) = &problem.kind
            && self.column_fault.is_none()
        {
            self.column_fault = Some((self.file.clone(), fault.clone()));
        }
    }

    /// Takes note of a unit that step `index`, from 0, has looked at.
    pub fn seen(&mut self, index: usize, seen: &SeenUnit<'_>) {
        if seen.unit.line > LINES_MOST {
            // Which of those without a match are seen depends on how a text is gone through.
            self.is_cut |= !seen.found.is_empty();
            return;
        }
        if self.steps.is_empty() {
            let new = |plan: &StepPlan<'_>| {
                let new = StepEvidence {
                    known: plan.known.so_far(),
                    ..StepEvidence::default()
                };
                if self.is_part {
                    new.without_limit()
                } else {
                    new
                }
            };
            self.steps = self.plan.steps.iter().map(new).collect();
        }
        let (Some(step), Some(plan)) = (self.steps.get_mut(index), self.plan.steps.get(index))
        else {
            return;
        };
        let file = self.file;
        let source = &*self.source.get_or_insert_with(|| Arc::new(file.clone()));
        take_forms(step, plan, source, seen);
        take_cell(step, plan, source, seen);
        let unit = seen.unit;
        let is_searched = self.is_probed && !plan.wider.is_empty();
        if is_searched && unit.in_scope && unit.bytes().len() <= UNIT_MOST {
            let finders = self.finders.get_or_insert_with(|| self.plan.finders());
            let mut matches = Matches::default();
            for (number, finder) in finders.of_step(index, &plan.wider).enumerate() {
                if finder.collect(unit.bytes(), false, &mut matches).is_ok() {
                    let form = (number, &plan.wider[number]);
                    take_wider(step, form, &matches, source, seen);
                }
            }
        }
    }
}

impl Drop for Evidence<'_> {
    fn drop(&mut self) {
        if let Some(finders) = self.finders.take() {
            self.plan.give_back(finders);
        }
    }
}

/// A number that stands for a form: two forms with the same number would be one form too few.
fn key_of(form: impl Hash) -> u64 {
    FixedState::default().hash_one(form)
}

/// Shows each match of a unit that is taken, with its new text, in order; what is inserted too. Gives the first match
/// that the pick left out.
fn each_change<'u>(
    plan: &StepPlan<'_>,
    seen: &SeenUnit<'u>,
    mut show: impl FnMut(Span, Option<&'u [u8]>),
) -> Option<Span> {
    let bytes = seen.unit.bytes();
    let mut left = None;
    let mut changes = seen.changes().map(Iterator::peekable);
    if plan.inserts {
        // What is inserted belongs to no match.
        for (span, text) in changes.into_iter().flatten() {
            show(span, Some(text));
        }
        return None;
    }
    for finding in seen.found.iter() {
        match finding.status {
            MatchStatus::LeftOut(LeftOut::Pick) => left = left.or(Some(finding.span)),
            MatchStatus::LeftOut(_) => {}
            MatchStatus::Picked(_) => {
                let after = match &mut changes {
                    Some(changes) if plan.replaces => Some(new_text(changes, finding, bytes)),
                    _ => None,
                };
                show(finding.span, after);
            }
        }
    }
    left
}

/// Counts the matches of a unit by form.
fn take_forms(
    step: &mut StepEvidence,
    plan: &StepPlan<'_>,
    source: &Arc<Source>,
    seen: &SeenUnit<'_>,
) {
    let lines = &mut LineCount::default();
    let left = each_change(plan, seen, |span, after| {
        take_form(step, source, (seen, span, lines), after);
    });
    if let Some(span) = left {
        let spot = || Spot::new(source, seen.unit, span);
        let (units, _) = step.left_by_pick.get_or_insert_with(|| (0, spot()));
        *units += 1;
    }
}

/// Counts the value of a cell in which a match is replaced.
fn take_cell(
    step: &mut StepEvidence,
    plan: &StepPlan<'_>,
    source: &Arc<Source>,
    seen: &SeenUnit<'_>,
) {
    let (Some(cell), Some(changes)) = (seen.unit.cell, seen.changes()) else {
        return;
    };
    let before = seen.unit.bytes();
    if !plan.replaces || before.len() > CELL_LONGEST || seen.found.is_empty() {
        return;
    }
    let mut after = Vec::with_capacity(before.len());
    let mut done = 0;
    for (span, text) in changes {
        after.extend_from_slice(&before[done..span.from]);
        after.extend_from_slice(text);
        done = span.to;
    }
    after.extend_from_slice(&before[done..]);
    let column = cell.name();
    let key = key_of((&*column, before, &after));
    step.cells.add(key, || CellValue {
        column,
        before: before.into(),
        after: after.into(),
        spot: Spot::new(source, seen.unit, Span::default()),
    });
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
    source: &Arc<Source>,
    (seen, span, lines): (&SeenUnit<'_>, Span, &mut LineCount),
    after: Option<&[u8]>,
) {
    let bytes = seen.unit.bytes();
    let before = &bytes[span.range()];
    if before.len() > TEXT_MOST || after.is_some_and(|text| text.len() > TEXT_MOST) {
        return;
    }
    let (left, right, doubles, written) = around(seen, span, after);
    let key = key_of((before, after, left, right, doubles, written));
    let is_known = step.known.holds(key);
    if step.known.is_full() && !is_known {
        return;
    }
    let form = || Form {
        after: after.map(Into::into),
        left,
        right,
        doubles,
        written,
        spot: Spot::counting(source, seen.unit, span, lines),
    };
    step.forms.add(key, || (!is_known).then(form));
}

/// The form of one match.
fn form_of(
    source: &Arc<Source>,
    (seen, span): (&SeenUnit<'_>, Span),
    after: Option<&[u8]>,
) -> Form {
    let (left, right, doubles, written) = around(seen, span, after);
    Form {
        after: after.map(Into::into),
        left,
        right,
        doubles,
        written,
        spot: Spot::new(source, seen.unit, span),
    }
}

/// The characters before and behind a match, whether its new text doubles a word beside it, and whether an
/// earlier step has written it.
fn around(seen: &SeenUnit<'_>, span: Span, after: Option<&[u8]>) -> (Beside, Beside, bool, bool) {
    let bytes = seen.unit.bytes();
    let is_new = |after: &&[u8]| *after != &bytes[span.range()];
    (
        Beside::before(bytes, span.from),
        Beside::after(bytes, span.to),
        after
            .filter(is_new)
            .is_some_and(|after| doubles(bytes, span, after)),
        seen.is_written(span),
    )
}

/// True if the first or the last word of `after`, put in the place of `span`, is beside the same word.
fn doubles(bytes: &[u8], span: Span, after: &[u8]) -> bool {
    let same = |left: &[u8], right: &[u8]| !left.is_empty() && left == right;
    let before = bytes[..span.from].strip_suffix(b" ");
    let behind = bytes[span.to..].strip_prefix(b" ");
    before.is_some_and(|text| same(last_word(text), first_word(after)))
        || behind.is_some_and(|text| same(last_word(after), first_word(text)))
}

/// The word that a text begins with; none where a sign joins it to more.
fn first_word(text: &[u8]) -> &[u8] {
    let length = text.iter().take_while(|b| is_letter(**b)).count();
    let (word, rest) = text.split_at(length);
    if is_apart(rest.first()) { word } else { b"" }
}

/// The word that a text ends with.
fn last_word(text: &[u8]) -> &[u8] {
    let length = text.iter().rev().take_while(|b| is_letter(**b)).count();
    let (rest, word) = text.split_at(text.len() - length);
    if is_apart(rest.last()) { word } else { b"" }
}

fn is_letter(byte: u8) -> bool {
    byte.is_ascii_alphabetic() || byte >= 0x80
}

fn is_apart(beside: Option<&u8>) -> bool {
    beside.is_none_or(|b| b.is_ascii_whitespace() || b",.;:!?".contains(b))
}

/// Counts the texts in a unit that a wider form matches and the pattern does not.
fn take_wider(
    step: &mut StepEvidence,
    (number, form): (usize, &WiderForm),
    matches: &Matches,
    source: &Arc<Source>,
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
        let key = key_of((number, &bytes[span.range()], left, right));
        step.wider.add(key, || WiderText {
            form: number,
            left,
            right,
            spot: Spot::new(source, seen.unit, span),
        });
    }
}
