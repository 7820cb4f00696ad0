//! New text that is typed in a review.

use crate::full_screen::field::Field;
use crate::review::action::{Effect, Texts, View};
use crate::review::state::State;
use crate::review::state::kind_list::KindRow;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::plan::text_of;

impl State {
    pub(super) fn begin_modifying(&mut self, texts: &dyn Texts) {
        let Some((index, change)) = self.current().and_then(|i| Some((i, texts.change(i)?))) else {
            return;
        };
        let Ok(text) = text_of(&change) else { return };
        let after = match self.plan.modified.get(&index) {
            Some(modified) => modified.clone(),
            None => text.after.to_vec(),
        };
        self.editor = Field::new(&texts.value(index, &change, &after));
        self.view = View::Modify;
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
        let Some(written) = texts.written(index, &change, &value) else {
            self.message = "this text cannot be written there; nothing has been decided".into();
            return Effect::None;
        };
        let Ok(text) = text_of(&change) else {
            return Effect::None;
        };
        // A text that changes nothing refuses; one that says the same accepts.
        let decided = if *text.before == *written {
            (Decision::Refused, None)
        } else if *text.after == *written {
            (Decision::Accepted, None)
        } else {
            (Decision::Modified, Some(written))
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
