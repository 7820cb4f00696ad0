//! The actions of a draft, and what they open and ask.

use crate::draft::request::FieldName;
use crate::draft::worker::{Job, RowJob};
use crate::full_screen::field::Edit;
use brisk_quill_engine::worked_examples::WantedText;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// Something the user wants.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Action {
    /// The effect of a key in the field that has the focus.
    Edit(Edit),
    /// Completes the name before the cursor, or goes on to the next field.
    Complete,
    /// The next part of the screen, or the one before it.
    Focus(isize),
    FocusOn(Focus),
    /// So many rows forward, or back.
    Move(isize),
    /// The next match or change, or the one before, within its line or beyond.
    Mark(isize),
    First,
    Last,
    /// The next file with rows, or the one before it.
    File(isize),
    Sideways(isize),
    /// Wrap long lines, or show a part of each.
    Wrap,
    View(ListView),
    /// The next step, or the one before it.
    Step(isize),
    AddStep,
    RemoveStep,
    /// The next try, or the one before it.
    Try(isize),
    /// Compares with the try at the cursor, or again with the last one.
    Against,
    Undo,
    Redo,
    /// Makes an example of the row at the cursor.
    Example(WantedText),
    /// Drops the example at the cursor.
    DropExample,
    /// Fills the fields with a rewrite inferred from the examples, or with the next one.
    Infer,
    Open(Window),
    /// Applies the remedy of this hint, from 0.
    Remedy(usize),
    /// Takes what was typed, or goes down into the row at the cursor.
    Enter,
    Back,
    /// Goes to the sample, to type it.
    Sample,
    /// Puts a text into the sample, and looks at that.
    Paste(String),
    /// Looks at the files again, or at the sample again.
    Files,
    /// Looks for the files again, and reads them anew.
    ReadAgain,
    Leave(Leave),
}

/// The part of the screen that keys go to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Focus {
    Field(FieldName),
    List,
    /// The sample, which is being typed.
    Sample,
}

impl Focus {
    /// All parts, in order, the sample last: there is one only where one looks at it.
    pub const ALL: [Self; 5] = [
        Self::Field(FieldName::Pattern),
        Self::Field(FieldName::Template),
        Self::Field(FieldName::Options),
        Self::List,
        Self::Sample,
    ];
}

/// The list that is shown.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub enum ListView {
    #[default]
    Changes,
    Matches,
    Misses,
    Units,
    Differences,
    Examples,
    Tries,
    Result,
}

impl ListView {
    pub const ALL: [Self; 8] = [
        Self::Changes,
        Self::Matches,
        Self::Misses,
        Self::Units,
        Self::Differences,
        Self::Examples,
        Self::Tries,
        Self::Result,
    ];

    pub fn name(self) -> &'static str {
        match self {
            Self::Changes => "changes",
            Self::Matches => "matches",
            Self::Misses => "misses",
            Self::Units => "all text",
            Self::Differences => "difference",
            Self::Examples => "examples",
            Self::Tries => "tries",
            Self::Result => "result",
        }
    }

    /// The name where there is little room.
    pub fn short_name(self) -> &'static str {
        match self {
            Self::Units => "text",
            Self::Differences => "differ",
            other => other.name(),
        }
    }
}

/// A box over the rest.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Window {
    /// The list of keys.
    Keys,
    /// Hints and problems.
    Hints,
    /// The way to leave.
    Leave,
    /// The name of a rewrite file is being typed.
    Save,
    /// The wanted text of an example is being typed.
    WantedText,
}

/// The way to leave.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Leave {
    /// Review the changes.
    Review,
    /// Print the command line that says the same.
    Print,
    /// Close the draft.
    Close,
    /// Leave at once; the draft opens again where it was.
    AtOnce,
}

/// The work to be done outside.
#[derive(Clone, Debug)]
pub enum Effect {
    Evaluate(Box<Job>),
    Row(Box<RowJob>),
    /// The state is to be kept, for a draft that is not closed.
    Keep,
    /// A rewrite file is to be written.
    Save(PathBuf),
    Leave(Leave),
}
