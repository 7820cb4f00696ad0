//! The places that a draft matches or changes, and how those of two drafts differ.

use crate::compare::side_by_side;

/// Places that are kept, of all files together.
pub const PLACES_MOST: usize = 2_000_000;

/// A place in a file, as it is on disk.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Place {
    /// The first byte, from 0.
    pub from: u64,
    /// One past the last byte.
    pub to: u64,
    /// A hash of the new text; 0 of a match.
    pub text: u64,
}

/// The places of each file, in order.
///
/// ```
/// use brisk_quill_engine::draft::places::{Place, PlaceCounts, Places};
/// let place = |from, text| Place { from, to: from + 2, text };
/// let last = Places::of(vec![vec![place(0, 1), place(10, 1), place(20, 1)]]);
/// let this = Places::of(vec![vec![place(0, 1), place(10, 2), place(30, 1)]]);
/// let wanted = PlaceCounts { same: 1, only_last: 1, only_this: 1, different: 1 };
/// assert_eq!(last.compared_with(&this), Some(wanted));
/// ```
#[derive(Debug, Default)]
pub struct Places {
    files: Vec<Vec<Place>>,
    /// True if they are those of changes, and not of matches.
    is_of_changes: bool,
    /// There were more than are kept.
    is_cut: bool,
}

/// Places counted by what two drafts do there.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct PlaceCounts {
    /// Both do the same.
    pub same: u64,
    /// The last one alone does something.
    pub only_last: u64,
    /// This one alone does something.
    pub only_this: u64,
    /// Both do something, but not the same.
    pub different: u64,
}

/// The relation of two drafts at a place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PlaceStatus {
    /// Both do the same.
    Same,
    /// The last one alone does something.
    OnlyLast,
    /// This one alone does something.
    OnlyThis,
    /// Both do something, but not the same.
    Different,
}

impl Places {
    /// The places of changes by file; those of each file are in order and disjoint.
    pub fn of(files: Vec<Vec<Place>>) -> Self {
        Self {
            files,
            is_of_changes: true,
            is_cut: false,
        }
    }

    /// No places yet, of changes or of matches.
    pub(crate) fn none(is_of_changes: bool) -> Self {
        Self {
            is_of_changes,
            ..Self::default()
        }
    }

    /// Adds those of the next file; `None` are more than are kept.
    pub(crate) fn push(&mut self, file: Option<Vec<Place>>) {
        match file {
            Some(file) => self.files.push(file),
            None => {
                self.is_cut = true;
                self.files = Vec::new();
            }
        }
    }

    /// Compares these, which are the last, with those of this time; `None` where not all were
    /// kept.
    pub fn compared_with(&self, this: &Self) -> Option<PlaceCounts> {
        let mut counts = PlaceCounts::default();
        self.each_against(this, |_, status, _, _| {
            *match status {
                PlaceStatus::Same => &mut counts.same,
                PlaceStatus::OnlyLast => &mut counts.only_last,
                PlaceStatus::OnlyThis => &mut counts.only_this,
                PlaceStatus::Different => &mut counts.different,
            } += 1;
        })?;
        Some(counts)
    }

    /// Shows each place, in order: its file, what is done there, and by whom. `None` where not all
    /// were kept.
    pub fn each_against(
        &self,
        this: &Self,
        mut visit: impl FnMut(usize, PlaceStatus, Option<Place>, Option<Place>),
    ) -> Option<()> {
        if self.is_cut || this.is_cut {
            return None;
        }
        let none = Vec::new();
        // Matches and changes are compared by where they are.
        let by_text = self.is_of_changes && this.is_of_changes;
        let is_same = |a: &Place, b: &Place| {
            (a.from, a.to) == (b.from, b.to) && (!by_text || a.text == b.text)
        };
        for file in 0..self.files.len().max(this.files.len()) {
            let last = self.files.get(file).unwrap_or(&none);
            let this = this.files.get(file).unwrap_or(&none);
            let range = |place: &&Place| (place.from, place.to);
            side_by_side(last, this, range, |last, this| {
                let status = match (last, this) {
                    (_, None) => PlaceStatus::OnlyLast,
                    (None, _) => PlaceStatus::OnlyThis,
                    (Some(last), Some(this)) if is_same(last, this) => PlaceStatus::Same,
                    (Some(_), Some(_)) => PlaceStatus::Different,
                };
                visit(file, status, last.copied(), this.copied());
            });
        }
        Some(())
    }
}
