//! The choice of the texts that are looked at: the files, or a sample.

use crate::draft::action::{Effect, Focus};
use crate::draft::state::State;
use crate::full_screen::field::Edit;

impl State {
    /// Goes to the sample, to type it.
    pub(super) fn go_to_sample(&mut self) -> Vec<Effect> {
        self.focus = Focus::Sample;
        if self.sample.is_on() {
            return Vec::new();
        }
        self.look_at_sample(true)
    }

    /// Looks at the files, or at the sample again.
    pub(super) fn change_texts(&mut self) -> Vec<Effect> {
        let on = !self.sample.is_on();
        self.focus = Focus::List;
        self.message = match on {
            true => "the sample; `S` goes back to the files".into(),
            false => "the files; `S` goes back to the sample".into(),
        };
        self.look_at_sample(on)
    }

    /// Takes a pasted text as the sample.
    pub(super) fn paste_sample(&mut self, text: &str) -> Vec<Effect> {
        self.sample.field.set(text);
        self.message =
            "the text that was pasted is the sample: `s` changes it, `S` goes back to the files"
                .into();
        let mut effects = self.look_at_sample(true);
        effects.push(Effect::Keep);
        effects
    }

    pub(super) fn type_sample(&mut self, edit: Edit) -> Vec<Effect> {
        self.sample.field.edit(edit);
        match self
            .sample
            .looked_at()
            .is_some_and(|text| **text == *self.sample.field.text())
        {
            true => Vec::new(),
            false => self.look_at_sample(true),
        }
    }

    fn look_at_sample(&mut self, on: bool) -> Vec<Effect> {
        self.sample.turn(on);
        self.forget_detail();
        self.list.begin_at_cursor();
        vec![self.evaluate(false)]
    }
}
