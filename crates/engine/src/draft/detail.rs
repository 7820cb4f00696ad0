//! One unit in detail: what the groups of its matches hold, and what the template makes of them.

use crate::collector::Events;
use crate::draft::evaluator::Evaluator;
use crate::draft::request::Draft;
use crate::draft::row::RowPlace;
use crate::sources::Sources;
use brisk_quill_core::pattern::groups::Groups;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::findings::{Finding, MatchStatus};
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::rewrite::seen::SeenUnit;
use brisk_quill_core::template::{MatchContext, Template};
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::discover::Listing;
use brisk_quill_files::error::FileError;
use brisk_quill_files::source::Source;
use std::ops::ControlFlow;
use std::sync::Arc;

/// Matches that are reported.
const MATCHES_MOST: usize = 40;
/// Bytes that are kept of a text.
const TEXT_MOST: usize = 400;

/// A match in detail.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MatchDetail {
    /// The name of the column of its cell.
    pub cell: Option<String>,
    /// The text; long ones are cut.
    pub text: Vec<u8>,
    /// True if it is taken.
    pub is_taken: bool,
    /// The groups, from 1.
    pub groups: Vec<GroupDetail>,
    /// Each reference of the template, with the text that it writes, or why it cannot.
    pub written: Vec<(String, Result<Vec<u8>, String>)>,
}

/// A group in detail.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct GroupDetail {
    /// The number, from 1.
    pub number: usize,
    /// The name.
    pub name: Option<String>,
    /// The text; `None` where it took no part.
    pub text: Option<Vec<u8>>,
}

impl Evaluator {
    /// The matches of a draft in the lines `first` to `last`, from 1, of the file at `place`; of a
    /// cell, of those there alone. `None` where it was stopped.
    ///
    /// # Errors
    ///
    /// When the texts that the earlier steps leave cannot be made.
    pub fn detail(
        &mut self,
        draft: &Draft<'_>,
        place: RowPlace,
        (first, last): (u64, u64),
        token: &Arc<CancelToken>,
    ) -> Result<Option<Vec<MatchDetail>>, FileError> {
        let Ok(before) = self.before(draft, token)? else {
            return Ok(None);
        };
        let Some(source) = draft.sources.listing.sources.get(place.file) else {
            return Ok(None);
        };
        let mut session = self.session(draft, token, before.as_ref()).showing_units();
        let work = draft.step.work(RunOptions {
            groups: true,
            ..RunOptions::default()
        });
        let mut looking = Looking {
            template: draft.step.step().action.template(),
            groups: draft.step.query().pattern.groups(),
            source,
            lines: (first, last),
            token,
            found: Vec::new(),
            is_done: false,
        };
        let sources = Sources::of(Listing {
            sources: vec![source.clone()],
            ..Listing::default()
        });
        session.run_in_turn(&work, &sources, &mut looking, |_, _, _| {
            ControlFlow::Continue(())
        })?;
        let is_stopped = token.is_stopped() && !looking.is_done;
        Ok((!is_stopped).then_some(looking.found))
    }
}

/// Looks at the units of some lines.
struct Looking<'l> {
    template: Option<&'l Template>,
    groups: &'l Groups,
    source: &'l Source,
    lines: (u64, u64),
    token: &'l CancelToken,
    found: Vec<MatchDetail>,
    is_done: bool,
}

impl Events for Looking<'_> {
    fn seen(&mut self, _: usize, seen: &SeenUnit<'_>) {
        let unit = seen.unit;
        if unit.line > self.lines.1 || self.found.len() >= MATCHES_MOST {
            // Nothing that follows is asked for.
            self.is_done = true;
            self.token.stop();
            return;
        }
        if unit.line < self.lines.0 {
            return;
        }
        let room = MATCHES_MOST - self.found.len();
        let details = seen.found.iter().take(room);
        let details: Vec<_> = details.map(|finding| self.detail(seen, &finding)).collect();
        self.found.extend(details);
    }

    fn problem(&mut self, _: Problem) {}
}

impl Looking<'_> {
    fn detail(&self, seen: &SeenUnit<'_>, finding: &Finding<'_>) -> MatchDetail {
        let unit = seen.unit;
        let bytes = unit.bytes();
        let count = match finding.status {
            MatchStatus::Picked(number) => number,
            MatchStatus::LeftOut(_) => 0,
        };
        let context = MatchContext {
            unit: bytes,
            groups: finding.groups,
            line: unit.line,
            file: self.source.path(),
            count,
            row: unit.cell.as_ref().map(|cell| cell.row()),
        };
        let written = match self.template.filter(|_| count > 0) {
            Some(template) => template.references(&context),
            None => Vec::new(),
        };
        let written = written.into_iter().map(|(reference, text)| {
            let text = text.map(|text| cut(&text));
            (reference, text.map_err(|problem| problem.to_string()))
        });
        let groups = finding.groups.iter().enumerate().skip(1);
        MatchDetail {
            cell: unit.cell.as_ref().map(|cell| cell.name().to_string()),
            text: cut(&bytes[finding.span.range()]),
            is_taken: count > 0,
            groups: groups
                .map(|(number, span)| GroupDetail {
                    number,
                    name: self.groups.name(number).map(str::to_owned),
                    text: span.map(|span| cut(&bytes[span.range()])),
                })
                .collect(),
            written: written.collect(),
        }
    }
}

fn cut(text: &[u8]) -> Vec<u8> {
    text[..text.len().min(TEXT_MOST)].to_vec()
}
