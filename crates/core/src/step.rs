//! One instruction of a rewrite: a query and what is done with its matches.

mod eval;

pub(crate) use eval::StepRun;

use crate::{Query, Template};

/// What a step does.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Action {
    /// Each match becomes what the template writes.
    Replace(Template),
    /// Each match is taken out.
    Remove,
}

/// A query and an action.
#[derive(Clone, Debug)]
pub struct Step {
    /// What it matches, where, and which.
    pub query: Query,
    /// What it does with the matches.
    pub action: Action,
}

impl Step {
    /// The step that does `action` with the matches of `query`.
    pub fn new(query: Query, action: Action) -> Self {
        Self { query, action }
    }

    fn needs_groups(&self) -> bool {
        match &self.action {
            Action::Replace(template) => template.needs_groups(),
            Action::Remove => false,
        }
    }
}
