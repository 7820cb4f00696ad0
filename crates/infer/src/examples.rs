//! The examples of one step, and what is known about all of them.

use crate::case::Case;
use crate::filters::Filters;
use crate::program::Text;
use crate::slots::{Choice, Setting};
use crate::templates::Window;
use crate::tokens::shape;
use std::cell::RefCell;
use std::collections::{HashMap, HashSet};
use std::rc::Rc;

/// The examples of one step, and what is known about all of them.
#[derive(Clone, Debug)]
pub(super) struct Examples<'e> {
    pub filters: &'e Filters,
    /// The examples that change.
    pub changed: Vec<&'e Case>,
    /// The examples that must not change.
    pub untouched: Vec<&'e Case>,
    /// The unit is a cell.
    pub cell: bool,
    /// Texts of the data that say candidates apart.
    pub probes: &'e [&'e [char]],
    /// The patterns of spans that were asked for before.
    pub known: &'e KnownChoices,
    /// The texts of the data.
    pub data: &'e [Text],
}

impl<'e> Examples<'e> {
    /// The examples that change whose templates are read, at most this many: of each form one before a second.
    pub fn to_read(&self, most: usize) -> Vec<&'e Case> {
        if self.changed.len() <= most {
            return self.changed.clone();
        }
        let mut seen = HashSet::new();
        let form = |case: &&&Case| (shape(&case.before), shape(&case.after));
        let (mut first, others): (Vec<&Case>, Vec<&Case>) = self
            .changed
            .iter()
            .partition(|case| seen.insert(form(case)));
        first.extend(others);
        first.truncate(most);
        first
    }
}

/// The patterns of the texts of a span at its place, which many templates share.
pub(super) type KnownChoices = RefCell<HashMap<(Vec<Vec<char>>, Setting), Rc<Vec<Choice>>>>;

/// A window with the case that it belongs to.
pub(super) type Place<'e> = (&'e Case, Window);
