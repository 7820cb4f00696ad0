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
        // The list begins at most half a screen before the current change.
        let listed = state.listed.iter().skip(state.cursor.saturating_sub(rows));
        let shown = listed.take(2 * rows).copied().chain(state.current());
        let changes: HashMap<_, _> = shown
            .filter_map(|index| Some((index, doc.change(index).ok()?)))
            .collect();
        let current = state.current();
        let around = |index| near(doc, &state.plan, index, changes.get(&index)?);
        let near = current.and_then(around);
        let file = current.filter(|_| state.view == View::File);
        Self {
            near,
            file: file.map(|index| whole(doc, &state.plan, index)),
            changes,
        }
    }

    /// A change in sight; `None` where it cannot be read from the plan.
    pub fn change(&self, index: usize) -> Option<&ChangeRecord<'static>> {
        self.changes.get(&index)
    }
}
