//! One query over all the files of a request, for the verbs that only look.

use crate::args::definitions::{AfterArgs, FilesArgs, TableArgs};
use crate::args::split::{Part, put_pattern};
use crate::commands::ends::{report_failed, report_unreadable, stopped};
use crate::commands::plans;
use crate::diagnostic::Diagnostic;
use crate::host::cancel_token;
use crate::options;
use crate::output::{Output, Page};
use crate::render::names::file_name;
use crate::settings::settings;
use crate::signals;
use crate::status::Status;
use brisk_quill_core::columns::layout::Format;
use brisk_quill_core::columns::row::Row;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::counts::LeftOutCounts;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_engine::collector::{Collector, Events, SearchedUnit};
use brisk_quill_engine::file_note::FileNote;
use brisk_quill_engine::hints::hint::Hints;
use brisk_quill_engine::request::Work;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::session::Session;
use brisk_quill_engine::sources::Sources;
use brisk_quill_engine::summary::{Ended, FileCounts};
use brisk_quill_files::discover::FileUse;
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::source::Source;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

/// The query and its files.
pub struct Request {
    /// The status where nothing matched.
    nothing: Status,
    pub query: Query,
    pub sources: Sources,
    session: Session,
}

/// A verb's view of the units of one file.
pub trait Seer {
    fn begin_file(&mut self, _source: &Source) {}
    fn unit(&mut self, source: &Source, unit: &SearchedUnit<'_>, page: &mut Page);
    /// So many units in scope without a match, where those are counted.
    fn passed(&mut self, _units: u64) {}
    /// True if it needs the numbers of rows at once. A page takes them later.
    fn numbers_rows(&self) -> bool {
        false
    }
    /// A row of a table, the header too, behind its cells.
    fn row(&mut self, _row: &Row<'_>, _page: &mut Page) {}
    fn problem(&mut self, _source: &Source, _problem: &Problem, _page: &mut Page) {}
    fn end_file(&mut self, _source: &Source, _output: &mut Output) {}
}

/// The number of lines or matches that may still be shown, of all files together.
///
/// A file that is searched ahead of its turn may keep this many; what is too much is left out when
/// its turn comes.
#[derive(Clone)]
pub struct Room(Arc<AtomicUsize>);

impl Room {
    pub fn new(most: usize) -> Self {
        Self(Arc::new(AtomicUsize::new(most)))
    }

    /// The number that is left.
    pub fn left(&self) -> usize {
        self.0.load(Ordering::Relaxed)
    }

    /// Keeps the first of `things` as long as there is room, which each takes as `size` says;
    /// gives how much they took.
    pub fn fill<T>(&self, things: &mut Vec<T>, size: impl Fn(&T) -> usize) -> usize {
        let left = self.left();
        let mut taken = 0;
        let fits = things.iter().take_while(|thing| {
            let fits = taken < left;
            taken += if fits { size(thing) } else { 0 };
            fits
        });
        let kept = fits.count();
        things.truncate(kept);
        self.0.store(left.saturating_sub(taken), Ordering::Relaxed);
        taken
    }
}

/// A seer of which each file has its own, a clone of one that has seen nothing: files are searched
/// on several threads.
pub trait Split: Seer + Clone + Send + Sync {
    /// Called before the next results are printed.
    fn precede(&mut self, _next: &Self, _output: &mut Output) {}

    /// Takes in what was seen in the next file.
    fn absorb(&mut self, file: Self);

    /// One that has seen nothing, for a part of a file.
    #[must_use]
    fn for_part(self) -> Self {
        self
    }

    /// Takes in what was seen in the next part of the current file.
    fn join(&mut self, part: Self) {
        self.absorb(part);
    }
}

/// A seer with the page it prints on.
struct Seeing<'s, S> {
    seer: S,
    source: &'s Source,
    page: Page,
    status: Status,
}

impl<'s, S: Seer> Seeing<'s, S> {
    fn new(mut seer: S, source: &'s Source) -> Self {
        seer.begin_file(source);
        Self {
            seer,
            source,
            page: Page::default(),
            status: Status::Fine,
        }
    }
}

impl<S: Seer> Events for Seeing<'_, S> {
    fn unit(&mut self, unit: &SearchedUnit<'_>) {
        self.seer.unit(self.source, unit, &mut self.page);
    }

    fn passed(&mut self, units: u64) {
        self.seer.passed(units);
    }

    fn row(&mut self, row: &Row<'_>) {
        self.seer.row(row, &mut self.page);
    }

    fn numbers_rows(&self) -> bool {
        self.seer.numbers_rows()
    }

    fn problem(&mut self, problem: Problem) {
        let diagnostic = Diagnostic::of_problem(self.source, &problem);
        self.status = self.status.max(diagnostic.status);
        self.page.problem(diagnostic);
        self.seer.problem(self.source, &problem, &mut self.page);
    }
}

impl<S: Split> Collector for Seeing<'_, S> {
    fn is_full(&self) -> bool {
        self.page.is_full()
    }

    fn for_part(self) -> Self {
        Self {
            seer: self.seer.for_part(),
            ..self
        }
    }

    fn number_later(&mut self) {
        self.page.number_later();
    }

    fn after_rows(&mut self, rows: u64) {
        self.page.after_rows(rows);
    }

    fn join(&mut self, part: Self) {
        self.seer.join(part.seer);
        self.page.append(part.page);
        self.status = self.status.max(part.status);
    }
}

/// A seer that sees all files itself and prints at once.
struct SeeingInTurn<'o, S: ?Sized> {
    seer: &'o mut S,
    source: Source,
    page: Page,
    status: Status,
    /// The output of pages; `None` drops them, and what went wrong.
    output: Option<&'o mut Output>,
}

impl<S: Seer + ?Sized> SeeingInTurn<'_, S> {
    fn print_full_page(&mut self) {
        if let Some(output) = &mut self.output
            && self.page.is_full()
        {
            output.print_page(std::mem::take(&mut self.page));
        }
    }
}

impl<S: Seer + ?Sized> Events for SeeingInTurn<'_, S> {
    fn begin_file(&mut self, source: &Source) {
        self.source = source.clone();
        self.seer.begin_file(source);
    }

    fn unit(&mut self, unit: &SearchedUnit<'_>) {
        self.seer.unit(&self.source, unit, &mut self.page);
        self.print_full_page();
    }

    fn row(&mut self, row: &Row<'_>) {
        self.seer.row(row, &mut self.page);
        self.print_full_page();
    }

    fn problem(&mut self, problem: Problem) {
        if self.output.is_none() {
            return;
        }
        let diagnostic = Diagnostic::of_problem(&self.source, &problem);
        self.status = self.status.max(diagnostic.status);
        self.page.problem(diagnostic);
        self.seer.problem(&self.source, &problem, &mut self.page);
        self.print_full_page();
    }
}

/// All that was counted.
#[derive(Debug, Default)]
pub struct Searched {
    pub files: FileCounts,
    /// Matches that were taken.
    pub matches: u64,
    pub left_out: LeftOutCounts,
    pub problems: u64,
    /// Blocks of lines that have begun.
    pub blocks: u64,
    pub notes: Vec<FileNote>,
    pub hints: Hints,
    status: Status,
    /// The status where there is no answer.
    nothing: Status,
}

impl Searched {
    /// The exit status, given whether there is an answer.
    pub fn status(&self, answered: bool) -> Status {
        let answer = if answered { Status::Fine } else { self.nothing };
        let trouble = match self.files.unreadable + self.problems {
            0 => Status::Fine,
            _ => Status::Trouble,
        };
        answer.max(trouble).max(self.status)
    }
}

impl Request {
    /// The query and the files of a command line.
    pub fn new(parts: Vec<Part>, args: &FilesArgs) -> Result<Self, Diagnostic> {
        let asked = options::query(parts, &args.table)?;
        let sources = options::listed(asked.paths, args, FileUse::Read)?;
        Self::over(asked.query, sources, args)
    }

    /// The same, where rows matter: files whose form is known are read as tables, unless it is said what the unit is. Where
    /// all must have columns, since some are looked at, no text without any may be among them.
    pub fn of_rows(
        mut parts: Vec<Part>,
        files: &FilesArgs,
        all_have_columns: bool,
    ) -> Result<Self, Diagnostic> {
        let told = files.table.format.is_some() || files.table.delimiter.is_some();
        let mut open = parts.first_mut().filter(|part| part.step.unit.is_none());
        if told && let Some(part) = open.take() {
            part.step.unit = Some("cell".into());
        }
        if open.is_none() {
            return Self::new(parts, files);
        }
        // How columns are read does not matter for which files are meant.
        let asked = options::query(parts.clone(), &TableArgs::default())?;
        let sources = options::listed(asked.paths, files, FileUse::Read)?;
        let all = &sources.listing.sources;
        // Among other files a document is a text like them.
        let format = |source: &Source| Format::of_path(source.path());
        let documents = all.iter().all(|s| format(s) == Some(Format::Json));
        let is_table =
            |source: &&Source| format(source).is_some_and(|f| documents || f != Format::Json);
        let (table, text) = (all.iter().find(is_table), all.iter().find(|s| !is_table(s)));
        if let (Some(table), Some(text), true) = (table, text, all_have_columns) {
            let (table, text) = (file_name(table), file_name(text));
            return Err(Diagnostic::wrong(format!(
                "{table} has columns and {text} has none, and one sheet cannot keep both"
            ))
            .remedy("name files of one kind, or add `--unit line` to read all of them as lines"));
        }
        if let (Some(_), None, Some(part)) = (table, text, parts.first_mut()) {
            part.step.unit = Some("cell".into());
        }
        let asked = options::query(parts, &files.table)?;
        Self::over(asked.query, sources, files)
    }

    /// A query over files that are known.
    pub fn over(query: Query, sources: Sources, args: &FilesArgs) -> Result<Self, Diagnostic> {
        let texts = options::texts(args, FactsOf::None)?;
        let sources = options::only_tables(sources, &|source| query.is_table(source.path()))?;
        if !options::waits_for_typing(&sources) {
            signals::listen();
        }
        let session = Session::new(texts, Threads::new(args.threads), cancel_token());
        Ok(Self {
            nothing: options::nothing_matched(args),
            query,
            sources,
            session: match args.no_hints {
                true => session,
                false => (session.with_hints()).silent_about(&settings().hints_off()),
            },
        })
    }

    /// The same with a pattern that is not an argument: all words are paths.
    pub fn with_pattern(
        mut parts: Vec<Part>,
        pattern: &str,
        args: &FilesArgs,
    ) -> Result<Self, Diagnostic> {
        put_pattern(&mut parts, pattern);
        Self::new(parts, args)
    }

    /// Reads files as a plan would leave them, where that is asked for.
    pub fn after(mut self, args: &AfterArgs, output: &mut Output) -> Result<Self, Diagnostic> {
        if let Some(plan) = &args.after {
            let planned = plans::planned_texts(plan, output)?;
            self.session = self.session.after(Arc::new(planned));
        }
        Ok(self)
    }

    /// Looks out for no hints, where none are shown.
    #[must_use]
    pub fn without_hints(mut self) -> Self {
        self.session = self.session.without_hints();
        self
    }

    /// Shows `seer` all that is found, file by file in order, and reports what cannot be read.
    pub fn run<S: Split>(
        &mut self,
        options: RunOptions,
        seer: &mut S,
        output: &mut Output,
    ) -> Result<Searched, Diagnostic> {
        report_unreadable(&self.sources, output);
        let (search, sources) = (Rewrite::showing(self.query.clone()), &self.sources);
        let work = Work {
            rewrite: &search,
            options,
        };
        let blank = seer.clone();
        let _progress = output.progress(&sources.listing.sources);
        let mut status = Status::Fine;
        // What has been handed over of a file before its end.
        let mut begun: Option<S> = None;
        let ended = self.session.run(
            &work,
            sources,
            |source| Seeing::new(blank.clone(), source),
            |taken| {
                output.flow()?;
                seer.precede(&taken.found.seer, output);
                output.print_page(taken.found.page);
                status = status.max(taken.found.status);
                let seen = match begun.take() {
                    None => taken.found.seer,
                    Some(mut begun) => {
                        begun.join(taken.found.seer);
                        begun
                    }
                };
                match taken.end {
                    None => begun = Some(seen),
                    Some(end) => {
                        seer.absorb(seen);
                        report_failed(&end, output);
                        seer.end_file(taken.source, output);
                    }
                }
                output.flow()
            },
        );
        let ended = ended.map_err(|error| Diagnostic::of_file(&error))?;
        self.searched(ended, status, output)
    }

    /// The same for a seer that must see all files itself, one after the other.
    pub fn run_in_turn(
        &mut self,
        options: RunOptions,
        seer: &mut dyn Seer,
        output: &mut Output,
    ) -> Result<Searched, Diagnostic> {
        report_unreadable(&self.sources, output);
        let (search, sources) = (Rewrite::showing(self.query.clone()), &self.sources);
        let work = Work {
            rewrite: &search,
            options,
        };
        let _progress = output.progress(&sources.listing.sources);
        let mut seeing = SeeingInTurn {
            seer,
            source: Source::STDIN,
            page: Page::default(),
            status: Status::Fine,
            output: Some(&mut *output),
        };
        let ended = self
            .session
            .run_in_turn(&work, sources, &mut seeing, |seeing, source, end| {
                let page = std::mem::take(&mut seeing.page);
                let Some(output) = &mut seeing.output else {
                    return std::ops::ControlFlow::Continue(());
                };
                output.print_page(page);
                report_failed(end, output);
                seeing.seer.end_file(source, output);
                output.flow()
            });
        let status = seeing.status;
        let ended = ended.map_err(|error| Diagnostic::of_file(&error))?;
        self.searched(ended, status, output)
    }

    /// Shows `seer` the same without printing or reporting anything, before the search itself.
    pub fn run_before(
        &mut self,
        options: RunOptions,
        seer: &mut dyn Seer,
    ) -> Result<(), Diagnostic> {
        let (search, sources) = (Rewrite::showing(self.query.clone()), &self.sources);
        let kept = self.session.keep_stdin(&sources.listing);
        kept.map_err(|error| Diagnostic::of_file(&error))?;
        let mut seeing = SeeingInTurn {
            seer,
            source: Source::STDIN,
            page: Page::default(),
            status: Status::Fine,
            output: None,
        };
        // What goes wrong here will go wrong again, and be reported, in the search itself.
        let done = self.session.run_in_turn(
            &Work {
                rewrite: &search,
                options,
            },
            sources,
            &mut seeing,
            |seeing, _, _| {
                seeing.page = Page::default();
                std::ops::ControlFlow::Continue(())
            },
        );
        done.map(drop).map_err(|error| Diagnostic::of_file(&error))
    }

    /// The counts, unless it was stopped on the way.
    fn searched(
        &self,
        ended: Ended,
        status: Status,
        output: &mut Output,
    ) -> Result<Searched, Diagnostic> {
        let summary = match ended {
            Ended::Complete(summary) => summary,
            Ended::Stopped(..) => return Err(stopped()),
        };
        let step = summary.counts.all_steps();
        let pattern = self.query.pattern.source();
        options::report_passed_over(&self.sources, (pattern, step.matches), output);
        Ok(Searched {
            files: summary.files,
            matches: step.matches,
            left_out: step.left_out,
            problems: summary.counts.problems,
            blocks: step.blocks,
            notes: summary.notes,
            hints: summary.hints,
            status,
            nothing: self.nothing,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::Room;
    use proptest::prelude::*;

    proptest! {
        /// Files that were searched ahead of their turn show what one search in turn would.
        #[test]
        fn room_is_filled_as_in_one_search(
            files in prop::collection::vec(prop::collection::vec(1..5usize, 0..6), 0..6), most in 0..30usize,
        ) {
            let room = Room::new(most);
            let (mut shown, mut taken) = (Vec::new(), 0);
            for mut file in files.clone() {
                taken += room.fill(&mut file, |size| *size);
                shown.extend(file);
            }
            let (mut wanted, mut left) = (Vec::new(), most);
            for size in files.concat() {
                if left > 0 {
                    wanted.push(size);
                    left = left.saturating_sub(size);
                }
            }
            prop_assert_eq!(taken, wanted.iter().sum::<usize>());
            prop_assert_eq!(shown, wanted);
            prop_assert_eq!(room.left(), left);
        }
    }
}
