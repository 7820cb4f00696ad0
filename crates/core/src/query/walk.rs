//! One query walking over the units of a text, piece after piece.

use super::Query;
use crate::address::Selection;
use crate::pattern::{Finder, Matches};
use crate::{Problem, Span, lines, unit::count_lines};

/// What a walk is asked to tell besides the matches.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Wanted {
    /// The groups of every match.
    pub groups: bool,
    /// Units in scope without a match.
    pub missing: bool,
}

/// Is shown each unit of a text that holds something.
pub trait Visitor {
    /// A unit with matches, or one in scope without any where those were asked for.
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>);

    /// A unit that could not be looked at.
    fn problem(&mut self, problem: Problem) {
        let _ = problem;
    }
}

/// One unit where it lies.
#[derive(Clone, Copy, Debug)]
pub struct UnitView<'t> {
    /// The text around the unit, as far as it is at hand.
    pub text: &'t [u8],
    /// The unit in `text`, without its line end.
    pub span: Span,
    /// Its line end in `text`.
    pub ending: Span,
    /// Offset of `text` in the whole text, in bytes from 0.
    pub base: u64,
    /// The number of its line in the whole text, from 1.
    pub line: u64,
    /// Whether the query's conditions hold here.
    pub in_scope: bool,
}

impl<'t> UnitView<'t> {
    /// The bytes of the unit.
    pub fn bytes(&self) -> &'t [u8] {
        &self.text[self.span.range()]
    }
}

/// Why a match was not taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LeftOut {
    /// It lies where the query does not look.
    Place,
    /// The pick takes others.
    Pick,
    /// The limit was reached before it.
    Limit,
}

/// What became of a match.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Standing {
    /// It was taken.
    Picked,
    /// It was not.
    LeftOut(LeftOut),
}

/// The matches in one unit.
#[derive(Clone, Copy, Debug)]
pub struct Findings<'a> {
    matches: &'a Matches,
    standing: &'a [Standing],
}

/// One match; its spans count from the start of the unit.
#[derive(Clone, Copy, Debug)]
pub struct Finding<'a> {
    /// The match.
    pub span: Span,
    /// Its groups, the whole match first; that one alone where groups were not asked for.
    pub groups: &'a [Option<Span>],
    /// What became of it.
    pub standing: Standing,
}

impl<'a> Findings<'a> {
    /// All matches, left to right.
    pub fn iter(&self) -> impl Iterator<Item = Finding<'a>> + use<'a> {
        let matches = self.matches;
        let each = self.standing.iter().enumerate();
        each.map(move |(index, &standing)| Finding {
            span: matches.span(index),
            groups: matches.groups(index),
            standing,
        })
    }

    /// The matches that were taken.
    pub fn picked(&self) -> impl Iterator<Item = Finding<'a>> + use<'a> {
        self.iter().filter(|f| f.standing == Standing::Picked)
    }

    /// Whether there is no match at all.
    pub fn is_empty(&self) -> bool {
        self.standing.is_empty()
    }
}

/// The state of one query between pieces, texts and runs.
#[derive(Debug)]
pub(crate) struct Walk<'q> {
    query: &'q Query,
    finder: Finder,
    /// Resolved for the text at hand; `None` until its number of lines is known.
    lines: Option<Selection>,
    /// Where the pick does not depend on how many matches a unit has.
    pick: Option<Selection>,
    /// Lines of this text already walked over.
    lines_done: u64,
    /// Matches taken in this run.
    taken: u64,
    matches: Matches,
    standing: Vec<Standing>,
}

impl<'q> Walk<'q> {
    pub fn new(query: &'q Query) -> Self {
        let pick = &query.pick.spec;
        Self {
            query,
            finder: query.pattern.finder(),
            lines: None,
            pick: (!pick.needs_total()).then(|| pick.resolve(None)),
            lines_done: 0,
            taken: 0,
            matches: Matches::default(),
            standing: Vec::new(),
        }
    }

    pub fn begin_text(&mut self) {
        let lines = &self.query.scope.lines;
        self.lines = (!lines.needs_total()).then(|| lines.resolve(None));
        self.lines_done = 0;
    }

    /// Counts a line that could not be looked at.
    pub fn pass_line(&mut self) {
        self.lines_done += 1;
    }

    /// Walks over the next whole lines of the text; `base` is their offset in it.
    pub fn piece(&mut self, text: &[u8], base: u64, wanted: Wanted, visitor: &mut dyn Visitor) {
        let spec = &self.query.scope.lines;
        let selection = self.lines.take().unwrap_or_else(|| {
            // Such a query is only ever given whole texts.
            spec.resolve(Some(self.lines_done + count_lines(text)))
        });
        for line in lines(text) {
            self.lines_done += 1;
            let unit = UnitView {
                text,
                span: line.content,
                ending: line.ending(),
                base,
                line: self.lines_done,
                in_scope: selection.contains(self.lines_done),
            };
            self.unit(&unit, wanted, visitor);
        }
        self.lines = Some(selection);
    }

    fn unit(&mut self, unit: &UnitView<'_>, wanted: Wanted, visitor: &mut dyn Visitor) {
        self.finder
            .collect(unit.bytes(), wanted.groups, &mut self.matches);
        if self.matches.is_empty() && !(wanted.missing && unit.in_scope) {
            return;
        }
        self.judge(unit.in_scope);
        let findings = Findings {
            matches: &self.matches,
            standing: &self.standing,
        };
        visitor.unit(unit, &findings);
    }

    /// Decides what becomes of each match in the unit.
    fn judge(&mut self, in_scope: bool) {
        let total = self.matches.len() as u64;
        let resolved;
        let pick = match &self.pick {
            Some(pick) => pick,
            None => {
                resolved = self.query.pick.spec.resolve(Some(total));
                &resolved
            }
        };
        let limit = self.query.limit.unwrap_or(u64::MAX);
        self.standing.clear();
        for number in 1..=total {
            self.standing.push(if !in_scope {
                Standing::LeftOut(LeftOut::Place)
            } else if !pick.contains(number) {
                Standing::LeftOut(LeftOut::Pick)
            } else if self.taken >= limit {
                Standing::LeftOut(LeftOut::Limit)
            } else {
                self.taken += 1;
                Standing::Picked
            });
        }
    }
}
