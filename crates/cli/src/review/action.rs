//! The actions of a review, and what they open and ask.

use crate::full_screen::field::Edit;
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::records::plan::ChangeRecord;

/// Something the user wants.
#[derive(Clone, Debug, PartialEq)]
pub enum Action {
    /// So many changes forward, or back.
    Step(isize),
    First,
    Last,
    NextFile,
    PreviousFile,
    NextOfKind,
    PreviousOfKind,
    /// Decide about the current change, and go on to the next that is open.
    Decide(Decision),
    /// Decide about several at once.
    Every(Group, Decision),
    /// Decide about all changes of the row at the cursor of the list of kinds.
    OfKindRow(Decision),
    Undo,
    Redo,
    /// Begins to modify the change at the cursor.
    Modify,
    /// The effect of an action in an input line.
    Edit(Edit),
    /// Take what was typed.
    Enter,
    OnlyOpen,
    Find,
    /// Only the changes of the current kind, or all again.
    OnlyKind,
    Show(View),
    /// Moves the file by this many rows.
    Scroll(isize),
    /// Shows old text in the whole file, too, or no longer.
    ShowOld,
    Back,
    Leave(Leave),
}

/// Changes that are decided about together.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Group {
    Kind,
    File,
    /// All that are open.
    Rest,
}

/// The contents of the screen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum View {
    /// The list of changes, and the current one.
    #[default]
    Changes,
    /// The list of kinds.
    Kinds,
    /// All of the file, with what is accepted.
    File,
    /// Which changes to decide about together.
    Every,
    /// The list of keys.
    Keys,
    /// The hints about the plan.
    Hints,
    /// The way to leave.
    Leave,
    /// The question that comes before anything is written.
    Ask,
    /// The question that comes before decisions are forgotten.
    AskDrop,
    /// The new text is being modified.
    Modify,
    /// A text to look for is being typed.
    Find,
}

/// The way to leave.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Leave {
    /// Write what is accepted.
    Apply,
    /// Accept all that is open, and write that too.
    AcceptRest,
    /// Keep the decisions and go on later.
    Later,
    /// Forget the decisions of this review.
    Drop,
}

/// The work to be done outside.
#[derive(Clone, Debug, PartialEq)]
pub enum Effect {
    /// Nothing.
    None,
    /// These decisions are to be written down.
    Write(Vec<usize>),
    /// The review is over; these decisions are still to be written down.
    End(Leave, Vec<usize>),
}

/// Gives the texts of changes.
pub trait Texts {
    fn change(&self, index: usize) -> Option<ChangeRecord<'static>>;

    /// The new text of a change as `value`, written as its file needs it; `None` where it cannot
    /// hold it.
    fn written(&self, index: usize, change: &ChangeRecord<'_>, value: &str) -> Option<Vec<u8>>;

    /// The text of its line before and behind a change, up to other changes: what it can be widened
    /// into.
    fn beside(&self, plan: &PlanIndex, index: usize, change: &ChangeRecord<'_>)
    -> (String, String);

    /// The new text that `bytes` stand for.
    fn value(&self, index: usize, change: &ChangeRecord<'_>, bytes: &[u8]) -> String;
}
