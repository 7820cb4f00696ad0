//! The cursor moves in a list, and other rows of it are asked for.

use crate::draft::action::{Effect, ListView, Window};
use crate::draft::state::list::BACK;
use crate::draft::state::{ROWS, State};
use brisk_quill_engine::draft::row::{Row, RowPlace};

/// The rows beyond the cursor below which more are asked for.
const MARGIN: usize = 100;
/// Rows of a page.
const PAGE: isize = 10;

impl State {
    /// Numbers rows that came without a number, as those that were counted are.
    pub(super) fn number_rows(&mut self) {
        let counted = self.known.counted.as_ref();
        let counted = counted.filter(|_| self.are_rows_counted() && !self.is_stale());
        if let (None, Some(row), Some(counted)) = (self.list.first, self.list.rows.first(), counted)
        {
            self.list.first = counted.index.number_of(row.place);
        }
    }

    pub(super) fn move_by(&mut self, by: isize) -> Vec<Effect> {
        if matches!(self.window, Some(Window::Keys | Window::Hints)) {
            self.window_scroll = self.window_scroll.saturating_add_signed(by);
            return Vec::new();
        }
        if let Some(rows) = self.other_rows() {
            let next = self.other_cursor.saturating_add_signed(by);
            self.other_cursor = next.min(rows.saturating_sub(1));
            return Vec::new();
        }
        let list = &mut self.list;
        let next = list.cursor.saturating_add_signed(by);
        let goes_out = next + MARGIN >= list.rows.len() && !list.is_end && by > 0
            || list.cursor == 0 && by < 0 && list.from != RowPlace::default();
        list.go(next);
        match goes_out {
            true => self.ask_for_rows(by > 0),
            false => self.look_at_row(),
        }
    }

    /// Goes to the next mark of the row, or the one before; beyond them, to the next row that has some.
    pub(super) fn move_by_mark(&mut self, by: isize) -> Vec<Effect> {
        if self.window.is_some() || self.other_rows().is_some() {
            return self.move_by(by);
        }
        let list = &mut self.list;
        if let Some(next) = list.mark.checked_add_signed(by)
            && next < list.marks()
        {
            list.mark = next;
            return Vec::new();
        }
        // In a result, and in all text, lines without marks lie between.
        let is_marked = |row: &Row| !row.was.marks.is_empty();
        let steps = match by > 0 {
            true => (list.rows.iter().skip(list.cursor + 1)).position(is_marked),
            false => (list.rows.iter().take(list.cursor).rev()).position(is_marked),
        };
        // Beyond the rows that are here, a page is asked for.
        let rows = steps.map_or(PAGE, |steps| steps as isize + 1);
        let effects = self.move_by(by.signum() * rows);
        if by < 0 {
            self.list.mark = self.list.marks().saturating_sub(1);
        }
        effects
    }

    /// The rows of the list of examples or of tries, where that is shown.
    fn other_rows(&self) -> Option<usize> {
        match self.view {
            ListView::Examples => Some(self.steps[self.step].examples.len()),
            ListView::Tries => Some(self.tries.len()),
            ListView::Changes
            | ListView::Matches
            | ListView::Misses
            | ListView::Units
            | ListView::Result
            | ListView::Differences => None,
        }
    }

    /// Asks for the rows around the cursor, most of them on one side of it.
    fn ask_for_rows(&mut self, forward: bool) -> Vec<Effect> {
        if !self.known.is_done {
            // They are on their way.
            return self.look_at_row();
        }
        let are_counted = self.are_rows_counted();
        let list = &mut self.list;
        let Some(place) = list.current().map(|row| row.place) else {
            return Vec::new();
        };
        let counted = self.known.counted.as_ref();
        let counted = counted.filter(|_| are_counted);
        let before = if forward { ROWS / 4 } else { ROWS / 2 };
        list.from = match (counted, list.first) {
            (Some(counted), Some(first)) => {
                let row = (first + list.cursor as u64).saturating_sub(before as u64);
                counted.index.before(row).1
            }
            _ if forward => list.rows[list.cursor.saturating_sub(before)].place,
            _ if place.at > BACK => RowPlace {
                at: place.at - BACK,
                ..place
            },
            _ => RowPlace {
                file: place.file.saturating_sub(usize::from(place.at == 0)),
                at: 0,
            },
        };
        list.anchor = place;
        vec![self.evaluate(false)]
    }

    pub(super) fn go_to_end(&mut self, first: bool) -> Vec<Effect> {
        if let Some(rows) = self.other_rows() {
            self.other_cursor = if first { 0 } else { rows.saturating_sub(1) };
            return Vec::new();
        }
        let are_counted = self.are_rows_counted();
        let list = &mut self.list;
        let has_end = match first {
            true => list.from == RowPlace::default(),
            false => list.is_end,
        };
        if has_end {
            list.go(if first { 0 } else { usize::MAX });
            return self.look_at_row();
        }
        if first {
            list.anchor = RowPlace::default();
            list.from = RowPlace::default();
            return vec![self.evaluate(false)];
        }
        let counted = self.known.counted.as_ref();
        let Some(counted) = counted.filter(|_| are_counted) else {
            list.go(usize::MAX);
            return self.look_at_row();
        };
        let last = counted.index.len().saturating_sub(1);
        list.from = counted.index.before(last.saturating_sub(ROWS as u64 / 4)).1;
        list.anchor = RowPlace {
            file: usize::MAX,
            at: 0,
        };
        vec![self.evaluate(false)]
    }

    pub(super) fn go_to_file(&mut self, forward: bool) -> Vec<Effect> {
        let are_counted = self.are_rows_counted();
        let list = &mut self.list;
        let Some(file) = list.current().map(|row| row.place.file) else {
            return Vec::new();
        };
        let beside = match forward {
            true => list.rows.iter().position(|row| row.place.file > file),
            false => {
                let before = list.rows.iter().rev().find(|row| row.place.file < file);
                let before = before.map(|row| row.place.file);
                before.and_then(|file| list.rows.iter().position(|row| row.place.file == file))
            }
        };
        if let Some(row) = beside {
            list.go(row);
            return self.look_at_row();
        }
        let counted = self.known.counted.as_ref();
        let counted = counted.filter(|_| are_counted);
        match counted.and_then(|counted| counted.index.file_beside(file, forward)) {
            Some(file) if !(list.is_end && forward) => {
                list.from = RowPlace { file, at: 0 };
                list.anchor = list.from;
                vec![self.evaluate(false)]
            }
            _ => {
                self.message = "there is no other file that way".into();
                Vec::new()
            }
        }
    }
}
