//! One query over all the files of a request, for the verbs that only look.

pub mod parts;
pub mod search;

use crate::args::{FilesArgs, Part};
use crate::commands::look::parts::Whole;
use crate::commands::look::search::{Eye, Quiet, Silent, search, search_text};
use crate::commands::pass::{FileNote, file_diagnostic, pattern_hints, stopped};
use crate::diagnostic::Diagnostic;
use crate::options::{self, Sources, Threads};
use crate::output::{Output, Said};
use crate::progress::Progress;
use crate::render::table::FileCounts;
use crate::signals::{self, cancel_token};
use crate::status::Status;
use brisk_quill_core::columns::row::Row;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::Query;
use brisk_quill_core::query::scanner::{Findings, UnitView};
use brisk_quill_core::query::searcher::Searcher;
use brisk_quill_core::rewrite::LeftOutCounts;
use brisk_quill_files::coding::Coding;
use brisk_quill_files::discover::{FileUse, Source};
use brisk_quill_files::error::FileError;
use brisk_quill_files::parallel::in_order;
use brisk_quill_files::parts::Helpers;
use brisk_quill_files::read::{FactsOf, Reader, Skipped};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

/// What is asked for, and over which files.
pub struct Request {
    pub query: Query,
    pub sources: Sources,
    reader: Reader,
    threads: Threads,
}

/// What a verb needs besides the matches that are taken.
#[derive(Clone, Copy, Default)]
pub struct Needs {
    /// The groups of each match.
    pub groups: bool,
    /// Units in scope without a match.
    pub missing: bool,
    /// All of a text around each unit.
    pub whole_texts: bool,
}

/// Sees what is found, file by file.
pub trait Seer {
    fn begin_file(&mut self, _source: &Source) {}
    fn unit(&mut self, seen: &Seen<'_>, output: &mut Output);
    /// A row of a table, the header too, behind its cells.
    fn row(&mut self, _row: &Row<'_>, _output: &mut Output) {}
    fn problem(&mut self, _source: &Source, _problem: &Problem, _output: &mut Output) {}
    fn end_file(&mut self, _source: &Source, _output: &mut Output) {}
}

/// One unit with what was found in it.
pub struct Seen<'s> {
    pub source: &'s Source,
    pub unit: &'s UnitView<'s>,
    pub found: &'s Findings<'s>,
    pub coding: &'s Coding,
    /// How many matches in it were taken.
    pub taken: u64,
}

/// How much may still be shown, of all files together.
///
/// Whoever looks at a file ahead of its turn may keep so much; what is too much is left out when
/// its turn comes.
#[derive(Clone)]
pub struct Room(Arc<AtomicUsize>);

impl Room {
    pub fn new(most: usize) -> Self {
        Self(Arc::new(AtomicUsize::new(most)))
    }

    /// How much there is.
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

/// A seer of which each file has its own, a clone of one that has seen nothing: files are looked
/// at on several threads.
pub trait Split: Seer + Clone + Send + Sync {
    /// Takes in what was seen in the next file.
    fn absorb(&mut self, file: Self);

    /// One that has seen nothing, for a part of a file.
    fn for_part(&self) -> Self {
        self.clone()
    }

    /// Takes in what was seen in the next part of the current file.
    fn join(&mut self, part: Self) {
        self.absorb(part);
    }
}

/// What is sent of a file: pages as they are full, then all else.
enum Message<S> {
    Page(Vec<Said>),
    End(Box<FileEnd<S>>),
}

struct FileEnd<S> {
    seer: S,
    looked: Looked,
    result: Result<Option<Skipped>, FileError>,
    page: Vec<Said>,
}

/// What was counted on the way.
#[derive(Debug, Default)]
pub struct Looked {
    pub files: FileCounts,
    /// Matches that were taken.
    pub matches: u64,
    pub left_out: LeftOutCounts,
    pub problems: u64,
    /// Blocks of lines that have begun.
    pub blocks: u64,
    pub notes: Vec<FileNote>,
    pub hints: Vec<(&'static str, String)>,
    status: Status,
}

impl Looked {
    fn add(&mut self, file: Self) {
        self.matches += file.matches;
        self.left_out.add(file.left_out);
        self.problems += file.problems;
        self.blocks += file.blocks;
        self.notes.extend(file.notes);
        self.status = self.status.max(file.status);
    }

    /// Counts a file that has been read, or was not; tells why it could not be.
    fn end_file(&mut self, result: Result<Option<Skipped>, FileError>, output: &mut Output) {
        match result {
            Ok(None) => self.files.read += 1,
            Ok(Some(skipped)) => self.files.skip(skipped),
            Err(error) => {
                self.files.unreadable += 1;
                output.complain(&file_diagnostic(&error));
            }
        }
    }

    /// What the program ends with, given whether there is an answer.
    pub fn status(&self, answered: bool) -> Status {
        let answer = if answered { Status::Fine } else { Status::No };
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

    /// A query over files that are known.
    pub fn over(query: Query, sources: Sources, args: &FilesArgs) -> Result<Self, Diagnostic> {
        let reader = Reader::new(options::texts(args, FactsOf::None)?).watched(cancel_token());
        let sources = sources.only_tables(&|source| query.is_table(source.path()))?;
        if !sources.waits_for_typing() {
            signals::listen();
        }
        Ok(Self {
            query,
            threads: Threads::new(args.threads),
            sources,
            reader,
        })
    }

    /// The same with a pattern that is not an argument: all words are paths.
    pub fn with_pattern(
        mut parts: Vec<Part>,
        pattern: &str,
        args: &FilesArgs,
    ) -> Result<Self, Diagnostic> {
        if let Some(first) = parts.first_mut() {
            first.words.insert(0, pattern.into());
        }
        Self::new(parts, args)
    }

    /// Shows `seer` all that is found, file by file in order, and tells of what cannot be read.
    pub fn look<S: Split>(
        &mut self,
        needs: Needs,
        seer: &mut S,
        output: &mut Output,
    ) -> Result<Looked, Diagnostic> {
        let total = self.run_total()?;
        let mut looked = self.begin(output);
        let threads = match self.query.spans_texts() {
            true => 1,
            false => self.threads.over(self.sources.listing.sources.len()),
        };
        let (blank, page) = (seer.clone(), output.page());
        let new_search = || found(&self.query, needs, total);
        let worker = || Worker {
            found: new_search(),
            reader: self.reader.another(),
            page: page.page(),
        };
        let within_file = || self.threads.within_file();
        let helpers = Helpers::new(&within_file);
        let _progress = Progress::of(&self.sources.listing.sources, output);
        let take = |source: &Source, message| {
            output.flow()?;
            match message {
                Message::Page(page) => output.say(page),
                Message::End(end) => {
                    output.say(end.page);
                    looked.add(end.looked);
                    seer.absorb(end.seer);
                    looked.end_file(end.result, output);
                    seer.end_file(source, output);
                }
            }
            output.flow()
        };
        let work = |worker: &mut Worker<'_>, source: &Source, send: &mut dyn FnMut(_) -> bool| {
            worker.file(source, &blank, (&helpers, &new_search), send);
        };
        in_order(&self.sources.listing.sources, threads, worker, work, take);
        self.end(looked, output)
    }

    /// The same for a seer that must see all files itself, one after the other.
    pub fn look_in_turn(
        &mut self,
        needs: Needs,
        seer: &mut dyn Seer,
        output: &mut Output,
    ) -> Result<Looked, Diagnostic> {
        let total = self.run_total()?;
        let mut looked = self.begin(output);
        let _progress = Progress::of(&self.sources.listing.sources, output);
        let mut found = found(&self.query, needs, total);
        for source in &self.sources.listing.sources {
            seer.begin_file(source);
            let mut eye = Eye {
                seer,
                looked: &mut looked,
                source,
                output,
                send: None,
            };
            let result = search(&mut found, &mut self.reader, source, &mut eye);
            if output.flow().is_break() {
                break;
            }
            looked.end_file(result, output);
            seer.end_file(source, output);
        }
        self.end(looked, output)
    }

    /// Shows `seer` the same without telling of anything, before it is looked at in earnest.
    pub fn look_before(
        &mut self,
        needs: Needs,
        seer: &mut dyn Seer,
        output: &mut Output,
    ) -> Result<(), Diagnostic> {
        self.keep_stdin()?;
        let total = self.run_total()?;
        let mut found = found(&self.query, needs, total);
        for source in &self.sources.listing.sources {
            seer.begin_file(source);
            let mut quiet = Quiet {
                seer,
                source,
                output,
            };
            // What goes wrong here will go wrong again, and be told, when it is shown.
            let _ = search(&mut found, &mut self.reader, source, &mut quiet);
        }
        Ok(())
    }

    /// Tells of the paths that cannot be looked at.
    fn begin(&self, output: &mut Output) -> Looked {
        let mut looked = Looked {
            hints: pattern_hints(&self.query.pattern),
            ..Looked::default()
        };
        looked.files.no_table = self.sources.no_table;
        for error in &self.sources.listing.problems {
            looked.files.unreadable += 1;
            output.complain(&file_diagnostic(error));
        }
        looked
    }

    /// What was counted, unless it was stopped on the way.
    fn end(&self, looked: Looked, output: &mut Output) -> Result<Looked, Diagnostic> {
        if cancel_token().is_stopped() {
            return Err(stopped());
        }
        self.sources.tell_passed_over(looked.matches, output);
        Ok(looked)
    }

    /// Keeps standard input, where it is asked for, so that it can be read again.
    fn keep_stdin(&mut self) -> Result<(), Diagnostic> {
        let asked = self.sources.listing.sources.contains(&Source::Stdin);
        if !asked || self.reader.kept_stdin().is_ok() {
            return Ok(());
        }
        let kept = self.reader.keep_stdin();
        kept.map_err(|error| file_diagnostic(&error))
    }

    /// The matches in place of all sources, where they must be counted before any is shown.
    fn run_total(&mut self) -> Result<Option<u64>, Diagnostic> {
        if !self.query.needs_run_total() {
            return Ok(None);
        }
        self.keep_stdin()?;
        let mut found = Searcher::new(&self.query).counting();
        for source in &self.sources.listing.sources {
            // What goes wrong here will go wrong again, and be told, when it is shown.
            let _ = search(&mut found, &mut self.reader, source, &mut Silent);
        }
        Ok(Some(found.in_place()))
    }
}

/// One thread's means of looking.
struct Worker<'q> {
    found: Searcher<'q>,
    reader: Reader,
    page: Output,
}

impl Worker<'_> {
    /// Shows `seer` one file.
    fn file<'s, S: Split>(
        &mut self,
        source: &Source,
        blank: &S,
        (helpers, new_search): (&Helpers<'_>, &(impl Fn() -> Searcher<'s> + Sync)),
        send: &mut dyn FnMut(Message<S>) -> bool,
    ) {
        let (mut seer, mut looked) = (blank.clone(), Looked::default());
        seer.begin_file(source);
        let (found, page) = (&mut self.found, &mut self.page);
        let send_page = &mut |page| {
            send(Message::Page(page));
        };
        let result = self.reader.open(source).and_then(|opened| {
            let text = match opened {
                Ok(text) => text,
                Err(skipped) => return Ok(Some(skipped)),
            };
            let called = helpers.call(&text).filter(|_| found.is_local());
            let done = match called {
                Some(called) => {
                    let whole = Whole {
                        found,
                        seer: &mut seer,
                        looked: &mut looked,
                        source,
                        page,
                        send: send_page,
                        in_turn: false,
                    };
                    whole.look(text, &called, new_search, blank)
                }
                None => {
                    let mut eye = Eye {
                        seer: &mut seer,
                        looked: &mut looked,
                        source,
                        output: page,
                        send: Some(send_page),
                    };
                    search_text(found, text, &mut eye)
                }
            };
            done.map(|()| None)
        });
        send(Message::End(Box::new(FileEnd {
            seer,
            looked,
            result,
            page: self.page.turn(),
        })));
    }
}

/// A search for what is needed, given how many matches there are where that must be known.
fn found(query: &Query, needs: Needs, total: Option<u64>) -> Searcher<'_> {
    let mut found = Searcher::new(query);
    if needs.groups {
        found = found.with_groups();
    }
    if needs.missing {
        found = found.with_missing();
    }
    if needs.whole_texts {
        found = found.in_one_piece();
    }
    match total {
        Some(total) => found.with_run_total(total),
        None => found,
    }
}

#[cfg(test)]
mod tests {
    use super::Room;
    use proptest::prelude::*;

    proptest! {
        /// Files that were looked at ahead of their turn show what one look in turn would.
        #[test]
        fn room_is_filled_as_in_one_look(
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
