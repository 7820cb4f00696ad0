//! The part of the data that a step must see as a whole.

use crate::query::Per;
use crate::step::Step;
use crate::step::actions::Action;
use crate::template::Template;
use crate::unit::UnitKind;
use std::fmt;
use std::str::FromStr;

/// The part of the data that a step must see as a whole, so that it does the same in a part of it.
///
/// ```
/// use brisk_quill_core::step::reach::Reach;
/// assert!(Reach::Line < Reach::Run);
/// assert_eq!("file".parse(), Ok(Reach::File));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Reach {
    /// Each line by itself.
    Line,
    /// Each file by itself.
    File,
    /// All files, in order.
    Run,
}

impl Reach {
    /// The name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Line => "line",
            Self::File => "file",
            Self::Run => "run",
        }
    }
}

impl fmt::Display for Reach {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

impl FromStr for Reach {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let all = [Self::Line, Self::File, Self::Run];
        let found = all.into_iter().find(|reach| reach.name() == text);
        found.ok_or_else(|| "write `line`, `file` or `run`".to_owned())
    }
}

impl Step {
    /// The part of the data that it must see as a whole, and the key that is the reason, where that is more than
    /// a line.
    pub fn reach(&self) -> (Reach, Option<&'static str>) {
        let query = &self.query;
        let (scope, pick) = (&query.scope, &query.pick);
        let picks = !pick.spec.is_all();
        let mut templates = self.action.templates();
        let counts = self.action.templates().any(Template::counts);
        let of_unit = if query.columns.is_some() {
            "columns"
        } else {
            "unit"
        };
        let of_lines = match self.action {
            Action::Above(_) => Some("above"),
            Action::Below(_) => Some("below"),
            _ => None,
        };
        let reasons = [
            (query.limit.is_some(), Reach::Run, "limit"),
            (picks && pick.per == Per::Run, Reach::Run, "per"),
            (counts, Reach::Run, "with"),
            (!self.expect.is_empty(), Reach::Run, "expect"),
            (query.unit != UnitKind::Line, Reach::File, of_unit),
            (!scope.blocks.is_empty(), Reach::File, "between"),
            (!scope.near.is_empty(), Reach::File, "near"),
            (!scope.lines.is_all(), Reach::File, "lines"),
            (picks && pick.per == Per::File, Reach::File, "per"),
            (templates.any(Template::writes_line), Reach::File, "with"),
            // The line end of what is inserted is that of the lines around it.
            (
                of_lines.is_some(),
                Reach::File,
                of_lines.unwrap_or_default(),
            ),
        ];
        let found = reasons.into_iter().find(|(holds, ..)| *holds);
        found.map_or((Reach::Line, None), |(_, reach, key)| (reach, Some(key)))
    }
}
