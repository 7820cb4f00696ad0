//! Edits of a text: replacing byte ranges, composing one list after another, going back.
//!
//! A list of edits is always sorted and its ranges are disjoint; two edits may touch. Two
//! insertions at one place are in their order.

pub mod compose;

use crate::pattern::matches::GroupSpans;
use crate::span::Span;
use smallvec::SmallVec;
use std::num::NonZeroU64;
use std::sync::Arc;

/// Bytes that lie within an edit at most; with them, it takes no more than a pointer and two lengths would.
const WITHIN: usize = 16;

/// Bytes that an edit holds. A few of them lie within the edit: a table in which every row changes has an edit for each,
/// and memory for each of their texts took longer than to make them.
pub type EditBytes = SmallVec<[u8; WITHIN]>;

/// Takes bytes over; a few are copied into the place of the edit.
pub(crate) fn edit_bytes(bytes: Vec<u8>) -> EditBytes {
    match bytes.len() <= WITHIN {
        true => EditBytes::from_slice(&bytes),
        false => bytes.into(),
    }
}

/// A set of steps of one rewrite, counted from 0.
///
/// ```
/// use brisk_quill_core::edits::StepSet;
/// let both = StepSet::one(0).union(StepSet::one(2));
/// assert_eq!(both.iter().collect::<Vec<_>>(), [0, 2]);
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct StepSet(u128);

impl StepSet {
    /// The most steps that a rewrite may have.
    pub const MOST: usize = 128;

    /// The set of one step.
    ///
    /// # Panics
    ///
    /// When `step` is not below [`StepSet::MOST`].
    pub fn one(step: usize) -> Self {
        assert!(step < Self::MOST);
        Self(1 << step)
    }

    /// The steps of both sets.
    #[must_use]
    pub fn union(self, other: Self) -> Self {
        Self(self.0 | other.0)
    }

    /// The steps in order, counted from 0.
    pub fn iter(self) -> impl Iterator<Item = usize> {
        let mut left = self.0;
        std::iter::from_fn(move || {
            // Below MOST, so it fits.
            let step = (left != 0).then(|| left.trailing_zeros() as usize)?;
            left &= left - 1;
            Some(step)
        })
    }
}

/// The text of each group of one match.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct GroupTexts {
    /// All that any group took.
    text: EditBytes,
    /// Each group in it.
    spans: SmallVec<[Option<Span>; 2]>,
}

impl GroupTexts {
    /// Of a match in `unit`, given where its groups lie there.
    pub(crate) fn new(unit: &[u8], groups: GroupSpans<'_>) -> Self {
        let taken = groups.iter().flatten();
        let all =
            taken.reduce(|all, group| Span::new(all.from.min(group.from), all.to.max(group.to)));
        let all = all.unwrap_or_default();
        let within = |group: Span| Span::new(group.from - all.from, group.to - all.from);
        Self {
            text: EditBytes::from_slice(&unit[all.range()]),
            spans: groups.iter().map(|group| group.map(within)).collect(),
        }
    }

    /// The whole match, then each group by number; `None` took no part.
    pub fn iter(&self) -> impl Iterator<Item = Option<&[u8]>> {
        let text = |group: &Option<Span>| Some(&self.text[group.as_ref()?.range()]);
        self.spans.iter().map(text)
    }
}

/// One edit: the bytes of `span` become `text`.
///
/// ```
/// use brisk_quill_core::edits::splice;
/// assert_eq!(splice(b"berth 4", &[]), b"berth 4");
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Edit {
    /// The bytes that are replaced, counted from the start of the text.
    pub span: Span,
    /// The new bytes.
    pub text: EditBytes,
    /// Which steps made it.
    pub steps: StepSet,
    /// The groups of the match it comes from, where the pattern has any, they were asked for, and it comes from one.
    pub groups: Option<GroupTexts>,
    /// The change of the value, where all of it is one cell.
    pub cell: Option<Box<CellEdit>>,
    /// The row it is about, where that is to be named or shown.
    pub row: Option<Box<RowFacts>>,
    /// The parts of the new bytes that were copied, where that was asked for and is known.
    pub copied: Option<Box<[Copied]>>,
    /// The number of the line that `span` begins in, from 1, where the step that made it is the first and knew it.
    pub line: Option<NonZeroU64>,
}

/// A part of new text that was copied as it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Copied {
    /// In the new text of its edit.
    pub span: Span,
    /// The place it was copied from, counted from the start of what the edit replaces.
    pub from: isize,
}

/// The row of a change, as it was before.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RowFacts {
    /// The name, where rows are to be named.
    pub label: Option<Arc<str>>,
    /// Every column with its value, where rows are to be shown.
    pub fields: Vec<(Arc<str>, Vec<u8>)>,
}

/// Edits within a cell.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CellEdit {
    /// The name of its column.
    pub name: Arc<str>,
    /// The value before.
    pub value: EditBytes,
    /// The edits of that value; one lies within.
    pub edits: SmallVec<[Edit; 1]>,
}

impl CellEdit {
    /// The value after.
    pub fn now(&self) -> Vec<u8> {
        splice(&self.value, &self.edits)
    }
}

impl Edit {
    /// An edit of which no more is known.
    pub fn new(span: Span, text: EditBytes, steps: StepSet) -> Self {
        Self {
            span,
            text,
            steps,
            groups: None,
            cell: None,
            row: None,
            copied: None,
            line: None,
        }
    }

    /// Bytes by which the text grows.
    fn growth(&self) -> isize {
        // Slices are at most isize::MAX bytes long.
        self.text.len() as isize - self.span.len() as isize
    }
}

/// `text` with every edit made.
///
/// # Panics
///
/// When the edits are not sorted and disjoint, or reach beyond the text.
pub fn splice(text: &[u8], edits: &[Edit]) -> Vec<u8> {
    splice_part(text, Span::new(0, text.len()), edits)
}

/// The part `place` of `text` with the edits in it made.
pub(crate) fn splice_part(text: &[u8], place: Span, edits: &[Edit]) -> Vec<u8> {
    let growth: isize = edits.iter().map(Edit::growth).sum();
    let mut out = Vec::with_capacity(place.len().saturating_add_signed(growth));
    let mut at = place.from;
    for edit in edits {
        out.extend_from_slice(&text[at..edit.span.from]);
        out.extend_from_slice(&edit.text);
        at = edit.span.to;
    }
    out.extend_from_slice(&text[at..place.to]);
    out
}

/// The edits that lead from the spliced text back to `text`.
pub fn invert(text: &[u8], edits: &[Edit]) -> Vec<Edit> {
    let mut delta = 0;
    let inverse = |edit: &Edit| {
        let from = edit.span.from.saturating_add_signed(delta);
        delta += edit.growth();
        let span = Span::new(from, from + edit.text.len());
        let before = EditBytes::from_slice(&text[edit.span.range()]);
        Edit::new(span, before, edit.steps)
    };
    edits.iter().map(inverse).collect()
}

/// The origins of the bytes of a spliced text.
pub(crate) struct Origins {
    /// For each edit: where its text begins and ends in the spliced text, and where what it
    /// replaces begins and ends in the original.
    edits: Vec<(Span, Span)>,
}

impl Origins {
    pub fn new(edits: &[Edit]) -> Self {
        let mut delta = 0;
        let place = |edit: &Edit| {
            let from = edit.span.from.saturating_add_signed(delta);
            delta += edit.growth();
            (Span::new(from, from + edit.text.len()), edit.span)
        };
        Self {
            edits: edits.iter().map(place).collect(),
        }
    }

    /// The places of new text in the spliced text, in order.
    pub fn written(&self) -> Vec<Span> {
        self.edits.iter().map(|(new, _)| *new).collect()
    }

    /// The origin of offset `at` of the spliced text; for an offset in new text, where that
    /// text begins.
    pub fn of(&self, at: usize) -> usize {
        let next = self.edits.partition_point(|(new, _)| new.from <= at);
        match next.checked_sub(1).map(|last| self.edits[last]) {
            None => at,
            Some((new, old)) if at < new.to => old.from,
            Some((new, old)) => old.to + (at - new.to),
        }
    }
}
