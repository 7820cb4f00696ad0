//! A request, prepared to be watched for hints.

use crate::hints::known::KnownSoFar;
use crate::hints::wider::{self, WiderFinders, WiderForm};
use crate::request::Work;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::outline::Outline;
use brisk_quill_core::pattern::probe::Probe;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::options::Watch;
use brisk_quill_core::step::Step;
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
    /// The action on its matches.
    pub action: &'r Action,
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
    /// The columns that an earlier step names, where this one names none.
    pub columns_before: Option<String>,
}

impl<'r> StudyPlan<'r> {
    /// The plan for a request.
    pub fn new(work: &Work<'r>) -> Self {
        let mut columns: Option<String> = None;
        let plan = |step: &'r Step| {
            let mut plan = StepPlan::new(step);
            match &step.query.columns {
                Some(own) => columns = Some(own.list.to_string()),
                None => plan.columns_before.clone_from(&columns),
            }
            plan
        };
        Self {
            steps: work.rewrite.steps().iter().map(plan).collect(),
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
    fn new(Step { query, action, .. }: &'r Step) -> Self {
        let outline = Outline::new(&query.pattern);
        let wider = match &outline {
            Some(outline) => wider::forms(query, action, outline),
            None => wider::new_texts(action).into_iter().collect(),
        };
        let patterns: Vec<Pattern> = wider.iter().map(|form| form.pattern.clone()).collect();
        Self {
            query,
            action,
            outline,
            replaces: matches!(
                action,
                Action::Replace(_) | Action::Remove | Action::SwapChars(_) | Action::Pairs(_)
            ),
            inserts: matches!(action, Action::Lead(_) | Action::Trail(_)),
            probe: Probe::new(&query.pattern, &patterns),
            wider,
            known: KnownSoFar::default(),
            columns_before: None,
        }
    }

    /// True if something is done with its matches.
    pub fn acts(&self) -> bool {
        !matches!(self.action, Action::Show)
    }

    /// The template that replaces matches or is inserted.
    pub fn template(&self) -> Option<&'r Template> {
        self.action.template()
    }

    /// The pattern.
    pub fn pattern(&self) -> &'r Pattern {
        &self.query.pattern
    }
}
