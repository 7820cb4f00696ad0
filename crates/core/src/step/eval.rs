//! A step at work: from matches to edits of the text it sees.

use super::{Action, Step};
use crate::edits::{Edit, GroupTexts, StepSet};
use crate::query::{Finding, Findings, LeftOut, Standing, UnitView, Visitor, Walk, Wanted};
use crate::rewrite::StepCounts;

/// The state of one step during a run.
#[derive(Debug)]
pub(crate) struct StepRun<'r> {
    step: &'r Step,
    set: StepSet,
    walk: Walk<'r>,
    keep_groups: bool,
    counts: StepCounts,
}

impl<'r> StepRun<'r> {
    /// `index` counts from 0; with `keep_groups` each edit carries the groups of its match.
    pub fn new(step: &'r Step, index: usize, keep_groups: bool) -> Self {
        Self {
            step,
            set: StepSet::one(index),
            walk: Walk::new(&step.query),
            keep_groups,
            counts: StepCounts::default(),
        }
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

    /// The edits that this step makes in the next piece of its text; none leaves its range as
    /// it was.
    pub fn piece(&mut self, text: &[u8]) -> Vec<Edit> {
        let wanted = Wanted {
            groups: self.keep_groups || self.step.needs_groups(),
            missing: false,
        };
        let mut maker = EditMaker {
            action: &self.step.action,
            set: self.set,
            keep_groups: self.keep_groups,
            counts: &mut self.counts,
            edits: Vec::new(),
        };
        self.walk.piece(text, 0, wanted, &mut maker);
        maker.edits
    }
}

struct EditMaker<'e> {
    action: &'e Action,
    set: StepSet,
    keep_groups: bool,
    counts: &'e mut StepCounts,
    edits: Vec<Edit>,
}

impl Visitor for EditMaker<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>) {
        for finding in found.iter() {
            self.counts.matches += 1;
            match finding.standing {
                Standing::Picked => self.replace(unit, &finding),
                Standing::LeftOut(LeftOut::Place) => self.counts.left_out.place += 1,
                Standing::LeftOut(LeftOut::Pick) => self.counts.left_out.pick += 1,
                Standing::LeftOut(LeftOut::Limit) => self.counts.left_out.limit += 1,
            }
        }
    }
}

impl EditMaker<'_> {
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
        self.edits.push(Edit {
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
