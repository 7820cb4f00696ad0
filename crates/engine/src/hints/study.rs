//! A request as the rules of hints see it.

use crate::hints::evidence::{Form, KnownSoFar, StepEvidence, WiderFinders, WiderText};
use crate::hints::spot::Spot;
use crate::hints::wider;
use crate::request::Work;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::outline::Outline;
use brisk_quill_core::pattern::probe::Probe;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::counts::StepCounts;
use brisk_quill_core::rewrite::options::Watch;
use brisk_quill_core::step::actions::Action;
use brisk_quill_core::template::Template;
use std::sync::{Mutex, PoisonError};

/// A request, prepared to be watched.
#[derive(Debug)]
pub struct StudyPlan<'r> {
    /// The steps; of a search, one.
    pub steps: Vec<StepPlan<'r>>,
    /// Scratch memory that is free.
    finders: Mutex<Vec<WiderFinders>>,
}

/// A step, prepared to be watched.
#[derive(Debug)]
pub struct StepPlan<'r> {
    /// The pattern, its scope and its pick.
    pub query: &'r Query,
    /// What is done with its matches; `None` for a search.
    pub action: Option<&'r Action>,
    /// The parts of the pattern, where it is regular.
    pub outline: Option<Outline>,
    /// New text is put in the place of matches.
    pub replaces: bool,
    /// New text is put at an end of each unit.
    pub inserts: bool,
    /// Patterns that match more than the step's own.
    pub wider: Vec<WiderForm>,
    /// Finds the units that they may match.
    pub probe: Option<Probe>,
    /// The forms of matches that were met so far.
    pub known: KnownSoFar,
}

/// The reason for which a wider pattern is looked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WiderKind {
    /// The same in any letter case.
    AnyCase,
    /// The same name in another spelling.
    Spelling,
    /// The new text.
    NewText,
    /// The pattern read as in another dialect.
    Dialect,
}

/// A pattern that matches more than a step's own, or something else that matters.
#[derive(Debug)]
pub struct WiderForm {
    /// The reason for it.
    pub kind: WiderKind,
    /// Its pattern.
    pub pattern: Pattern,
    /// Its matches count only where they are whole words.
    pub is_word: bool,
}

impl<'r> StudyPlan<'r> {
    /// The plan for a request.
    pub fn new(work: &Work<'r>) -> Self {
        let steps = match work {
            Work::Search { query, .. } => vec![StepPlan::new(query, None)],
            Work::Rewrite { rewrite, .. } => (rewrite.steps().iter())
                .map(|step| StepPlan::new(&step.query, Some(&step.action)))
                .collect(),
        };
        Self {
            steps,
            finders: Mutex::default(),
        }
    }

    /// Scratch memory, used before where there is some.
    pub fn finders(&self) -> WiderFinders {
        let mut free = self.finders.lock().unwrap_or_else(PoisonError::into_inner);
        free.pop().unwrap_or_default()
    }

    /// Takes scratch memory back.
    pub fn give_back(&self, finders: WiderFinders) {
        let mut free = self.finders.lock().unwrap_or_else(PoisonError::into_inner);
        free.push(finders);
    }

    /// The units to be shown in an evaluation.
    pub fn watch(&self) -> Watch {
        Watch {
            probes: self.steps.iter().map(|step| step.probe.clone()).collect(),
        }
    }
}

impl<'r> StepPlan<'r> {
    fn new(query: &'r Query, action: Option<&'r Action>) -> Self {
        let outline = Outline::new(&query.pattern);
        let wider = match &outline {
            Some(outline) => wider::forms(query, action, outline),
            None => Vec::new(),
        };
        let patterns: Vec<Pattern> = wider.iter().map(|form| form.pattern.clone()).collect();
        Self {
            query,
            action,
            outline,
            replaces: matches!(
                action,
                Some(Action::Replace(_) | Action::Remove | Action::SwapChars(_))
            ),
            inserts: matches!(action, Some(Action::Lead(_) | Action::Trail(_))),
            probe: Probe::new(&query.pattern, &patterns),
            wider,
            known: KnownSoFar::default(),
        }
    }

    /// The template that replaces matches or is inserted.
    pub fn template(&self) -> Option<&'r Template> {
        self.action.and_then(Action::template)
    }

    /// The pattern.
    pub fn pattern(&self) -> &'r Pattern {
        &self.query.pattern
    }
}

/// A step with all that was found.
pub struct StepStudy<'s> {
    /// The step.
    pub plan: &'s StepPlan<'s>,
    /// Its index, from 0.
    pub index: usize,
    /// The number of steps of the rewrite.
    pub of: usize,
    /// Its counts.
    pub counts: StepCounts,
    /// The forms of its matches, in the order in which they were met, with their numbers.
    pub forms: Vec<(u64, Form)>,
    /// The texts that only a wider pattern matches, with their numbers.
    pub wider: Vec<(u64, WiderText)>,
    /// Units of which the pick left matches, and the first.
    pub left_by_pick: Option<(u64, Spot)>,
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
