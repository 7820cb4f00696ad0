//! A step at work: from matches to edits of the text it sees.

use super::{Action, Step};
use crate::edits::{Edit, GroupTexts, StepSet};
use crate::pattern::Finder;
use crate::query::OpenBlock;
use crate::query::{Finding, Findings, LeftOut, Standing, UnitView, Visitor, Walk, Wanted};
use crate::rewrite::StepCounts;
use crate::{Pattern, Problem};

/// The state of one step during a run.
#[derive(Debug)]
pub(crate) struct StepRun<'r> {
    step: &'r Step,
    set: StepSet,
    walk: Walk<'r>,
    keep_groups: bool,
    /// What each unit in scope must match afterwards.
    ensure: Option<Finder>,
    counts: StepCounts,
}

/// What a step makes of a piece of the text it sees. Offsets are those in that piece.
#[derive(Debug, Default)]
pub(crate) struct StepOutcome {
    /// None leaves its range as it was.
    pub edits: Vec<Edit>,
    /// Units that were left alone, by where they begin.
    pub problems: Vec<(usize, Problem)>,
    /// Units that do not match what they must, by where they begin, with their new text.
    pub unmet: Vec<(usize, Vec<u8>)>,
}

impl<'r> StepRun<'r> {
    /// `index` counts from 0; with `keep_groups` each edit carries the groups of its match.
    pub fn new(step: &'r Step, index: usize, keep_groups: bool) -> Self {
        Self {
            step,
            set: StepSet::one(index),
            walk: Walk::new(&step.query),
            keep_groups,
            ensure: None,
            counts: StepCounts::default(),
        }
    }

    /// Every unit in scope must match `pattern` after this step.
    pub fn ensure(&mut self, pattern: &Pattern) {
        self.ensure = Some(pattern.finder());
    }

    /// See [`Walk`].
    pub fn walk(&mut self) -> &mut Walk<'r> {
        &mut self.walk
    }

    /// Ends the text: tells which blocks were still open.
    pub fn finish_text(&mut self) -> Vec<OpenBlock> {
        self.counts.blocks = self.walk.blocks_begun();
        self.walk.open_blocks()
    }

    pub fn begin_text(&mut self) {
        self.walk.begin_text();
        self.counts = StepCounts::default();
    }

    pub fn pass_line(&mut self) {
        self.walk.pass_line();
    }

    /// What has been counted in this text.
    pub fn counts(&self) -> &StepCounts {
        &self.counts
    }

    /// What this step makes of the next piece of its text.
    pub fn piece(&mut self, text: &[u8]) -> StepOutcome {
        let wanted = Wanted {
            groups: self.keep_groups || self.step.needs_groups(),
            missing: self.ensure.is_some(),
        };
        let mut maker = EditMaker {
            action: &self.step.action,
            set: self.set,
            keep_groups: self.keep_groups,
            ensure: self.ensure.as_mut(),
            counts: &mut self.counts,
            out: StepOutcome::default(),
        };
        self.walk.piece(text, 0, wanted, &mut maker);
        maker.out
    }
}

struct EditMaker<'e> {
    action: &'e Action,
    set: StepSet,
    keep_groups: bool,
    ensure: Option<&'e mut Finder>,
    counts: &'e mut StepCounts,
    out: StepOutcome,
}

impl Visitor for EditMaker<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>) {
        let first = self.out.edits.len();
        for finding in found.iter() {
            self.counts.matches += 1;
            match finding.standing {
                Standing::Picked => self.replace(unit, &finding),
                Standing::LeftOut(LeftOut::Place) => self.counts.left_out.place += 1,
                Standing::LeftOut(LeftOut::Pick) => self.counts.left_out.pick += 1,
                Standing::LeftOut(LeftOut::Limit) => self.counts.left_out.limit += 1,
            }
        }
        if unit.in_scope {
            self.check(unit, first);
        }
    }

    fn problem(&mut self, offset: usize, problem: Problem) {
        self.out.problems.push((offset, problem));
    }
}

impl EditMaker<'_> {
    /// Whether the unit, with its edits from index `first` on, is as it must be.
    fn check(&mut self, unit: &UnitView<'_>, first: usize) {
        let Some(ensure) = &mut self.ensure else {
            return;
        };
        let (text, from) = (unit.text, unit.span.from);
        let mut now = Vec::new();
        let mut at = from;
        for edit in &self.out.edits[first..] {
            now.extend_from_slice(&text[at..edit.span.from]);
            now.extend_from_slice(&edit.text);
            at = edit.span.to;
        }
        now.extend_from_slice(&text[at..unit.span.to]);
        match ensure.is_match(&now) {
            Ok(true) => {}
            Ok(false) => self.out.unmet.push((from, now)),
            Err(error) => {
                let (line, kind) = (Some(unit.line), error.into());
                self.out.problems.push((from, Problem { line, kind }));
            }
        }
    }

    fn replace(&mut self, unit: &UnitView<'_>, finding: &Finding<'_>) {
        let bytes = unit.bytes();
        let mut text = Vec::new();
        match self.action {
            Action::Replace(template) => template.expand(bytes, finding.groups, &mut text),
            Action::Remove => {}
        }
        if text == bytes[finding.span.range()] {
            self.counts.unchanged += 1;
            return;
        }
        self.counts.edits += 1;
        self.out.edits.push(Edit {
            span: finding.span.shifted(unit.span.from),
            text,
            steps: self.set,
            groups: self.keep_groups.then(|| group_texts(bytes, finding)),
        });
    }
}

fn group_texts(unit: &[u8], finding: &Finding<'_>) -> GroupTexts {
    let text = |span: &Option<crate::Span>| Some(unit[span.as_ref()?.range()].into());
    finding.groups.iter().map(text).collect()
}
