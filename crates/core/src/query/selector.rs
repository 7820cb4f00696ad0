//! Selection of the matches that are taken.

use crate::address::resolve::Selection;
use crate::pattern::matches::Matches;
use crate::query::findings::{LeftOut, MatchStatus, Verdict};
use crate::query::{Per, Query};

/// Decides which matches are taken.
#[derive(Debug)]
pub(super) struct Selector<'q> {
    query: &'q Query,
    /// The pick, resolved as far as that can be done once; `None` until the total is known.
    pub selection: Option<Selection>,
    pub limit: u64,
    /// Matches in place in this row, in this text, and in this run.
    in_row: u64,
    pub in_text: u64,
    pub in_run: u64,
    /// Matches taken in this run.
    pub taken: u64,
    status: Vec<MatchStatus>,
}

impl<'q> Selector<'q> {
    pub fn new(query: &'q Query) -> Self {
        let spec = &query.pick.spec;
        Self {
            query,
            selection: (!spec.needs_total()).then(|| spec.resolve(None)),
            limit: query.limit.unwrap_or(u64::MAX),
            in_row: 0,
            in_text: 0,
            in_run: 0,
            taken: 0,
            status: Vec::new(),
        }
    }

    pub fn begin_text(&mut self) {
        self.in_text = 0;
    }

    pub fn begin_row(&mut self) {
        self.in_row = 0;
    }

    /// The current row has `total` matches in place.
    pub fn set_row_total(&mut self, total: u64) {
        self.selection = Some(self.query.pick.spec.resolve(Some(total)));
    }

    /// True if all matches of a unit are taken when they are in place.
    pub fn takes_all(&self, matches: &Matches) -> bool {
        let taken = self.taken.saturating_add(matches.len() as u64);
        self.query.pick.spec.is_all() && taken <= self.limit
    }

    /// Takes all matches of a unit.
    pub fn take_all(&mut self, matches: &Matches) -> Verdict<'_> {
        let count = matches.len() as u64;
        self.in_row += count;
        self.in_text += count;
        self.in_run += count;
        self.taken += count;
        Verdict::All(self.taken - count + 1)
    }

    /// Judges the matches of one unit, given whether each is in place.
    pub fn unit(&mut self, in_place: impl Iterator<Item = bool> + Clone) -> Verdict<'_> {
        let per_unit;
        let selection = match &self.selection {
            Some(selection) => Some(selection),
            None if self.query.pick.per == Per::Unit => {
                let total = in_place.clone().filter(|here| *here).count() as u64;
                per_unit = self.query.pick.spec.resolve(Some(total));
                Some(&per_unit)
            }
            // Only counting yet.
            None => None,
        };
        self.status.clear();
        let mut in_unit = 0;
        for here in in_place {
            if !here {
                self.status.push(MatchStatus::LeftOut(LeftOut::Scope));
                continue;
            }
            in_unit += 1;
            self.in_row += 1;
            self.in_text += 1;
            self.in_run += 1;
            let number = match self.query.pick.per {
                Per::Unit => in_unit,
                Per::Row => self.in_row,
                Per::File => self.in_text,
                Per::Run => self.in_run,
            };
            let picked = selection.is_some_and(|set| set.contains(number));
            self.status.push(if !picked {
                MatchStatus::LeftOut(LeftOut::Pick)
            } else if self.taken >= self.limit {
                MatchStatus::LeftOut(LeftOut::Limit)
            } else {
                self.taken += 1;
                MatchStatus::Picked(self.taken)
            });
        }
        Verdict::Each(&self.status)
    }
}
