//! Drafts evaluated: what is in sight first, then the counts.

use crate::draft::before::texts_after;
use crate::draft::misses::{MissList, misses};
use crate::draft::pass::{FileFound, PassPlan, RowsOf};
use crate::draft::places::{PlaceStatus, Places};
use crate::draft::request::{Draft, DraftStep, RowsView, Wanted};
use crate::draft::result::{self, ResultList};
use crate::draft::row::{Row, RowKind, RowPlace};
use crate::draft::row_index::{FileRows, RowIndex};
use crate::hints::hint::Hints;
use crate::request::Work;
use crate::schedule::Threads;
use crate::session::Session;
use crate::sources::Sources;
use crate::summary::{Ended, FileCounts, Summary};
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::unit_view::Unmatched;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::counts::LeftOutCounts;
use brisk_quill_core::rewrite::options::{RunOptions, SPLIT_FROM};
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::discover::Listing;
use brisk_quill_files::error::FileError;
use brisk_quill_files::read::TextOptions;
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::read::planned::PlannedTexts;
use brisk_quill_files::read::text_cache::TextCache;
use std::collections::HashSet;
use std::ops::ControlFlow;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

/// Bytes of files that are kept in memory.
const CACHE_MOST: u64 = 128 << 20;
/// Rows that are worth being shown before all of those that are asked for.
const FIRST_ROWS: usize = 64;
/// Bytes read at most to show the rows at a place before all files are counted.
const AHEAD_BYTES: u64 = 8 << 20;
/// The time between two reports of counts.
const REPORT_EVERY: Duration = Duration::from_millis(60);
/// Problems that are kept.
const PROBLEMS_MOST: usize = 100;
/// Drafts whose counts are kept.
const COUNTED_MOST: usize = 3;
/// Rows of a comparison that are looked for.
const DIFFERENCES_MOST: usize = 2000;

/// Something that has become known.
#[derive(Clone, Debug)]
pub enum Answer {
    /// The rows from the place that was asked for. More of them may follow, in another answer that
    /// holds these again.
    Rows(RowList),
    /// Counts so far.
    Counting(DraftCounts),
    /// All counts.
    Counted(Arc<Counted>),
}

/// Rows from a place on.
#[derive(Clone, Debug, Default)]
pub struct RowList {
    /// The rows.
    pub rows: Vec<Row>,
    /// The number of the first of them, from 0, where that is known.
    pub first: Option<u64>,
    /// The list has no rows but these, and those before the place that was asked for.
    pub is_end: bool,
    /// Only this many units without a match were looked at.
    pub looked_at: Option<u64>,
}

/// Counts of a draft.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct DraftCounts {
    /// Matches that are taken.
    pub matches: u64,
    /// Changes; 0 of a search.
    pub changes: u64,
    /// Files with changes; of a search, with matches.
    pub files: u64,
    /// Kinds of changes: of the same text before and after.
    pub kinds: u64,
    /// Units that could not be computed.
    pub problems: u64,
    /// Matches that are not taken.
    pub left_out: LeftOutCounts,
}

/// All that is counted of a draft.
#[derive(Debug, Default)]
pub struct Counted {
    /// The draft.
    pub id: u64,
    /// The counts.
    pub counts: DraftCounts,
    /// Files by what became of them.
    pub files: FileCounts,
    /// Units that do not match what they must.
    pub unmet: u64,
    /// The hints.
    pub hints: Hints,
    /// The first problems, with their files.
    pub problems: Vec<(usize, Problem)>,
    /// The rows of the list of changes; of a search, of that of matches.
    pub index: RowIndex,
    /// The places that it matches or changes.
    pub places: Arc<Places>,
}

/// Evaluates drafts, one after another.
pub struct Evaluator {
    texts: TextOptions,
    threads: Threads,
    cache: Arc<TextCache>,
    /// The texts that earlier steps leave, under the number of those.
    before: Arc<Mutex<Before>>,
    counted: Vec<Arc<Counted>>,
}

/// The texts that some steps leave, under the number of those.
type Before = Option<(u64, Arc<PlannedTexts>)>;

type Tell<'t> = &'t mut dyn FnMut(Answer);

impl Evaluator {
    /// Reads texts in this way, on this many threads.
    pub fn new(texts: TextOptions, threads: Threads) -> Self {
        Self {
            texts,
            threads,
            cache: Arc::new(TextCache::new(CACHE_MOST)),
            before: Arc::default(),
            counted: Vec::new(),
        }
    }

    /// Another one, for another thread, that shares what is kept of files.
    #[must_use]
    pub fn another(&self) -> Self {
        Self {
            texts: self.texts,
            threads: self.threads,
            cache: Arc::clone(&self.cache),
            before: Arc::clone(&self.before),
            counted: Vec::new(),
        }
    }

    fn kept_before(&self) -> MutexGuard<'_, Before> {
        // A thread that panicked left it as it was.
        self.before.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Reads texts in another way from now on.
    pub fn read_as(&mut self, texts: TextOptions) {
        if self.texts != texts {
            self.texts = texts;
            self.forget();
        }
    }

    /// Forgets what was counted for a draft: it is to be counted anew.
    pub fn forget_counts(&mut self, id: u64) {
        self.counted.retain(|counted| counted.id != id);
    }

    /// Uses this many threads from now on.
    pub fn use_threads(&mut self, threads: Threads) {
        self.threads = threads;
    }

    /// Forgets what was counted: the files may have changed.
    pub fn forget(&mut self) {
        *self.kept_before() = None;
        self.counted.clear();
    }

    pub(super) fn session(
        &self,
        draft: &Draft<'_>,
        token: &Arc<CancelToken>,
        before: Option<&Arc<PlannedTexts>>,
    ) -> Session {
        let session = Session::new(self.texts, self.threads, Arc::clone(token));
        let session = session.cached(Arc::clone(&self.cache));
        let session = match draft.stdin {
            Some(kept) => session.with_stdin(kept.clone()),
            None => session,
        };
        match before {
            Some(texts) => session.after(Arc::clone(texts)),
            None => session,
        }
    }

    /// The texts that the earlier steps leave; `Err` with nothing where it was stopped.
    pub(super) fn before(
        &mut self,
        draft: &Draft<'_>,
        token: &Arc<CancelToken>,
    ) -> Result<Result<Option<Arc<PlannedTexts>>, ()>, FileError> {
        let Some((id, steps)) = draft.before else {
            return Ok(Ok(None));
        };
        if let Some((known, texts)) = &*self.kept_before()
            && *known == id
        {
            return Ok(Ok(Some(Arc::clone(texts))));
        }
        let texts = TextOptions {
            facts: FactsOf::Found,
            ..self.texts
        };
        let mut session = Session::new(texts, self.threads, Arc::clone(token));
        session = session.cached(Arc::clone(&self.cache));
        if let Some(kept) = draft.stdin {
            session = session.with_stdin(kept.clone());
        }
        let made = texts_after(steps, (&mut session, draft.stdin), draft.sources)?;
        *self.kept_before() = made.clone().map(|texts| (id, texts));
        Ok(made.map(Some).ok_or(()))
    }

    /// Evaluates a draft: says `say` the rows that are wanted, then what is counted, unless that
    /// was done before; gives that. Once `token` is stopped it ends, says no more, and gives
    /// nothing.
    ///
    /// # Errors
    ///
    /// When the texts that the earlier steps leave cannot be made.
    pub fn evaluate(
        &mut self,
        draft: &Draft<'_>,
        wanted: Wanted,
        token: &Arc<CancelToken>,
        tell: Tell<'_>,
    ) -> Result<Option<Arc<Counted>>, FileError> {
        let Ok(before) = self.before(draft, token)? else {
            return Ok(None);
        };
        let session = || self.session(draft, token, before.as_ref());
        let known = self.known(draft.id);
        let is_counted_list = match wanted.view {
            RowsView::Changes => true,
            RowsView::Matches => draft.step.only_shows(),
            RowsView::Misses | RowsView::Units | RowsView::Result => false,
        };
        // The rows of the list that is counted come on the way.
        let rows_on_the_way = is_counted_list && known.is_none();
        if wanted.view == RowsView::Result {
            // It ends where enough is known, and what is counted goes on.
            let inner = Arc::default();
            let session = self.session(draft, &inner, before.as_ref());
            let found = result::rows(draft, wanted, result_options(), (session, inner, token))?;
            if let Some(ResultList { rows, is_end }) = found {
                tell(Answer::Rows(RowList {
                    rows,
                    is_end,
                    ..RowList::default()
                }));
            }
        } else if !rows_on_the_way {
            rows(draft, wanted, (session(), u64::MAX), tell)?;
        } else if wanted.from.file > 0 {
            // All that follows is read again to be counted.
            rows(draft, wanted, (session(), AHEAD_BYTES), tell)?;
        }
        let counted = match known {
            Some(counted) => counted,
            None => {
                let rows = match rows_on_the_way {
                    true => wanted.rows,
                    false => 0,
                };
                let Some(counted) = count(draft, Wanted { rows, ..wanted }, session(), tell)?
                else {
                    return Ok(None);
                };
                self.keep(counted)
            }
        };
        tell(Answer::Counted(Arc::clone(&counted)));
        Ok(Some(counted))
    }

    /// Counts a draft, unless that was done before; `None` where it was stopped.
    ///
    /// # Errors
    ///
    /// When the texts that the earlier steps leave cannot be made.
    pub fn count(
        &mut self,
        draft: &Draft<'_>,
        token: &Arc<CancelToken>,
    ) -> Result<Option<Arc<Counted>>, FileError> {
        if let Some(known) = self.known(draft.id) {
            return Ok(Some(known));
        }
        let Ok(before) = self.before(draft, token)? else {
            return Ok(None);
        };
        let nothing = Wanted {
            view: RowsView::Changes,
            from: RowPlace::default(),
            rows: 0,
        };
        let session = self.session(draft, token, before.as_ref());
        let counted = count(draft, nothing, session, &mut |_| {})?;
        Ok(counted.map(|counted| self.keep(counted)))
    }

    /// The rows in which a draft and the last one differ, of which `places` have been counted on
    /// the same text; `None` where it was stopped, or not all places were kept.
    ///
    /// # Errors
    ///
    /// When the texts that the earlier steps leave cannot be made.
    pub fn differences(
        &mut self,
        draft: &Draft<'_>,
        (this, last): (&Places, &Places),
        step_of_last: &DraftStep,
        token: &Arc<CancelToken>,
    ) -> Result<Option<RowList>, FileError> {
        let Ok(before) = self.before(draft, token)? else {
            return Ok(None);
        };
        differences(draft, (this, last), step_of_last, &mut || {
            self.session(draft, token, before.as_ref())
        })
    }

    fn known(&self, id: u64) -> Option<Arc<Counted>> {
        let known = self.counted.iter().find(|counted| counted.id == id);
        known.map(Arc::clone)
    }

    /// Keeps what was counted, of the last few drafts.
    fn keep(&mut self, counted: Counted) -> Arc<Counted> {
        let counted = Arc::new(counted);
        self.counted.insert(0, Arc::clone(&counted));
        self.counted.truncate(COUNTED_MOST);
        counted
    }
}

/// Tells the rows of a list from a place on, as far as they are found in this many bytes.
fn rows(
    draft: &Draft<'_>,
    wanted: Wanted,
    (mut session, bytes): (Session, u64),
    tell: Tell<'_>,
) -> Result<(), FileError> {
    let search = Rewrite::showing(draft.step.query().clone());
    let (work, rows_of) = match wanted.view {
        RowsView::Changes => (draft.step.work(run_options()), rows_of(draft.step)),
        RowsView::Matches => (Work::new(&search), RowsOf::Matches),
        RowsView::Units => {
            let options = RunOptions {
                missing: Unmatched::Shown,
                ..RunOptions::default()
            };
            let work = Work {
                rewrite: &search,
                options,
            };
            (work, RowsOf::Units)
        }
        // Nothing of it is found by a pass alone.
        RowsView::Result => return Ok(()),
        RowsView::Misses => {
            if let Some(MissList { rows, looked_at }) = misses(draft, wanted, &mut session)? {
                tell(Answer::Rows(RowList {
                    rows,
                    first: Some(0),
                    is_end: true,
                    looked_at,
                }));
            }
            return Ok(());
        }
    };
    // What is found in a file may depend on those before it.
    let first = match work.rewrite.spans_texts() {
        true => 0,
        false => wanted.from.file,
    };
    let all = &draft.sources.listing.sources;
    let plan = PassPlan::new(all, rows_of, (wanted.from, wanted.rows));
    let sources = Sources::of(Listing {
        sources: all.get(first..).unwrap_or_default().to_vec(),
        ..Listing::default()
    });
    let token = session.token();
    let mut found: Vec<Row> = Vec::new();
    let mut shown = 0;
    let mut cut = false;
    let started = Instant::now();
    let ended = session.run(
        &work,
        &sources,
        |source| plan.collector(source),
        |taken| {
            found.extend(plan.take_rows(taken.found.found.rows));
            let is_slow = started.elapsed() > REPORT_EVERY && found.len() > shown;
            if shown == 0 && (found.len() >= FIRST_ROWS || is_slow) {
                shown = found.len();
                tell(Answer::Rows(RowList {
                    rows: found.clone(),
                    ..RowList::default()
                }));
            }
            cut |= token.bytes() > bytes;
            match plan.room() == 0 || cut {
                true => ControlFlow::Break(()),
                false => ControlFlow::Continue(()),
            }
        },
    )?;
    if token.is_stopped() {
        return Ok(());
    }
    tell(Answer::Rows(RowList {
        is_end: matches!(ended, Ended::Complete(_)),
        rows: found,
        ..RowList::default()
    }));
    Ok(())
}

fn rows_of(step: &DraftStep) -> RowsOf {
    match step.only_shows() {
        true => RowsOf::Matches,
        false => RowsOf::Changes,
    }
}

/// The options of a run whose lines are shown as they become.
fn result_options() -> RunOptions {
    RunOptions {
        cells: false,
        ..run_options()
    }
}

fn run_options() -> RunOptions {
    RunOptions {
        cells: true,
        split_from: Some(SPLIT_FROM),
        ..RunOptions::default()
    }
}

/// Counts all that a draft matches and changes, and keeps rows on the way; `None` where it was
/// stopped.
fn count(
    draft: &Draft<'_>,
    wanted: Wanted,
    session: Session,
    tell: Tell<'_>,
) -> Result<Option<Counted>, FileError> {
    let all = &draft.sources.listing.sources;
    let plan = PassPlan::new(all, rows_of(draft.step), (wanted.from, wanted.rows)).counting();
    let is_rewrite = !draft.step.only_shows();
    let mut counting = Counting {
        plan: &plan,
        reported: Instant::now(),
        shown: 0,
        list: RowList::default(),
        before: 0,
        counts: DraftCounts::default(),
        kinds: HashSet::new(),
        problems: Vec::new(),
        index: RowIndex::default(),
        places: Places::none(is_rewrite),
        file: 0,
        so_far: FileFound::default(),
        rows: FileRows::default(),
        tell,
    };
    let work = draft.step.work(run_options());
    let mut session = match draft.hints {
        true => session.with_hints(),
        false => session,
    };
    let ended = session.run(
        &work,
        draft.sources,
        |source| plan.collector(source),
        |taken| {
            counting.take(taken.found.found, taken.end.is_some());
            ControlFlow::Continue(())
        },
    )?;
    match ended {
        Ended::Complete(summary) => Ok(Some(counting.end(draft.id, summary, wanted.rows > 0))),
        Ended::Stopped(..) => Ok(None),
    }
}

/// A pass that counts, under way.
struct Counting<'c> {
    plan: &'c PassPlan<'c>,
    /// The time of the last report.
    reported: Instant,
    /// Rows of the list that have been reported.
    shown: usize,
    list: RowList,
    /// The number of rows before those.
    before: u64,
    counts: DraftCounts,
    kinds: HashSet<u64>,
    problems: Vec<(usize, Problem)>,
    index: RowIndex,
    places: Places,
    /// The file whose turn it is, and what was found in it.
    file: usize,
    so_far: FileFound,
    rows: FileRows,
    tell: Tell<'c>,
}

impl Counting<'_> {
    fn take(&mut self, mut found: FileFound, is_end: bool) {
        self.counts.matches += found.matches;
        self.counts.changes += found.changes;
        self.before += found.before;
        let rows = self.plan.take_rows(std::mem::take(&mut found.rows));
        self.list.rows.extend(rows);
        for at in found.ats.drain(..) {
            self.rows.push(at);
        }
        if self.kinds.len() < crate::draft::pass::KINDS_MOST {
            self.kinds.extend(found.kinds.drain());
        }
        self.so_far.absorb(found);
        if is_end {
            let found = std::mem::take(&mut self.so_far);
            self.counts.files += u64::from(found.matches + found.changes > 0);
            let room = PROBLEMS_MOST - self.problems.len();
            let problems = found.problems.into_iter().take(room);
            self.problems
                .extend(problems.map(|problem| (self.file, problem)));
            let fits = self.plan.take_places(found.places.len());
            self.places.push(fits.then_some(found.places));
            self.index.push(std::mem::take(&mut self.rows));
            self.file += 1;
        }
        self.report();
    }

    fn report(&mut self) {
        let is_due = self.reported.elapsed() > REPORT_EVERY;
        let enough = (FIRST_ROWS).min(self.plan.room() + self.list.rows.len());
        let has_first = self.shown == 0 && self.list.rows.len() >= enough && enough > 0;
        let has_more = is_due && self.list.rows.len() > self.shown;
        if has_first || has_more {
            self.shown = self.list.rows.len();
            let first = Some(self.before);
            let list = RowList {
                first,
                ..self.list.clone()
            };
            (self.tell)(Answer::Rows(list));
        }
        if is_due {
            self.counts.kinds = self.kinds.len() as u64;
            (self.tell)(Answer::Counting(self.counts));
            self.reported = Instant::now();
        }
    }

    fn end(mut self, id: u64, summary: Summary, has_rows: bool) -> Counted {
        let step = summary.counts.all_steps();
        if has_rows {
            self.list.first = Some(self.before);
            self.list.is_end = self.before + self.list.rows.len() as u64 == self.index.len();
            (self.tell)(Answer::Rows(self.list));
        }
        Counted {
            id,
            counts: DraftCounts {
                matches: step.matches,
                changes: summary.counts.changes,
                files: self.counts.files,
                kinds: self.kinds.len() as u64,
                problems: summary.counts.problems,
                left_out: step.left_out,
            },
            files: summary.files,
            unmet: summary.counts.unmet,
            hints: summary.hints,
            problems: self.problems,
            index: self.index,
            places: Arc::new(self.places),
        }
    }
}

fn differences(
    draft: &Draft<'_>,
    (this, last): (&Places, &Places),
    step_of_last: &DraftStep,
    session: &mut dyn FnMut() -> Session,
) -> Result<Option<RowList>, FileError> {
    let files = draft.sources.listing.sources.len();
    let (mut of_last, mut of_this) = (vec![Vec::new(); files], vec![Vec::new(); files]);
    let mut found = 0;
    let compared = last.each_against(this, |file, status, last, this| {
        if status == PlaceStatus::Same || found >= DIFFERENCES_MOST {
            return;
        }
        found += 1;
        of_last[file].extend(last.map(|place| place.from));
        of_this[file].extend(this.map(|place| place.from));
    });
    if compared.is_none() {
        return Ok(None);
    }
    let mut pick = |step: &DraftStep, only: &[Vec<u64>]| pick_rows(draft, step, only, session());
    let (Some(this), Some(last)) = (pick(draft.step, &of_this)?, pick(step_of_last, &of_last)?)
    else {
        return Ok(None);
    };
    Ok(Some(RowList {
        rows: side_by_side(this, last),
        first: Some(0),
        is_end: true,
        looked_at: (found >= DIFFERENCES_MOST).then_some(DIFFERENCES_MOST as u64),
    }))
}

/// The rows of a step with something at one of these offsets; `None` where it was stopped.
fn pick_rows(
    draft: &Draft<'_>,
    step: &DraftStep,
    only: &[Vec<u64>],
    mut session: Session,
) -> Result<Option<Vec<Row>>, FileError> {
    let all = &draft.sources.listing.sources;
    let start = (RowPlace::default(), DIFFERENCES_MOST);
    let plan = PassPlan::new(all, rows_of(step), start).only(only);
    let work = step.work(run_options());
    let sources = match work.rewrite.spans_texts() {
        true => all.clone(),
        false => {
            let has_some = |(file, _): &(usize, _)| !only[*file].is_empty();
            let files = all.iter().enumerate().filter(has_some);
            files.map(|(_, source)| source.clone()).collect()
        }
    };
    let sources = Sources::of(Listing {
        sources,
        ..Listing::default()
    });
    let mut rows = Vec::new();
    let ended = session.run(
        &work,
        &sources,
        |source| plan.collector(source),
        |taken| {
            rows.extend(plan.take_rows(taken.found.found.rows));
            ControlFlow::Continue(())
        },
    )?;
    Ok(matches!(ended, Ended::Complete(_)).then_some(rows))
}

/// Rows of this time with those of last time: of one place, one row.
fn side_by_side(this: Vec<Row>, last: Vec<Row>) -> Vec<Row> {
    let end = |row: &Row| {
        (
            row.place.at,
            row.place.at + row.was.text.len().max(1) as u64,
        )
    };
    let mut rows = Vec::new();
    let (mut this, mut last) = (this.into_iter().peekable(), last.into_iter().peekable());
    loop {
        let file = match (this.peek(), last.peek()) {
            (None, None) => return rows,
            (Some(row), None) | (None, Some(row)) => row.place.file,
            (Some(this), Some(last)) => this.place.file.min(last.place.file),
        };
        let is_of = |row: &Row| row.place.file == file;
        let of_this: Vec<Row> = std::iter::from_fn(|| this.next_if(is_of)).collect();
        let of_last: Vec<Row> = std::iter::from_fn(|| last.next_if(is_of)).collect();
        crate::compare::side_by_side(of_last, of_this, end, |last, this| {
            rows.extend(match (last, this) {
                (None, None) => None,
                (None, Some(this)) => Some(Row {
                    kind: RowKind::OnlyThis,
                    ..this
                }),
                (Some(last), None) => Some(Row {
                    kind: RowKind::OnlyLast,
                    last: last.now.clone(),
                    now: None,
                    ..last
                }),
                (Some(last), Some(this)) => Some(Row {
                    kind: RowKind::Different,
                    last: last.now,
                    ..this
                }),
            });
        });
    }
}
