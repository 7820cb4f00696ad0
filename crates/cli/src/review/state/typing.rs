//! New text that is typed in a review.

use crate::full_screen::field::{Edit, Field};
use crate::review::action::{Effect, Texts, View};
use crate::review::state::State;
use crate::review::state::beside::Beside;
use crate::review::state::kind_list::KindRow;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::plan::modified::Modified;
use brisk_quill_core::plan::text_of;

impl State {
    pub(super) fn begin_modifying(&mut self, texts: &dyn Texts) {
        let Some((index, change)) = self.current().and_then(|i| Some((i, texts.change(i)?))) else {
            return;
        };
        let Ok(text) = text_of(&change) else { return };
        let modified = self.plan.modified.get(&index);
        let after = match modified {
            Some(modified) => modified.text.clone(),
            None => text.after.to_vec(),
        };
        let around = match change.cell {
            // Of a cell the value is typed, and that is all of it.
            Some(_) => Default::default(),
            None => texts.beside(&self.plan, index, &change),
        };
        let wider = modified.and_then(|modified| modified.wider.as_ref());
        self.beside = Beside::new(around, text.before.len(), wider);
        self.editor = Field::new(&texts.value(index, &change, &after));
        self.view = View::Modify;
    }

    /// A key in an input line. Beyond the ends of a change that is being modified, the cursor widens it.
    pub(super) fn edit(&mut self, edit: Edit) {
        let is_modifying = self.view == View::Modify;
        let at_end = self.editor.cursor() == self.editor.text().len();
        match edit {
            Edit::Left if is_modifying && self.editor.cursor() == 0 => {
                if let Some(text) = self.beside.widen_left() {
                    self.editor.edit(Edit::Insert(text));
                    self.editor.edit(Edit::Home);
                }
            }
            Edit::Right if is_modifying && at_end => {
                if let Some(text) = self.beside.widen_right() {
                    self.editor.edit(Edit::Insert(text));
                }
            }
            edit => self.editor.edit(edit),
        }
    }

    pub(super) fn enter(&mut self, texts: &dyn Texts) -> Effect {
        match self.view {
            View::Modify => self.end_modifying(texts),
            View::Find => {
                self.needle = self.editor.text().to_owned();
                self.view = View::Changes;
                self.list(texts);
                Effect::None
            }
            View::Kinds => {
                match self.kind_list.rows.get(self.kind_cursor) {
                    Some(KindRow::Group(group)) => self.kind_list.fold(*group, &self.kinds),
                    // Down into the kind: its changes alone.
                    Some(KindRow::Kind(kind)) => {
                        self.only_kind = u32::try_from(*kind).ok();
                        self.view = View::Changes;
                        self.list(texts);
                    }
                    None => {}
                }
                Effect::None
            }
            _ => {
                self.view = View::Changes;
                Effect::None
            }
        }
    }

    pub(super) fn end_modifying(&mut self, texts: &dyn Texts) -> Effect {
        self.view = View::Changes;
        let Some((index, change)) = self.current().and_then(|i| Some((i, texts.change(i)?))) else {
            return Effect::None;
        };
        let value = self.editor.text().to_owned();
        let Ok(text) = text_of(&change) else {
            return Effect::None;
        };
        let modified = match change.cell {
            Some(_) => texts.written(index, &change, &value).map(Modified::of),
            None => texts
                .written(index, &change, &value)
                .map(|_| self.beside.modified(&text.before, &value)),
        };
        let Some(modified) = modified else {
            self.message = "this text cannot be written there; nothing has been decided".into();
            return Effect::None;
        };
        // A text that changes nothing refuses; one that says the same accepts.
        let is_narrow = modified.wider.is_none();
        let old = modified
            .wider
            .as_ref()
            .map_or(&*text.before, |wider| &wider.before);
        let decided = if *old == *modified.text {
            (Decision::Refused, None)
        } else if is_narrow && *text.after == *modified.text {
            (Decision::Accepted, None)
        } else {
            (Decision::Modified, Some(modified))
        };
        let name = decided.0.name();
        let effect = self.make(vec![(index, decided)]);
        // What was typed is shown before anything else is.
        self.message = format!(
            "{} is {name}: ↓ goes on, u undoes that",
            self.plan.id(index)
        );
        effect
    }
}
