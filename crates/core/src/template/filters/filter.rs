//! A filter, and the effect that it has once its arguments are known.

use crate::template::filters::argument::{Arguments, CallError, Operand};
use std::cell::Cell;

/// A filter.
///
/// ```
/// let mut filters = brisk_quill_core::template::filters::all();
/// let pad = filters.find(|filter| filter.name == "pad").expect("a filter");
/// assert_eq!(pad.arguments, "N [CHAR]");
/// ```
pub struct Filter {
    /// The name in a template.
    pub name: &'static str,
    /// The arguments as help shows them.
    pub arguments: &'static str,
    /// The clause that says what it does.
    pub does: &'static str,
    /// Examples: a value, the filter as it is called, and the text it gives.
    pub examples: &'static [(&'static str, &'static str, &'static str)],
    /// Reads its arguments.
    pub(super) read: fn(&mut Arguments<'_>) -> Result<Effect, CallError>,
}

/// The effect of a filter with its arguments.
pub(crate) struct Effect {
    /// The clause that says what it does with these arguments; `None` is that of the filter.
    pub(super) words: Option<String>,
    pub(super) can_fail: bool,
    /// The first argument is the path of a table, and the clause says what is done with it.
    pub(super) of_table: bool,
    pub(super) growth: Option<Box<Growth>>,
    pub(super) apply: Box<Apply>,
}

type Growth = dyn Fn(&str) -> usize + Send + Sync;

type Apply = dyn Fn(&Value<'_>) -> Result<String, Unfit> + Send + Sync;

/// A value that is passed through a filter.
pub(crate) struct Value<'v> {
    pub(super) text: &'v str,
    /// The group took part, or the value is of no group.
    pub(super) took_part: bool,
    pub(super) setting: &'v Setting<'v>,
}

/// Why a filter cannot work on a value: words that follow the value.
pub(crate) struct Unfit(pub(super) String);

impl<T: Into<String>> From<T> for Unfit {
    fn from(reason: T) -> Self {
        Self(reason.into())
    }
}

impl Value<'_> {
    /// The text that an operand stands for.
    pub(super) fn write(&self, operand: &Operand) -> String {
        match operand {
            Operand::Text(text) => text.clone(),
            Operand::Group(number) => (self.setting.group)(*number),
        }
    }
}

impl Effect {
    pub(super) fn new(
        apply: impl Fn(&Value<'_>) -> Result<String, Unfit> + Send + Sync + 'static,
    ) -> Self {
        Self {
            words: None,
            can_fail: false,
            of_table: false,
            growth: None,
            apply: Box::new(apply),
        }
    }

    /// One that works on every text.
    pub(super) fn plain(apply: impl Fn(&str) -> String + Send + Sync + 'static) -> Self {
        Self::new(move |value| Ok(apply(value.text)))
    }

    pub(super) fn worded(mut self, words: String) -> Self {
        self.words = Some(words);
        self
    }

    /// There are values that it cannot work on.
    pub(super) fn fallible(mut self) -> Self {
        self.can_fail = true;
        self
    }

    pub(super) fn of_table(mut self) -> Self {
        self.of_table = true;
        self
    }

    /// The value may become much longer: `growth` gives the bytes.
    pub(super) fn growing(
        mut self,
        growth: impl Fn(&str) -> usize + Send + Sync + 'static,
    ) -> Self {
        self.growth = Some(Box::new(growth));
        self
    }
}

/// The match that filters work for.
pub(in crate::template) struct Setting<'s> {
    /// The most bytes that a text may have on the way.
    pub most: usize,
    /// The text of a group; empty where it took no part.
    pub group: &'s dyn Fn(usize) -> String,
    /// Set where a number was read whose comma may stand between thousands.
    pub thousands: &'s Cell<bool>,
}
