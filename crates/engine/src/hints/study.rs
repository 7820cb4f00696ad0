//! A step as the rules of hints see it.

use crate::hints::evidence::{CellValue, Form, StepEvidence, WiderText};
use crate::hints::plan::StepPlan;
use crate::hints::spot::Spot;
use crate::hints::wider::{WiderForm, WiderKind};
use brisk_quill_core::rewrite::counts::StepCounts;

/// A step with all that was found.
pub struct StepStudy<'s> {
    /// The step.
    pub plan: &'s StepPlan<'s>,
    /// The index, from 0.
    pub index: usize,
    /// The number of steps of the rewrite.
    pub of: usize,
    /// The counts.
    pub counts: StepCounts,
    /// The forms of its matches, in the order in which they were met, with their numbers.
    pub forms: Vec<(u64, Form)>,
    /// The texts that only a wider pattern matches, with their numbers.
    pub wider: Vec<(u64, WiderText)>,
    /// Units of which the pick left matches, and the first.
    pub left_by_pick: Option<(u64, Spot)>,
    /// Values of cells with a match, in the order in which they were met, with their numbers.
    pub cells: Vec<(u64, CellValue)>,
}

impl<'s> StepStudy<'s> {
    /// A study of the evidence about a step.
    pub fn new(
        plan: &'s StepPlan<'s>,
        (index, of): (usize, usize),
        counts: StepCounts,
        evidence: StepEvidence,
    ) -> Self {
        let pairs = evidence.forms.into_order().into_iter();
        let wider = evidence.wider.into_order().into_iter();
        let cells = evidence.cells.into_order().into_iter();
        Self {
            plan,
            index,
            of,
            counts,
            forms: pairs
                .filter_map(|(_, count, form)| Some((count, form?)))
                .collect(),
            wider: wider.map(|(_, count, text)| (count, text)).collect(),
            left_by_pick: evidence.left_by_pick,
            cells: { cells }.map(|(_, count, cell)| (count, cell)).collect(),
        }
    }

    /// The forms for which `holds`: the number of their matches, and the first form.
    pub fn gather(&self, holds: impl Fn(&Form) -> bool) -> Option<(u64, &Form)> {
        let mut all: Option<(u64, &Form)> = None;
        for (count, form) in self.forms.iter().filter(|(_, form)| holds(form)) {
            all.get_or_insert((0, form)).0 += count;
        }
        all
    }

    /// The texts of wider patterns of one kind for which `holds`: their number, and the first.
    pub fn gather_wider(
        &self,
        kind: WiderKind,
        holds: impl Fn(&WiderText) -> bool,
    ) -> Option<(u64, &WiderText, &WiderForm)> {
        let mut all: Option<(u64, &WiderText, &WiderForm)> = None;
        for (count, text) in &self.wider {
            let form = &self.plan.wider[text.form];
            if form.kind == kind && holds(text) {
                all.get_or_insert((0, text, form)).0 += count;
            }
        }
        all
    }
}
