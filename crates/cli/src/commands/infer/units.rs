//! The units of the data: every line or cell in scope, read once.

use crate::args::definitions::FilesArgs;
use crate::commands::search::{Request, Searched, Seer, Split};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::{Output, Page};
use brisk_quill_core::infer::sample::Sample;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::Query;
use brisk_quill_core::unit::UnitKind;
use brisk_quill_engine::collector::SearchedUnit;
use brisk_quill_engine::plan_records;
use brisk_quill_engine::request::SearchNeeds;
use brisk_quill_files::discover::FileUse;
use brisk_quill_files::source::Source;
use std::collections::HashMap;
use std::path::PathBuf;

/// Units kept, at most.
const UNITS_MOST: usize = 1_000_000;

/// One unit of the data.
#[derive(Clone, Debug)]
pub struct Unit {
    pub text: String,
    /// The line it begins in, from 1.
    pub line: u64,
}

/// The units of some files.
#[derive(Clone, Default)]
pub struct Units {
    pub all: Vec<Unit>,
    /// Units beyond those that are kept.
    pub more: u64,
    /// Units that are not UTF-8.
    pub undecodable: u64,
    json: bool,
}

impl Units {
    /// Reads the units in scope of a query in some files, of which only the place counts.
    pub fn read(
        (query, paths): (&Query, Vec<PathBuf>),
        files: &FilesArgs,
        json: bool,
        output: &mut Output,
    ) -> Result<(Self, Searched, Vec<Source>), Diagnostic> {
        let mut query = query.clone();
        // One match finds a unit.
        query.pattern = Pattern::new(r"\A", &MatchOptions::default()).expect("a pattern");
        let sources = options::listed(paths, files, FileUse::Read)?;
        let mut request = Request::over(query, sources, files)?.without_hints();
        let mut units = Self {
            json,
            ..Self::default()
        };
        let searched = request.run(SearchNeeds::default(), &mut units, output)?;
        Ok((units, searched, request.sources.listing.sources))
    }

    /// The distinct texts in the order in which they first stand there, with the line of the first, and how often.
    pub fn distinct(&self) -> Vec<(&str, u64, u64)> {
        let mut at: HashMap<&str, usize> = HashMap::new();
        let mut distinct: Vec<(&str, u64, u64)> = Vec::new();
        for unit in &self.all {
            match at.get(&unit.text[..]) {
                Some(at) => distinct[*at].2 += 1,
                None => {
                    at.insert(&unit.text, distinct.len());
                    distinct.push((&unit.text, unit.line, 1));
                }
            }
        }
        distinct
    }

    /// The part of the data that proposals are ranked by; those before `edited_to`, the last line that a hand
    /// has changed, were passed over by it.
    pub fn sample(&self, edited_to: Option<u64>) -> Sample {
        let mut sample = Sample::default();
        let repeats = self.all.len() > brisk_quill_core::infer::sample::TEXTS_MOST;
        let mut seen = std::collections::HashSet::new();
        for unit in &self.all {
            // Of much data each text counts once.
            if repeats && !seen.insert(&unit.text[..]) {
                continue;
            }
            let passed_over = edited_to.is_some_and(|last| unit.line < last);
            sample.add(&unit.text, unit.line, passed_over);
        }
        sample
    }
}

/// Makes sure that the units are lines or cells.
pub fn check_kind(query: &Query) -> Result<bool, Diagnostic> {
    match query.unit {
        UnitKind::Line => Ok(false),
        UnitKind::Cell => Ok(true),
        UnitKind::Paragraph | UnitKind::Text => Err(Diagnostic::wrong(
            "rewrites are inferred for lines and cells, not for larger units",
        )
        .remedy("leave `--unit` out")),
    }
}

impl Seer for Units {
    fn unit(&mut self, _: &Source, seen: &SearchedUnit<'_>, _: &mut Page) {
        if !seen.unit.in_scope {
            return;
        }
        match std::str::from_utf8(seen.unit.bytes()) {
            Err(_) => self.undecodable += 1,
            Ok(_) if self.all.len() >= UNITS_MOST => self.more += 1,
            Ok(text) => self.all.push(Unit {
                text: text.to_owned(),
                line: seen.unit.line,
            }),
        }
    }

    fn problem(&mut self, source: &Source, problem: &Problem, page: &mut Page) {
        if self.json {
            page.print(&plan_records::problem(source, problem));
        }
    }
}

impl Split for Units {
    fn absorb(&mut self, file: Self) {
        let room = UNITS_MOST.saturating_sub(self.all.len());
        self.more += file.more + file.all.len().saturating_sub(room) as u64;
        self.all.extend(file.all.into_iter().take(room));
        self.undecodable += file.undecodable;
    }

    fn for_part(self) -> Self {
        Self {
            json: self.json,
            ..Self::default()
        }
    }
}
