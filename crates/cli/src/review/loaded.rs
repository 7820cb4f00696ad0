//! The part of a plan and of its files that a screen shows, loaded before it is drawn.

use crate::review::action::View;
use crate::review::state::State;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_engine::cell_values::CellValues;
use brisk_quill_engine::context::row::rest_of_row;
use brisk_quill_engine::context::{
    FileRow, Surroundings, beside, surroundings, whole, words_beside,
};
use brisk_quill_files::plan_file::PlanDoc;
use std::collections::HashMap;
use std::io;

/// Samples of a row of the list of kinds.
pub const SAMPLES: usize = 3;

/// The contents of one screen.
pub struct Loaded {
    changes: HashMap<usize, ChangeRecord<'static>>,
    /// A word before and behind each change in sight.
    words: HashMap<usize, (String, String)>,
    /// The lines around the current change; `None` where its file is not what it was, or is not
    /// text in UTF-8.
    pub near: Option<Surroundings>,
    /// The other columns of the row of the current change, where that is a cell.
    pub row: Option<Vec<(String, Vec<u8>)>>,
    /// Changes of the current row of the list of kinds, with the text of their lines before and
    /// behind them.
    pub samples: Vec<(usize, ChangeRecord<'static>, (String, String))>,
    /// The rows of the file of the current change with what is accepted, and the row of that
    /// change, from 0; `None` unless the file is to be shown.
    pub file: Option<io::Result<(Vec<FileRow>, usize)>>,
}

impl Loaded {
    /// Loads what a screen of this many rows shows of a review.
    pub fn new(doc: &PlanDoc, values: &CellValues, state: &State, rows: usize) -> Self {
        let mut loaded = Self {
            changes: HashMap::new(),
            words: HashMap::new(),
            near: None,
            row: None,
            samples: Vec::new(),
            file: None,
        };
        let Some(current) = state.current() else {
            return loaded;
        };
        match state.view {
            View::Kinds => {
                let sample = |index: usize| {
                    let change = doc.change(index).ok()?;
                    let line = beside(doc, &state.plan, (index, &change));
                    Some((index, change, line.unwrap_or_default()))
                };
                let samples = state.samples(SAMPLES).into_iter();
                loaded.samples = samples.filter_map(sample).collect();
            }
            View::File => loaded.file = Some(whole(doc, &state.plan, current, state.shows_old)),
            View::Changes
            | View::Modify
            | View::Find
            | View::Keys
            | View::Hints
            | View::Every
            | View::Leave
            | View::Ask
            | View::AskDrop => {
                // The list begins at most half a screen before the current change.
                let first = state.cursor.saturating_sub(rows / 2);
                let shown = state.listed.iter().skip(first).take(rows / 2 + rows);
                let read = |index: &usize| Some((*index, doc.change(*index).ok()?));
                loaded.changes = shown.filter_map(read).collect();
                let words = |(index, change): (&usize, &ChangeRecord<'static>)| {
                    let has_line = change.cell.is_none();
                    let words =
                        has_line.then(|| words_beside(doc, &state.plan, (*index, change)))?;
                    Some((*index, words?))
                };
                loaded.words = loaded.changes.iter().filter_map(words).collect();
                let change = loaded.change(current);
                let place = change.map(|change| (current, change));
                loaded.row = place.and_then(|of| rest_of_row(doc, &state.plan, values, of));
                let without = loaded.change(current).filter(|_| loaded.row.is_none());
                loaded.near =
                    without.and_then(|change| surroundings(doc, &state.plan, current, change));
            }
        }
        loaded
    }

    /// A word before and behind a change in sight.
    pub fn words(&self, index: usize) -> (&str, &str) {
        let words = self.words.get(&index);
        words.map_or(("", ""), |(before, after)| (before, after))
    }

    /// A change in sight; `None` where it cannot be read from the plan.
    pub fn change(&self, index: usize) -> Option<&ChangeRecord<'static>> {
        self.changes.get(&index)
    }
}
