//! The work for a draft: steps in words are prepared, evaluated, and compared with others.

use crate::draft::detail::MatchDetail;
use crate::draft::evaluator::{Answer, Counted, DraftCounts, Evaluator, RowList};
use crate::draft::places::PlaceCounts;
use crate::draft::request::{Draft, DraftStep, RowsView, Wanted};
use crate::draft::row::{Row, RowPlace};
use crate::schedule::Threads;
use crate::sources::Sources;
use crate::tables::FileTables;
use crate::worked_examples::{WantedText, example_of};
use brisk_quill_core::example::Example;
use brisk_quill_core::explain::{Explained, explain_pattern, explain_template};
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::rewrite_file::examples::ExampleOutcome;
use brisk_quill_core::step::Step;
use brisk_quill_core::step::actions::Action;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::step_spec::values::StepFault;
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::error::FileError;
use brisk_quill_files::read::TextOptions;
use brisk_quill_files::read::kept_stdin::KeptStdin;
use brisk_quill_files::source::Source;
use std::path::Path;
use std::sync::Arc;

/// Steps and numbers that are kept.
const STEPS_MOST: usize = 16;
const IDS_MOST: usize = 64;

/// The texts that a draft is about.
#[derive(Clone, Debug)]
pub struct DraftTexts {
    /// The files.
    pub sources: Arc<Sources>,
    /// A number that no other choice of files has.
    pub listing: u64,
    /// The bytes of the files.
    pub bytes: u64,
    /// The way in which they are read.
    pub options: TextOptions,
    /// Threads that read them.
    pub threads: Threads,
    /// Standard input, as far as it has come, and how many bytes that are.
    pub stdin: Option<(KeptStdin, u64)>,
    /// Hints are looked out for.
    pub hints: bool,
}

/// The steps of a draft, compiled, with the texts that they are about.
#[derive(Debug)]
pub struct Prepared {
    /// The steps in words.
    pub specs: Vec<StepSpec>,
    /// The steps; `None` where nothing is said to be matched yet.
    pub steps: Vec<Option<DraftStep>>,
    /// The step that is looked at, from 0.
    pub step: usize,
    /// A number that no other draft has.
    pub id: u64,
    /// The texts.
    pub texts: DraftTexts,
    /// The meaning of each part of the pattern, and of the template.
    pub pattern: Vec<Explained>,
    /// The parts of the template, and what each writes.
    pub template: Vec<(String, String)>,
    before: Option<(u64, Rewrite)>,
}

/// A step that is wrong.
#[derive(Debug, thiserror::Error)]
#[error("step {}: {fault}", .step + 1)]
pub struct WrongStep {
    /// The step, from 0.
    pub step: usize,
    /// The fault.
    #[source]
    pub fault: StepFault,
}

impl Prepared {
    /// The step that is looked at; `None` where nothing is said to be matched yet.
    pub fn step(&self) -> Option<&DraftStep> {
        self.steps[self.step].as_ref()
    }

    /// Bytes of standard input that had come.
    pub fn sample_bytes(&self) -> u64 {
        self.texts.stdin.as_ref().map_or(0, |(_, bytes)| *bytes)
    }

    /// The bytes of all texts.
    pub fn bytes(&self) -> u64 {
        self.texts.bytes + self.sample_bytes()
    }

    fn draft<'b>(&'b self, step: &'b DraftStep) -> Draft<'b> {
        Draft {
            id: self.id,
            step,
            before: self.before.as_ref().map(|(id, steps)| (*id, steps)),
            sources: &self.texts.sources,
            stdin: self.texts.stdin.as_ref().map(|(kept, _)| kept),
            hints: self.texts.hints,
        }
    }

    /// Works the examples of each step.
    pub fn outcomes(&self, examples: &[Vec<Example>]) -> Vec<Vec<ExampleOutcome>> {
        let each = self.specs.iter().zip(&self.steps).zip(examples);
        each.map(|((spec, step), examples)| {
            let rewrite = match step {
                Some(step) if !step.only_shows() => step.rewrite().clone(),
                // Nothing becomes of any text yet.
                Some(_) | None => Rewrite::new(Vec::new()),
            };
            let mut text = RewriteText::from(vec![spec.clone()]);
            text.step[0].example.clear();
            text.example = examples.clone();
            text.work_examples(&rewrite).unwrap_or_default()
        })
        .collect()
    }

    /// A row as a worked example.
    ///
    /// # Errors
    ///
    /// The reason for which it can be none.
    pub fn example(&self, row: &Row, wanted: &WantedText) -> Result<Example, String> {
        let is_cut = row.was.cut_before || row.was.cut_after;
        let was = match &row.cell {
            Some(_) => row.record.as_deref(),
            None => Some(&row.was.text[..]).filter(|_| !is_cut),
        };
        let source = self.texts.sources.listing.sources.get(row.place.file);
        let (Some(step), Some(source)) = (self.step(), source) else {
            return Err("there is no match in it".into());
        };
        let was = was.ok_or("it is too long")?;
        example_of(step, source, was, wanted).map_err(|fault| fault.to_string())
    }
}

/// The list that is wanted of a draft.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WantedList {
    /// One of its own.
    Of(RowsView),
    /// The differences to the draft that it is compared with.
    Differences,
}

/// The rows that are wanted, from a place on.
#[derive(Clone, Copy, Debug)]
pub struct WantedRows {
    /// The list.
    pub list: WantedList,
    /// The place of the first.
    pub from: RowPlace,
    /// The number of them.
    pub rows: usize,
}

/// Something that has become known of a draft.
#[derive(Clone, Debug)]
pub enum DraftNews {
    /// The rows that are wanted.
    Rows(RowList),
    /// Counts so far.
    Counting(DraftCounts),
    /// All counts.
    Counted(Arc<Counted>),
    /// The differences to the draft it is compared with; `None` where they cannot be reported.
    Compared(Option<PlaceCounts>),
}

/// Prepares drafts, and evaluates them one after another.
///
/// ```
/// use brisk_quill_core::step_spec::StepSpec;
/// use brisk_quill_engine::draft::request::RowsView;
/// use brisk_quill_engine::draft::row::RowPlace;
/// use brisk_quill_engine::draft::worker::{DraftNews, DraftTexts, DraftWorker, WantedList, WantedRows};
/// use brisk_quill_engine::host::Host;
/// use brisk_quill_engine::schedule::Threads;
/// use brisk_quill_engine::sources::Sources;
/// use brisk_quill_files::discover::Search;
/// use std::sync::Arc;
///
/// let folder = tempfile::tempdir()?;
/// std::fs::write(folder.path().join("notice.txt"), "berth 4\nquay\n")?;
/// let host = Host::new(folder.path().to_owned());
/// let texts = DraftTexts {
///     sources: Arc::new(Sources::find(&host, vec![".".into()], Search::default())?),
///     listing: 1,
///     bytes: 13,
///     options: Default::default(),
///     threads: Threads::default(),
///     stdin: None,
///     hints: false,
/// };
/// let mut worker = DraftWorker::new();
/// // Each key makes another draft; what was prepared and counted is used again.
/// for (pattern, matches) in [("b", 1), ("be", 1), ("be|q", 2)] {
///     let spec = StepSpec { pattern: Some(pattern.into()), ..StepSpec::default() };
///     let steps = worker.compile(std::slice::from_ref(&spec))?;
///     let draft = worker.prepare((vec![spec], steps), 0, &texts);
///     let list = WantedList::Of(RowsView::Matches);
///     let wanted = WantedRows { list, from: RowPlace::default(), rows: 40 };
///     let mut counted = None;
///     worker.evaluate(&draft, wanted, None, host.token(), &mut |news| {
///         if let DraftNews::Counted(all) = news {
///             counted = Some(all.counts.matches);
///         }
///     })?;
///     assert_eq!(counted, Some(matches));
/// }
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct DraftWorker {
    evaluator: Evaluator,
    /// Steps that were compiled: a key changes one of them.
    steps: Vec<(StepSpec, DraftStep)>,
    /// Drafts with their numbers; one whose files or sample changed is another.
    ids: Vec<(IdOf, u64)>,
    next_id: u64,
    /// A search that nothing matches, for a draft without a pattern.
    nothing: DraftStep,
}

/// The thing that a number stands for: some steps, and the texts that they are about.
#[derive(Clone, Debug, PartialEq)]
struct IdOf {
    specs: Vec<StepSpec>,
    /// The step that is looked at; `None` where all of them are meant.
    step: Option<usize>,
    listing: u64,
    options: TextOptions,
    sample: Option<u64>,
}

impl Default for DraftWorker {
    fn default() -> Self {
        Self::new()
    }
}

impl DraftWorker {
    /// A worker that knows nothing yet.
    pub fn new() -> Self {
        let nothing = StepSpec {
            pattern: Some("[^\\s\\S]".into()),
            ..StepSpec::default()
        };
        let query = nothing.query().expect("the pattern is right");
        let nothing = Step::new(query, Action::Show);
        Self {
            evaluator: Evaluator::new(TextOptions::default(), Threads::default()),
            steps: Vec::new(),
            ids: Vec::new(),
            next_id: 0,
            nothing: DraftStep::new(nothing),
        }
    }

    /// Another one, for another thread, that shares what is kept of files.
    #[must_use]
    pub fn another(&self) -> Self {
        Self {
            evaluator: self.evaluator.another(),
            ..Self::new()
        }
    }

    /// Forgets all that was counted and kept of files.
    pub fn forget(&mut self) {
        self.ids.clear();
        self.evaluator.forget();
    }

    /// Forgets what was counted of a draft: its files may have changed.
    pub fn forget_counts(&mut self, draft: &Prepared) {
        self.evaluator.forget_counts(draft.id);
    }

    /// Compiles each step.
    ///
    /// # Errors
    ///
    /// With the first that is wrong.
    pub fn compile(&mut self, specs: &[StepSpec]) -> Result<Vec<Option<DraftStep>>, WrongStep> {
        let step = |(step, spec)| self.one(spec).map_err(|fault| WrongStep { step, fault });
        specs.iter().enumerate().map(step).collect()
    }

    fn one(&mut self, spec: &StepSpec) -> Result<Option<DraftStep>, StepFault> {
        if !spec.has_pattern() {
            return Ok(None);
        }
        if let Some((_, step)) = self.steps.iter().find(|(known, _)| known == spec) {
            return Ok(Some(step.clone()));
        }
        let mut tables = FileTables::new(Path::new(""));
        let step = DraftStep::new(match spec.has_action() {
            true => spec.build(&mut tables)?,
            false => Step::new(spec.query_with(&mut tables)?.0, Action::Show),
        });
        // A table may change until the next key.
        if tables.is_empty() {
            self.steps.insert(0, (spec.clone(), step.clone()));
            self.steps.truncate(STEPS_MOST);
        }
        Ok(Some(step))
    }

    /// Prepares a draft of some steps, in words and [compiled](Self::compile), of which `step`, from 0, is
    /// looked at.
    pub fn prepare(
        &mut self,
        (specs, steps): (Vec<StepSpec>, Vec<Option<DraftStep>>),
        step: usize,
        texts: &DraftTexts,
    ) -> Prepared {
        let of = |specs: &[StepSpec], step| IdOf {
            specs: specs.to_vec(),
            step,
            listing: texts.listing,
            options: texts.options,
            sample: texts.stdin.as_ref().map(|(_, bytes)| *bytes),
        };
        let id = self.id(of(&specs, Some(step)));
        let before = before(&steps[..step]);
        let before = before.map(|rewrite| (self.id(of(&specs[..step], None)), rewrite));
        let (mut pattern, mut template) = (Vec::new(), Vec::new());
        if let Some(looked_at) = &steps[step] {
            pattern = explain_pattern(&looked_at.query().pattern);
            if let Some(of_step) = looked_at.step().action.template() {
                template = explain_template(of_step);
            }
        }
        Prepared {
            specs,
            steps,
            step,
            id,
            texts: texts.clone(),
            pattern,
            template,
            before,
        }
    }

    fn id(&mut self, of: IdOf) -> u64 {
        if let Some((_, id)) = self.ids.iter().find(|(known, _)| *known == of) {
            return *id;
        }
        self.next_id += 1;
        self.ids.insert(0, (of, self.next_id));
        self.ids.truncate(IDS_MOST);
        self.next_id
    }

    /// Evaluates a draft: says the rows that are wanted, then the counts, and the differences to `against`,
    /// where it sees the same texts. Less is reported once `token` is stopped.
    ///
    /// # Errors
    ///
    /// When the texts that earlier steps leave cannot be kept.
    pub fn evaluate(
        &mut self,
        draft: &Prepared,
        wanted: WantedRows,
        against: Option<&Prepared>,
        token: &Arc<CancelToken>,
        tell: &mut dyn FnMut(DraftNews),
    ) -> Result<(), FileError> {
        self.evaluator.read_as(draft.texts.options);
        self.evaluator.use_threads(draft.texts.threads);
        let (step, view) = match (draft.step(), wanted.list) {
            // There is no pattern yet: all text is shown.
            (None, _) => (&self.nothing, RowsView::Units),
            (Some(step), WantedList::Of(view)) => (step, view),
            (Some(step), WantedList::Differences) => (step, RowsView::Changes),
        };
        let rows = Wanted {
            view,
            from: wanted.from,
            rows: wanted.rows,
        };
        let request = draft.draft(step);
        let is_compared = wanted.list == WantedList::Differences;
        let counted = match is_compared {
            false => self
                .evaluator
                .evaluate(&request, rows, token, &mut |answer| {
                    tell(match answer {
                        Answer::Rows(rows) => DraftNews::Rows(rows),
                        Answer::Counting(counts) => DraftNews::Counting(counts),
                        Answer::Counted(counted) => DraftNews::Counted(counted),
                    });
                })?,
            true => {
                let counted = self.evaluator.count(&request, token)?;
                if let Some(counted) = &counted {
                    tell(DraftNews::Counted(Arc::clone(counted)));
                }
                counted
            }
        };
        let Some(counted) = counted else {
            return Ok(());
        };
        let no_rows = || {
            DraftNews::Rows(RowList {
                is_end: true,
                ..RowList::default()
            })
        };
        let Some((last, of_last)) = against.and_then(|last| Some((last, last.step()?))) else {
            if against.is_some() {
                tell(DraftNews::Compared(None));
            }
            if is_compared {
                tell(no_rows());
            }
            return Ok(());
        };
        let Some(counted_last) = self.evaluator.count(&last.draft(of_last), token)? else {
            return Ok(());
        };
        let places = counted_last.places.compared_with(&counted.places);
        tell(DraftNews::Compared(places));
        if is_compared {
            let both = (&*counted.places, &*counted_last.places);
            let rows = self.evaluator.differences(&request, both, of_last, token)?;
            if let Some(rows) = rows {
                tell(DraftNews::Rows(rows));
            }
        }
        Ok(())
    }

    /// The matches of a row in detail; `None` where its step matches nothing yet, or once `token` is stopped.
    pub fn detail(
        &mut self,
        draft: &Prepared,
        row: &Row,
        token: &Arc<CancelToken>,
    ) -> Option<Vec<MatchDetail>> {
        self.evaluator.read_as(draft.texts.options);
        let step = draft.step()?;
        let height = brisk_quill_core::unit::lines(&row.was.text).count().max(1);
        let lines = (row.line, row.line + height as u64 - 1);
        let request = draft.draft(step);
        let found = self.evaluator.detail(&request, row.place, lines, token);
        let found = found.ok()??;
        // Whole lines hold the matches of all their cells.
        let of_cell = |found: &MatchDetail| row.cell.is_none() || found.cell == row.cell;
        Some(found.into_iter().filter(of_cell).collect())
    }
}

/// The steps that do something, as one rewrite.
fn before(steps: &[Option<DraftStep>]) -> Option<Rewrite> {
    let acting = steps.iter().flatten().filter(|step| !step.only_shows());
    let steps: Vec<_> = acting.map(|step| step.step().clone()).collect();
    (!steps.is_empty()).then(|| Rewrite::new(steps))
}

/// The bytes of some files, as far as they can be looked at.
pub fn bytes_of(sources: &Sources) -> u64 {
    let all = sources.listing.sources.iter();
    let bytes = all.filter_map(|source| match source {
        Source::File(path) => Some(path.place().metadata().ok()?.len()),
        Source::Stdin(_) => None,
    });
    bytes.sum()
}
