//! The part of a plan and of its files that a screen shows, loaded before it is drawn.

use crate::review::action::View;
use crate::review::context::{Near, near, whole};
use crate::review::state::State;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_files::plan_file::PlanDoc;
use std::collections::HashMap;
use std::io;

/// What one screen shows.
pub struct Loaded {
    changes: HashMap<usize, ChangeRecord<'static>>,
    /// The lines around the current change; `None` where its file is not what it was, or is not
    /// text in UTF-8.
    pub near: Option<Near>,
    /// The lines of the file of the current change with what is accepted, and the line of that
    /// change, from 0; `None` unless the file is to be shown.
    pub file: Option<io::Result<(Vec<Vec<u8>>, usize)>>,
}

impl Loaded {
    /// Loads what a screen of so many rows shows of a review.
    pub fn new(doc: &PlanDoc, state: &State, rows: usize) -> Self {
        let mut loaded = Self {
            changes: HashMap::new(),
            near: None,
            file: None,
        };
        let Some(current) = state.current() else {
            return loaded;
        };
        match state.view {
            View::Kinds => {}
            View::File => loaded.file = Some(whole(doc, &state.plan, current)),
            View::Changes
            | View::Modify
            | View::Find
            | View::Keys
            | View::Hints
            | View::Every
            | View::Leave
            | View::Ask => {
                // The list begins at most half a screen before the current change.
                let first = state.cursor.saturating_sub(rows / 2);
                let shown = state.listed.iter().skip(first).take(rows / 2 + rows);
                let read = |index: &usize| Some((*index, doc.change(*index).ok()?));
                loaded.changes = shown.filter_map(read).collect();
                let change = loaded.change(current);
                loaded.near = change.and_then(|change| near(doc, &state.plan, current, change));
            }
        }
        loaded
    }

    /// A change in sight; `None` where it cannot be read from the plan.
    pub fn change(&self, index: usize) -> Option<&ChangeRecord<'static>> {
        self.changes.get(&index)
    }
}
