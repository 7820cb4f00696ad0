//! Requests carried out: the one way from bytes to results.

use crate::collector::{Collector, Events, NullCollector};
use crate::file_run::FileRuns;
use crate::hints::evidence::Evidence;
use crate::hints::hint::Hints;
use crate::hints::plan::StudyPlan;
use crate::hints::{self, Done};
use crate::request::Work;
use crate::schedule::Threads;
use crate::schedule::in_order::in_order;
use crate::schedule::in_parts::Helpers;
use crate::sources::Sources;
use crate::summary::{Ended, FileEnd, StopReason, Summary};
use crate::text_worker::TextWorker;
use crate::watched::Watched;
use brisk_quill_core::rewrite::options::{RunTotals, Watch};
use brisk_quill_core::stop::Stop;
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::discover::Listing;
use brisk_quill_files::error::FileError;
use brisk_quill_files::read::kept_stdin::KeptStdin;
use brisk_quill_files::read::planned::PlannedTexts;
use brisk_quill_files::read::text_cache::TextCache;
use brisk_quill_files::read::{FileEncodings, Reader, Skipped, TextOptions};
use brisk_quill_files::source::Source;
use std::fs::File;
use std::ops::ControlFlow;
use std::path::Path;
use std::sync::Arc;

/// Binary files that a hint may be about.
const BINARY_MOST: usize = 100;

/// Reads files, and searches or rewrites them, for any front.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_core::query::Query;
/// use brisk_quill_engine::collector::NullCollector;
/// use brisk_quill_core::rewrite::Rewrite;
/// use brisk_quill_engine::request::Work;
/// use brisk_quill_engine::session::Session;
/// use brisk_quill_engine::sources::Sources;
/// use brisk_quill_engine::summary::Ended;
/// use brisk_quill_files::discover::Listing;
/// use brisk_quill_files::source::Source;
/// use std::ops::ControlFlow;
///
/// let folder = tempfile::tempdir()?;
/// let log = folder.path().join("gauge.log");
/// std::fs::write(&log, "quay 1, quay 2\nberth 7\n")?;
/// let sources = Sources::of(Listing { sources: vec![Source::file(log)], ..Listing::default() });
///
/// let query = Query::new(Pattern::new("quay", &MatchOptions::default())?);
/// let search = Rewrite::showing(query);
/// let work = Work::new(&search);
/// let ended = Session::default().run(&work, &sources, |_| NullCollector, |_| ControlFlow::Continue(()))?;
/// let Ended::Complete(summary) = ended else { panic!("no one stopped it") };
/// assert_eq!(summary.counts.all_steps().matches, 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Default)]
pub struct Session {
    reader: Reader,
    threads: Threads,
    token: Arc<CancelToken>,
    hints: bool,
    /// Kinds of hints that are not given.
    silent: Vec<String>,
    shows_units: bool,
}

/// Results taken in the order of the files.
///
#[doc = include_str!("../doc/rewriting.md")]
pub struct Taken<'t, C> {
    /// The file they belong to.
    pub source: &'t Source,
    /// The results since the last time.
    pub found: C,
    /// The end of the file, unless more of it follows.
    pub end: Option<FileEnd>,
}

impl Session {
    /// A session that reads texts in this way, and stops once `token` is cancelled.
    pub fn new(texts: TextOptions, threads: Threads, token: Arc<CancelToken>) -> Self {
        Self {
            reader: Reader::new(texts).watched(Arc::clone(&token)),
            threads,
            token,
            hints: false,
            silent: Vec::new(),
            shows_units: false,
        }
    }

    /// Looks out for what often means a mistake: see [`Summary::hints`].
    #[must_use]
    pub fn with_hints(mut self) -> Self {
        self.hints = true;
        self
    }

    /// Gives no hints of these kinds.
    #[must_use]
    pub fn silent_about(mut self, kinds: &[String]) -> Self {
        self.silent = kinds.to_vec();
        self
    }

    /// Looks out for no hints.
    #[must_use]
    pub fn without_hints(mut self) -> Self {
        self.hints = false;
        self
    }

    /// Shows each unit with a match to [`Events::seen`].
    #[must_use]
    pub fn showing_units(mut self) -> Self {
        self.shows_units = true;
        self
    }

    /// Reads only files that lie below `root`, wherever links lead.
    #[must_use]
    pub fn below(mut self, root: Option<&Path>) -> Self {
        self.reader = self.reader.below(root);
        self
    }

    /// Reads some files in encodings of their own.
    #[must_use]
    pub fn encoded(mut self, encodings: Arc<FileEncodings>) -> Self {
        self.reader = self.reader.encoded(encodings);
        self
    }

    /// Reads files as a plan would leave them.
    #[must_use]
    pub fn after(mut self, planned: Arc<PlannedTexts>) -> Self {
        self.reader = self.reader.after(planned);
        self
    }

    /// Keeps files in `cache`, and reads them there.
    #[must_use]
    pub fn cached(mut self, cache: Arc<TextCache>) -> Self {
        self.reader = self.reader.cached(cache);
        self
    }

    /// Reads `kept` as standard input, from its beginning each time.
    #[must_use]
    pub fn with_stdin(mut self, kept: KeptStdin) -> Self {
        self.reader = self.reader.with_stdin(kept);
        self
    }

    /// Reads this many bytes at a time, at least 16. What is found does not depend on it.
    #[must_use]
    pub fn in_pieces_of(mut self, bytes: usize) -> Self {
        self.reader = self.reader.in_pieces_of(bytes);
        self
    }

    /// The token.
    pub fn token(&self) -> Arc<CancelToken> {
        Arc::clone(&self.token)
    }

    /// Hands on bytes as they are read, however few.
    pub fn as_it_comes(&mut self) {
        self.reader = std::mem::take(&mut self.reader).as_it_comes();
    }

    /// Keeps standard input, where it is among the sources, so that it can be read again.
    ///
    /// # Errors
    ///
    /// When it cannot be read or kept.
    pub fn keep_stdin(&mut self, listing: &Listing) -> Result<(), FileError> {
        match listing.has_stdin() && self.reader.kept_stdin().is_err() {
            true => self.reader.keep_stdin(),
            false => Ok(()),
        }
    }

    /// Standard input, where it is kept.
    pub fn stdin(&self) -> Option<&KeptStdin> {
        self.reader.stdin()
    }

    /// The kept standard input, from its beginning.
    ///
    /// # Errors
    ///
    /// When it has not been kept, or cannot be read again.
    pub fn kept_stdin(&self) -> Result<File, FileError> {
        self.reader.kept_stdin()
    }

    /// Works on every source, each with a collector of its own that `make` makes, and shows
    /// `take` what was gathered, in the order of the sources, on this thread.
    ///
    /// # Errors
    ///
    /// When standard input cannot be kept, where it must be read twice. That a file cannot be
    /// read is a [`FileEnd`].
    pub fn run<'s, C: Collector>(
        &mut self,
        work: &Work<'_>,
        sources: &'s Sources,
        make: impl Fn(&'s Source) -> C + Sync,
        mut take: impl FnMut(Taken<'s, C>) -> ControlFlow<()>,
    ) -> Result<Ended, FileError> {
        let rewrite = work.rewrite.stopped_by(&Stop::by(self.token.flag()));
        let work = &work.of(&rewrite);
        self.reader.set_rewrites(!rewrite.only_shows());
        self.reader.set_cells(rewrite.only_cells());
        let totals = self.count_before(work, sources)?;
        let all = &sources.listing.sources;
        let threads = match rewrite.spans_texts() {
            true => 1,
            false => self.threads.over(all.len()),
        };
        let study = self.hints.then(|| StudyPlan::new(work));
        let watch = self.watch(study.as_ref());
        let new_worker = || TextWorker::new(work, &totals, watch.as_ref());
        let within_file = || self.threads.within_file();
        let helpers = Helpers::new(&within_file);
        let make = |source: &'s Source| Watched {
            front: make(source),
            evidence: study
                .as_ref()
                .map(|plan| Evidence::new(plan, source, sources)),
        };
        let runs = FileRuns {
            make: &make,
            worker: &new_worker,
            helpers: &helpers,
        };
        let worker = || (new_worker(), self.reader.another());
        let mut summary = sources.summary();
        let new_evidence = |plan| Evidence::new(plan, &Source::STDIN, sources);
        let mut all_evidence: Option<Evidence<'_>> = study.as_ref().map(new_evidence);
        let mut binary = Vec::new();
        let mut enough = false;
        in_order(
            all,
            threads,
            worker,
            |(worker, reader), source, send: &mut dyn FnMut(_) -> bool| {
                let (found, end) = runs.run((worker, reader), source, &mut |found| {
                    send((found, None));
                });
                send((found, Some(end)));
            },
            |source, (watched, mut end)| {
                let found = watched.front;
                if let (Some(all), Some(evidence)) = (&mut all_evidence, watched.evidence) {
                    all.absorb(evidence);
                }
                end = end.map(|end| match sources.is_named(source) {
                    true => end.of_named(source),
                    false => end,
                });
                if let Some(end) = &mut end {
                    note_binary(&mut binary, source, end);
                    summary.add(end);
                }
                let flow = take(Taken { source, found, end });
                enough |= flow.is_break();
                flow
            },
        );
        if let (Some(plan), Some(evidence), false) = (&study, all_evidence, enough) {
            summary.hints = self.hints_of(plan, evidence, (&summary, sources, &binary));
        }
        Ok(self.ended(summary, enough))
    }

    /// The same for one collector that sees all files itself, on this thread; `take` is shown it
    /// at the end of each file.
    ///
    /// # Errors
    ///
    /// As [`Session::run`].
    pub fn run_in_turn<E: Events>(
        &mut self,
        work: &Work<'_>,
        sources: &Sources,
        events: &mut E,
        mut take: impl FnMut(&mut E, &Source, &FileEnd) -> ControlFlow<()>,
    ) -> Result<Ended, FileError> {
        let rewrite = work.rewrite.stopped_by(&Stop::by(self.token.flag()));
        let work = &work.of(&rewrite);
        self.reader.set_rewrites(!rewrite.only_shows());
        self.reader.set_cells(rewrite.only_cells());
        let totals = self.count_before(work, sources)?;
        let study = self.hints.then(|| StudyPlan::new(work));
        let watch = self.watch(study.as_ref());
        let mut worker = TextWorker::new(work, &totals, watch.as_ref());
        let mut watched = Watched {
            front: &mut *events,
            evidence: study
                .as_ref()
                .map(|plan| Evidence::new(plan, &Source::STDIN, sources)),
        };
        let mut summary = sources.summary();
        let mut binary = Vec::new();
        let mut enough = false;
        for source in &sources.listing.sources {
            watched.front.begin_file(source);
            if let Some(evidence) = &mut watched.evidence {
                evidence.begin_file(source, sources);
            }
            let mut end =
                crate::file_run::run_in_turn(&mut worker, &mut self.reader, source, &mut watched);
            if sources.is_named(source) {
                end = end.of_named(source);
            }
            note_binary(&mut binary, source, &end);
            summary.add(&mut end);
            if take(watched.front, source, &end).is_break() {
                enough = true;
                break;
            }
        }
        if let (Some(plan), Some(evidence), false) = (&study, watched.evidence, enough) {
            summary.hints = self.hints_of(plan, evidence, (&summary, sources, &binary));
        }
        Ok(self.ended(summary, enough))
    }

    /// The units that are shown one by one, where any are.
    fn watch(&self, study: Option<&StudyPlan<'_>>) -> Option<Watch> {
        let for_hints = study.map(StudyPlan::watch);
        for_hints.or_else(|| self.shows_units.then(Watch::default))
    }

    fn hints_of(
        &self,
        plan: &StudyPlan<'_>,
        evidence: Evidence<'_>,
        (summary, sources, binary): (&Summary, &Sources, &[Source]),
    ) -> Hints {
        if self.token.is_stopped() {
            return Hints::default();
        }
        let done = Done {
            plan,
            sources,
            reader: &self.reader,
            counts: &summary.counts,
            binary,
        };
        let mut all = hints::all(&done, evidence);
        all.retain(|hint| !self.silent.iter().any(|kind| kind == hint.name));
        Hints::of(all)
    }

    fn ended(&self, summary: Summary, enough: bool) -> Ended {
        if self.token.is_stopped() {
            Ended::Stopped(StopReason::Interrupted, summary)
        } else if enough {
            Ended::Stopped(StopReason::Enough, summary)
        } else {
            Ended::Complete(summary)
        }
    }

    /// Counts the matches that must be known before any is taken.
    fn count_before(&mut self, work: &Work<'_>, sources: &Sources) -> Result<RunTotals, FileError> {
        let mut totals = RunTotals::default();
        while let Some(step) = work.rewrite.step_to_count(&totals) {
            self.keep_stdin(&sources.listing)?;
            let mut worker = TextWorker::counting(work, step, &totals);
            for source in &sources.listing.sources {
                // What goes wrong here will go wrong again, and be reported, in the run itself.
                let events = &mut NullCollector;
                crate::file_run::run_in_turn(&mut worker, &mut self.reader, source, events);
            }
            totals.set(step, worker.counted());
        }
        Ok(totals)
    }
}

/// Keeps some of the files that look binary, for a hint.
fn note_binary(binary: &mut Vec<Source>, source: &Source, end: &FileEnd) {
    if matches!(end, FileEnd::Skipped(Skipped::Binary)) && binary.len() < BINARY_MOST {
        binary.push(source.clone());
    }
}
