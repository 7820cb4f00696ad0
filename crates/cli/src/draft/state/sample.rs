//! The sample of a draft: a text that is typed or pasted, and looked at in the place of the files.

use crate::draft::saved::SampleText;
use crate::full_screen::field::Field;
use std::sync::Arc;

/// The sample, as it is typed.
#[derive(Debug, Default)]
pub struct Sample {
    pub field: Field,
    /// The same text, for the worker; `None` where the files are looked at.
    looked_at: Option<Arc<str>>,
}

impl Sample {
    pub fn of(saved: &SampleText) -> Self {
        let field = Field::new(&saved.text);
        Self {
            looked_at: saved.is_on.then(|| field.text().into()),
            field,
        }
    }

    pub fn saved(&self) -> SampleText {
        SampleText {
            text: self.field.text().to_owned(),
            is_on: self.is_on(),
        }
    }

    /// True if it is looked at, and not the files.
    pub fn is_on(&self) -> bool {
        self.looked_at.is_some()
    }

    /// The text that is looked at in the place of the files.
    pub fn looked_at(&self) -> Option<&Arc<str>> {
        self.looked_at.as_ref()
    }

    /// Looks at what is typed by now, or not at it.
    pub fn turn(&mut self, on: bool) {
        self.looked_at = on.then(|| self.field.text().into());
    }
}
