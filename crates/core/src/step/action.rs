//! The actions of steps.

use crate::columns::list::Column;
use crate::template::Template;
use std::collections::BTreeMap;

/// The action of a step.
///
/// A new one needs more than a variant: see `step/actions.rs`.
#[derive(Clone, Debug)]
pub enum Action {
    /// Each match becomes what the template writes.
    Replace(Template),
    /// Each match is taken out.
    Remove,
    /// Each line with a match goes, with its line end.
    DropLines,
    /// Each line in scope without a match goes.
    DropOtherLines,
    /// A line is inserted above each line with a match.
    Above(Template),
    /// A line is inserted below each line with a match.
    Below(Template),
    /// Text is put at the start of each unit with a match.
    Lead(Template),
    /// Text is put at the end of each unit with a match.
    Trail(Template),
    /// Each character of a match, which is a run of them, becomes another.
    SwapChars(BTreeMap<char, char>),
    /// Cells of each row with a match are written anew, and columns are added to all rows.
    Cells(Vec<CellText>),
}

/// The text for one cell of a row.
#[derive(Clone, Debug)]
pub struct CellText {
    /// The cell that takes it.
    pub target: CellTarget,
    /// The text, written for the first match in the row.
    pub template: Template,
}

/// The cell of a row that takes a text.
#[derive(Clone, Debug)]
pub enum CellTarget {
    /// The cell of a column that is there.
    Column(Column),
    /// The cell of a column of this name, which is added at the end; it is empty in rows without
    /// a match.
    Added(String),
}

impl Action {
    /// The template that it writes for each match or unit, where it has one.
    pub fn template(&self) -> Option<&Template> {
        match self {
            Self::Replace(template)
            | Self::Above(template)
            | Self::Below(template)
            | Self::Lead(template)
            | Self::Trail(template) => Some(template),
            Self::Remove
            | Self::DropLines
            | Self::DropOtherLines
            | Self::SwapChars(_)
            | Self::Cells(_) => None,
        }
    }

    /// Every template that it writes: one for each match or unit, or one for each cell.
    pub fn templates(&self) -> impl Iterator<Item = &Template> {
        let cells = match self {
            Self::Cells(cells) => cells.as_slice(),
            Self::Replace(_)
            | Self::Remove
            | Self::DropLines
            | Self::DropOtherLines
            | Self::Above(_)
            | Self::Below(_)
            | Self::Lead(_)
            | Self::Trail(_)
            | Self::SwapChars(_) => &[],
        };
        let of_cells = cells.iter().map(|cell| &cell.template);
        self.template().into_iter().chain(of_cells)
    }

    /// True if it acts on whole rows, and not on the cells with the matches.
    pub fn is_for_rows(&self) -> bool {
        matches!(self, Self::Cells(_))
    }

    /// True if it acts on whole lines.
    pub fn is_for_lines(&self) -> bool {
        matches!(
            self,
            Self::DropLines | Self::DropOtherLines | Self::Above(_) | Self::Below(_)
        )
    }
}
