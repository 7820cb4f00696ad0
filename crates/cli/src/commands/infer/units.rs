//! The units of the data: every line or cell in scope, read once.

use crate::args::definitions::FilesArgs;
use crate::commands::search::{Request, Searched, Seer, Split};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::{Output, Page};
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::unit::UnitKind;
use brisk_quill_engine::collector::SearchedUnit;
use brisk_quill_engine::plan_records;
use brisk_quill_files::discover::FileUse;
use brisk_quill_files::source::Source;
use brisk_quill_infer::data::units::{Units, every_unit};
use std::path::PathBuf;

/// The units of some files being read.
#[derive(Clone, Default)]
struct Reading {
    units: Units,
    json: bool,
}

/// Reads the units in scope of a query in some files; its pattern does not count.
pub fn read(
    (query, paths): (&Query, Vec<PathBuf>),
    files: &FilesArgs,
    json: bool,
    output: &mut Output,
) -> Result<(Units, Searched, Vec<Source>), Diagnostic> {
    let sources = options::listed(paths, files, FileUse::Read)?;
    let mut request = Request::over(every_unit(query), sources, files)?.without_hints();
    let mut reading = Reading {
        json,
        ..Reading::default()
    };
    let searched = request.run(RunOptions::default(), &mut reading, output)?;
    Ok((reading.units, searched, request.sources.listing.sources))
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

impl Seer for Reading {
    fn unit(&mut self, _: &Source, seen: &SearchedUnit<'_>, _: &mut Page) {
        self.units.add(seen);
    }

    fn problem(&mut self, source: &Source, problem: &Problem, page: &mut Page) {
        if self.json {
            page.data(&plan_records::problem(source, problem));
        }
    }
}

impl Split for Reading {
    fn absorb(&mut self, file: Self) {
        self.units.absorb(file.units);
    }

    fn for_part(self) -> Self {
        Self {
            json: self.json,
            ..Self::default()
        }
    }
}
