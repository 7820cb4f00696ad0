//! The list of kinds: by text, or by shape with those of some shapes unfolded.

use brisk_quill_core::kind_shapes::{ShapeGroup, by_shape, elided};
use brisk_quill_core::shapes::Shape;
use brisk_quill_files::plan_file::PlanKinds;
use std::collections::BTreeSet;

/// Columns that a shape takes at most.
const SHAPE_MOST: usize = 36;

/// A row of the list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum KindRow {
    /// A pair of shapes, by its number from 0.
    Group(usize),
    /// A kind of exact text, by its number from 0.
    Kind(usize),
}

/// The list of kinds.
#[derive(Debug, Default)]
pub struct KindList {
    /// The pairs of shapes; none where kinds are listed by text.
    pub groups: Vec<ShapeGroup>,
    /// The shapes of each group in words, before and after.
    pub shown: Vec<(String, String)>,
    unfolded: BTreeSet<usize>,
    /// The rows that are listed.
    pub rows: Vec<KindRow>,
}

impl KindList {
    /// The list of `kinds`, grouped by shape or not.
    pub fn new(kinds: &PlanKinds, grouped: bool) -> Self {
        let all = kinds.kinds.iter();
        let groups = match grouped {
            true => by_shape(all.map(|kind| (&kind.before[..], &kind.after[..], kind.count))),
            false => Vec::new(),
        };
        let texts = |of: fn(&ShapeGroup) -> &Shape| {
            let texts: Vec<String> = groups.iter().map(|group| of(group).to_string()).collect();
            elided(&texts, SHAPE_MOST)
        };
        let (before, after) = (texts(|group| &group.before), texts(|group| &group.after));
        let mut list = Self {
            shown: before.into_iter().zip(after).collect(),
            groups,
            unfolded: BTreeSet::new(),
            rows: Vec::new(),
        };
        list.list(kinds);
        list
    }

    fn list(&mut self, kinds: &PlanKinds) {
        if self.groups.is_empty() {
            self.rows = (0..kinds.kinds.len()).map(KindRow::Kind).collect();
            return;
        }
        let rows = self.groups.iter().enumerate().flat_map(|(number, group)| {
            let members = match self.unfolded.contains(&number) {
                true => &group.kinds[..],
                false => &[],
            };
            let kinds = members.iter().map(|kind| KindRow::Kind(*kind));
            std::iter::once(KindRow::Group(number)).chain(kinds)
        });
        self.rows = rows.collect();
    }

    /// Unfolds a group into its kinds, or folds it.
    pub fn fold(&mut self, group: usize, kinds: &PlanKinds) {
        if !self.unfolded.remove(&group) {
            self.unfolded.insert(group);
        }
        self.list(kinds);
    }

    /// True if the kinds of a group are listed.
    pub fn is_unfolded(&self, group: usize) -> bool {
        self.unfolded.contains(&group)
    }

    /// The kinds of a row, by their numbers from 0, in order.
    pub fn kinds_of(&self, row: KindRow) -> Vec<usize> {
        match row {
            KindRow::Kind(kind) => vec![kind],
            KindRow::Group(group) => self.groups[group].kinds.clone(),
        }
    }

    /// The row of a kind, or of its group.
    pub fn row_of(&self, kind: usize) -> usize {
        let is_row = |row: &KindRow| match row {
            KindRow::Kind(number) => *number == kind,
            KindRow::Group(group) => {
                !self.is_unfolded(*group) && self.groups[*group].kinds.contains(&kind)
            }
        };
        self.rows.iter().position(is_row).unwrap_or(0)
    }
}
