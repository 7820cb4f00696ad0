//! Decisions about the changes of a plan that conditions name.

use brisk_quill_core::plan::decide::{DecideError, Decider};
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::records::plan::decision_line;
use brisk_quill_files::discover::{GlobError, Search};
use brisk_quill_files::plan_file::PlanDoc;
use std::io;

/// Decisions about changes that conditions name, and about the rest.
///
#[doc = include_str!("../doc/embedding.md")]
#[derive(Default)]
pub struct Decisions {
    /// The condition, as it was written, and the decision; where several name one change, the last wins.
    all: Vec<(Decider, String, Decision)>,
    globs: Vec<String>,
    rest: Option<Decision>,
}

/// Why decisions were not made. None has been.
///
#[doc = include_str!("../doc/embedding.md")]
#[derive(Debug, thiserror::Error)]
pub enum DecisionsError {
    /// A condition names no change of the plan.
    #[error("`{0}` names no change of this plan")]
    NamesNone(String),
    /// A glob does not parse.
    #[error(transparent)]
    Glob(#[from] GlobError),
    /// The plan cannot be read again.
    #[error("the plan cannot be read again: {0}")]
    Plan(#[from] io::Error),
}

impl Decisions {
    /// Decides about the changes that `condition` names.
    ///
    /// # Errors
    ///
    /// When the condition does not parse.
    pub fn add(&mut self, condition: &str, decision: Decision) -> Result<(), DecideError> {
        let decider = Decider::parse(condition, &mut self.globs)?;
        self.all.push((decider, condition.to_owned(), decision));
        Ok(())
    }

    /// Decides about every change that is open and that no condition names.
    pub fn decide_rest(&mut self, decision: Decision) {
        self.rest = Some(decision);
    }

    /// Checks the globs of all conditions.
    ///
    /// # Errors
    ///
    /// When one does not parse.
    pub fn check(&self) -> Result<(), GlobError> {
        self.searches().map(drop)
    }

    fn searches(&self) -> Result<Vec<Search>, GlobError> {
        let search = |glob: &String| Search::new(std::slice::from_ref(glob), &[], true);
        self.globs.iter().map(search).collect()
    }

    /// Makes the decisions in `doc`, and gives their records, which are to be appended to it.
    ///
    /// # Errors
    ///
    /// When a condition names no change, or the plan cannot be read again.
    pub fn make(&self, doc: &mut PlanDoc) -> Result<Vec<u8>, DecisionsError> {
        let named = self.named(doc)?;
        let mut lines = Vec::new();
        for (index, named) in named.into_iter().enumerate() {
            let now = doc.index.entries[index].decision;
            let decision = named.map(|number| self.all[number].2);
            let decision = decision.or(self.rest.filter(|_| now == Decision::Open));
            if let Some(decision) = decision.filter(|decision| *decision != now) {
                lines.extend(decision_line(&doc.index.id(index), decision, None));
                doc.index.set(index, decision, None);
            }
        }
        Ok(lines)
    }

    /// The number of the last condition that names each change.
    fn named(&self, doc: &PlanDoc) -> Result<Vec<Option<usize>>, DecisionsError> {
        let needs_kinds = self.all.iter().any(|(decider, ..)| decider.needs_kinds());
        let kinds = needs_kinds.then(|| doc.kinds()).transpose()?;
        let searches = self.searches()?;
        let plan = &doc.index;
        let mut met = vec![false; self.all.len()];
        let mut named: Vec<Option<usize>> = vec![None; plan.entries.len()];
        for (number, (decider, ..)) in self.all.iter().enumerate() {
            for id in decider.ids() {
                if let Some(index) = plan.index_of(id) {
                    named[index] = Some(number);
                    met[number] = true;
                }
            }
        }
        let with_conditions: Vec<usize> = (0..self.all.len())
            .filter(|number| self.all[*number].0.has_conditions())
            .collect();
        let files = plan.files.iter().enumerate();
        for (of, file) in files.take_while(|_| !with_conditions.is_empty()) {
            let source = doc.source(of);
            let wants = |glob: &Search| glob.wants(source.path());
            let in_globs: Vec<bool> = searches.iter().map(wants).collect();
            let own = named[file.first..file.end].iter_mut();
            for (index, named) in (file.first..).zip(own) {
                let kind = kinds.as_ref().map(|kinds| u64::from(kinds.of[index]) + 1);
                for &number in &with_conditions {
                    let (decider, ..) = &self.all[number];
                    if decider.holds(plan, index, kind, &|glob| in_globs[glob]) {
                        met[number] = true;
                        *named = (*named).max(Some(number));
                    }
                }
            }
        }
        match met.iter().position(|met| !met) {
            Some(number) => Err(DecisionsError::NamesNone(self.all[number].1.clone())),
            None => Ok(named),
        }
    }
}
