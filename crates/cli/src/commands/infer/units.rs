//! The units of the data: every line or cell in scope, read once.

use crate::args::definitions::FilesArgs;
use crate::commands::search::{Request, Searched, Seer, Split};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::{Output, Page};
use brisk_quill_core::infer::sample::{Sample, TEXTS_MOST};
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::unit::UnitKind;
use brisk_quill_engine::collector::SearchedUnit;
use brisk_quill_engine::plan_records;
use brisk_quill_files::discover::FileUse;
use brisk_quill_files::source::Source;
use std::collections::HashMap;
use std::collections::hash_map::Entry;
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
        let searched = request.run(RunOptions::default(), &mut units, output)?;
        Ok((units, searched, request.sources.listing.sources))
    }

    /// The distinct texts in the order in which they first stand there.
    pub fn distinct(&self) -> Vec<Distinct<'_>> {
        let mut known: HashMap<&str, usize> = HashMap::new();
        let mut distinct: Vec<Distinct<'_>> = Vec::new();
        for (at, unit) in self.all.iter().enumerate() {
            match known.entry(&unit.text) {
                Entry::Occupied(entry) => distinct[*entry.get()].count += 1,
                Entry::Vacant(entry) => {
                    entry.insert(distinct.len());
                    distinct.push(Distinct {
                        text: &unit.text,
                        line: unit.line,
                        at,
                        count: 1,
                    });
                }
            }
        }
        distinct
    }

    /// The part of the data that proposals are ranked by; those before `edited_to`, the last line that a hand
    /// has changed, were passed over by it.
    pub fn sample(&self, distinct: &[Distinct<'_>], edited_to: Option<u64>) -> Sample {
        let mut sample = Sample::default();
        let mut add = |text: &str, line: u64| {
            let passed_over = edited_to.is_some_and(|last| line < last);
            sample.add(text, line, passed_over);
        };
        // Of much data each text counts once.
        match self.all.len() > TEXTS_MOST {
            true => distinct.iter().for_each(|one| add(one.text, one.line)),
            false => self.all.iter().for_each(|unit| add(&unit.text, unit.line)),
        }
        sample
    }
}

/// A text of the data.
#[derive(Clone, Copy, Debug)]
pub struct Distinct<'u> {
    pub text: &'u str,
    /// The line of the first unit that it is, from 1.
    pub line: u64,
    /// The number of that unit, from 0.
    pub at: usize,
    /// Units that it is.
    pub count: u64,
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
            page.data(&plan_records::problem(source, problem));
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
