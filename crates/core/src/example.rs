//! Worked examples of a step or a rewrite.

use crate::columns::layout::Format;
use serde::{Deserialize, Serialize};

/// One example: a text before and after, or one that stays as it is.
///
/// ```
/// use brisk_quill_core::example::Example;
/// let example = Example::change("berth 4", "B-04");
/// assert_eq!(example.pair(), Some(("berth 4", "B-04")));
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Example {
    /// The text to be rewritten.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
    /// The text that must come of it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub after: Option<String>,
    /// A text that must not change.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub untouched: Option<String>,
    /// The format of the columns of the text, where neither the step nor its columns say it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub format: Option<String>,
}

impl Example {
    /// An example of a change.
    pub fn change(before: &str, after: &str) -> Self {
        Self {
            before: Some(before.to_owned()),
            after: Some(after.to_owned()),
            ..Self::default()
        }
    }

    /// The text to be rewritten and the one that must come of it; `None` where it is neither a
    /// pair nor a text to be left alone, or of no known format.
    pub fn pair(&self) -> Option<(&str, &str)> {
        if self.format.is_some() && self.known_format().is_none() {
            return None;
        }
        match (&self.before, &self.after, &self.untouched) {
            (Some(before), Some(after), None) => Some((before, after)),
            (None, None, Some(text)) => Some((text, text)),
            _ => None,
        }
    }

    /// The format it names, where it names one that is known.
    pub fn known_format(&self) -> Option<Format> {
        Format::named(self.format.as_deref()?)
    }
}
