//! The worker of a draft: jobs come in, news go out.

use crate::args::definitions::FilesArgs;
use crate::diagnostic::Diagnostic;
use crate::draft::request::{Asked, Compiled, Fault, StepText, ask};
use crate::draft::stdin_sample::StdinSample;
use crate::options;
use brisk_quill_core::example::Example;
use brisk_quill_core::explain::{Explained, explain_pattern, explain_template};
use brisk_quill_core::infer::inference::Inference;
use brisk_quill_core::infer::proposal::Proposal;
use brisk_quill_core::infer::task::{Pair, Task};
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::rewrite_file::examples::ExampleOutcome;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::stop::Stop;
use brisk_quill_engine::draft::detail::MatchDetail;
use brisk_quill_engine::draft::evaluator::{Answer, Counted, DraftCounts, Evaluator, RowList};
use brisk_quill_engine::draft::newest_first::NewestFirst;
use brisk_quill_engine::draft::places::PlaceCounts;
use brisk_quill_engine::draft::request::{Draft, DraftStep, RowsView, Wanted};
use brisk_quill_engine::draft::row::{Row, RowPlace};
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::sources::Sources;
use brisk_quill_engine::worked_examples::{WantedText, example_of};
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::discover::FileUse;
use brisk_quill_files::read::TextOptions;
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::read::kept_stdin::KeptStdin;
use brisk_quill_files::source::Source;
use std::path::PathBuf;
use std::sync::mpsc::Sender;
use std::sync::{Arc, Mutex, PoisonError};

/// A request in words, and which of its steps is looked at.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct DraftText {
    pub steps: Vec<StepText>,
    /// The step, from 0.
    pub step: usize,
}

/// The list that is wanted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WantedList {
    /// One of the engine's.
    Of(RowsView),
    /// The differences to the try that is compared with.
    Differences,
}

/// A job.
#[derive(Clone, Debug)]
pub struct Job {
    /// Its number; that of a later job is larger.
    pub number: u64,
    pub text: DraftText,
    pub list: WantedList,
    /// The place of the first row that is wanted, and the number of rows.
    pub from: RowPlace,
    pub rows: usize,
    /// The try that it is compared with.
    pub against: Option<DraftText>,
    /// The worked examples of each step.
    pub examples: Vec<Vec<Example>>,
    /// The request is another than that of the job before: files may have changed since it was
    /// counted last.
    pub is_new: bool,
    /// The files are to be looked for and read again.
    pub anew: bool,
}

/// A job about one row.
#[derive(Clone, Debug)]
pub struct RowJob {
    pub number: u64,
    pub built: Arc<Built>,
    pub row: Row,
    pub what: RowWork,
}

/// The work that is wanted on a row.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RowWork {
    /// Its matches in detail.
    Detail,
    /// A worked example made of it.
    Example(WantedText),
    /// Rewrites inferred from worked examples; not of the row alone, but of the texts around it.
    Infer(Vec<Example>, Vec<String>),
}

/// A request that has been understood.
#[derive(Debug)]
pub struct Built {
    /// The request, and the numbers that it is known by: its own, and that of the steps before.
    pub text: DraftText,
    pub id: u64,
    before: Option<(u64, Rewrite)>,
    pub asked: Asked,
    pub sources: Arc<Sources>,
    /// The bytes of the files.
    pub bytes: u64,
    /// The meaning of each part of the pattern, and of the template.
    pub pattern: Vec<Explained>,
    pub template: Vec<(String, String)>,
    stdin: Option<(KeptStdin, u64)>,
}

impl Built {
    /// The step that is looked at; `None` where nothing is said to be matched yet.
    pub fn step(&self) -> Option<&DraftStep> {
        self.asked.steps[self.text.step].as_ref()
    }

    /// Bytes of standard input that had come.
    pub fn sample_bytes(&self) -> u64 {
        self.stdin.as_ref().map_or(0, |(_, bytes)| *bytes)
    }

    fn draft<'b>(&'b self, step: &'b DraftStep) -> Draft<'b> {
        Draft {
            id: self.id,
            step,
            before: self.before.as_ref().map(|(id, steps)| (*id, steps)),
            sources: &self.sources,
            stdin: self.stdin.as_ref().map(|(kept, _)| kept),
            hints: !self.asked.files.no_hints,
        }
    }
}

/// A result of a job.
#[derive(Debug)]
pub enum News {
    /// The words are wrong.
    Wrong(Box<Fault>),
    /// Something else went wrong.
    Failed(Diagnostic),
    /// The words are understood.
    Built(Arc<Built>),
    /// The rows that are wanted.
    Rows(RowList),
    /// Counts so far.
    Counting(DraftCounts),
    /// All counts.
    Counted(Arc<Counted>),
    /// The differences to the try it is compared with; `None` where they cannot be told.
    Compared(Option<PlaceCounts>),
    /// The outcomes of the worked examples of each step.
    Examples(Vec<Vec<ExampleOutcome>>),
    /// The job is done.
    Done,
    /// The matches of a row.
    Detail(Vec<MatchDetail>),
    /// A row as a worked example, or why it is none.
    Example(Result<Example, String>),
    /// Steps that make all examples, the likeliest first, or why there is none.
    Inferred(Result<Vec<StepSpec>, String>),
}

/// Sends news, with the number of their job.
pub type Tell = Arc<dyn Fn(u64, News) + Send + Sync>;

/// The two threads that work for a draft.
pub struct Workers {
    jobs: NewestFirst<Job>,
    rows: NewestFirst<RowJob>,
}

/// The files and the sample that a draft is about.
#[derive(Clone, Debug)]
pub struct Opened {
    pub paths: Vec<PathBuf>,
    pub stdin: Option<StdinSample>,
}

impl Workers {
    /// Starts them; what they find goes to `tell`.
    pub fn start(opened: &Opened, threads: Threads, tell: &Tell) -> Self {
        let mut worker = Worker::new(opened, threads, tell);
        let mut of_rows = worker.for_rows();
        Self {
            jobs: NewestFirst::start(move |job, token| worker.work(&job, token)),
            rows: NewestFirst::start(move |job, token| of_rows.work(&job, token)),
        }
    }

    pub fn give(&self, job: Job) {
        self.jobs.give(job);
    }

    pub fn give_row(&self, job: RowJob) {
        self.rows.give(job);
    }

    /// True if one of them panicked.
    pub fn have_panicked(&self) -> bool {
        self.jobs.has_panicked() || self.rows.has_panicked()
    }

    /// Bytes that the current job has read.
    pub fn bytes(&self) -> u64 {
        self.jobs.bytes()
    }
}

/// Sends news through a channel.
pub fn tell_through(sender: Sender<(u64, News)>) -> Tell {
    let sender = Mutex::new(sender);
    Arc::new(move |number, news| {
        let sender = sender.lock().unwrap_or_else(PoisonError::into_inner);
        // Whoever no longer listens has left.
        let _ = sender.send((number, news));
    })
}

/// Requests whose numbers are remembered.
const IDS_MOST: usize = 64;

/// Works on jobs.
pub struct Worker {
    opened: Opened,
    evaluator: Evaluator,
    compiled: Compiled,
    listed: Option<Listed>,
    /// Requests with their numbers; a request whose files or sample changed is another.
    ids: Vec<(IdOf, u64)>,
    next_id: u64,
    tell: Tell,
}

/// The thing that a number stands for.
#[derive(Clone, Debug, PartialEq, Eq)]
enum IdOf {
    Draft(DraftText, Option<u64>),
    Before(Vec<StepText>, Option<u64>),
}

/// Files that have been looked for.
struct Listed {
    /// The options that say which.
    said: Vec<String>,
    sources: Arc<Sources>,
    bytes: u64,
}

impl Worker {
    pub fn new(opened: &Opened, threads: Threads, tell: &Tell) -> Self {
        Self {
            opened: opened.clone(),
            evaluator: Evaluator::new(TextOptions::default(), threads),
            compiled: Compiled::default(),
            listed: None,
            ids: Vec::new(),
            next_id: 0,
            tell: Arc::clone(tell),
        }
    }

    /// A worker on jobs about rows, for another thread.
    pub fn for_rows(&self) -> RowWorker {
        RowWorker {
            evaluator: self.evaluator.another(),
            tell: Arc::clone(&self.tell),
        }
    }

    /// Does a job; what it finds is told on the way.
    pub fn work(&mut self, job: &Job, token: &Arc<CancelToken>) {
        if job.anew {
            self.listed = None;
            self.ids.clear();
            self.evaluator.forget();
        }
        let tell = Arc::clone(&self.tell);
        let number = job.number;
        let built = match self.build(&job.text) {
            Ok(built) => Arc::new(built),
            Err(news) => return tell(number, news),
        };
        if token.is_stopped() {
            return;
        }
        if job.is_new {
            self.evaluator.forget_counts(built.id);
        }
        tell(number, News::Built(Arc::clone(&built)));
        tell(
            number,
            News::Examples(outcomes(&built.asked, &job.examples)),
        );
        if let Err(error) = self.evaluate(job, &built, token) {
            tell(number, News::Failed(Diagnostic::of_file(&error)));
        }
        if !token.is_stopped() {
            tell(number, News::Done);
        }
    }

    /// Understands a request, and looks for its files.
    fn build(&mut self, text: &DraftText) -> Result<Built, News> {
        let asked = ask(&text.steps, &mut self.compiled).map_err(News::Wrong)?;
        self.evaluator
            .read_as(options::texts(&asked.files, FactsOf::None).map_err(News::Failed)?);
        self.evaluator
            .use_threads(Threads::new(asked.files.threads));
        let (sources, bytes) = self.sources(&asked).map_err(News::Failed)?;
        let sample = self.opened.stdin.as_ref().map(|sample| {
            let kept = sample.kept();
            let bytes = sample.bytes();
            (kept, bytes)
        });
        let sample_bytes = sample.as_ref().map(|(_, bytes)| *bytes);
        let id = self.id(IdOf::Draft(text.clone(), sample_bytes));
        let before = asked.before(text.step).map(|rewrite| {
            let earlier = text.steps[..text.step].to_vec();
            (self.id(IdOf::Before(earlier, sample_bytes)), rewrite)
        });
        let (mut pattern, mut template) = (Vec::new(), Vec::new());
        if let Some(step) = &asked.steps[text.step] {
            pattern = explain_pattern(&step.query().pattern);
            if let DraftStep::Rewrite(rewrite) = step
                && let Some(of_step) = rewrite.steps()[0].action.template()
            {
                template = explain_template(of_step);
            }
        }
        Ok(Built {
            text: text.clone(),
            id,
            before,
            asked,
            sources,
            bytes: bytes + sample_bytes.unwrap_or(0),
            pattern,
            template,
            stdin: sample,
        })
    }

    /// The number of a request.
    fn id(&mut self, of: IdOf) -> u64 {
        if let Some((_, id)) = self.ids.iter().find(|(known, _)| *known == of) {
            return *id;
        }
        self.next_id += 1;
        self.ids.insert(0, (of, self.next_id));
        self.ids.truncate(IDS_MOST);
        self.next_id
    }

    fn sources(&mut self, asked: &Asked) -> Result<(Arc<Sources>, u64), Diagnostic> {
        let has_columns = asked
            .steps
            .iter()
            .flatten()
            .any(|step| step.query().columns.is_some());
        let mut said = crate::args::words::of_files(&FilesArgs {
            no_hints: false,
            threads: None,
            ..asked.files.clone()
        });
        if has_columns {
            // Which files have columns may depend on what is said of these.
            said.push(format!("{:?}", asked.files.table));
        }
        if let Some(listed) = self.listed.as_ref().filter(|listed| listed.said == said) {
            return Ok((Arc::clone(&listed.sources), listed.bytes));
        }
        let sources = options::listed(self.opened.paths.clone(), &asked.files, FileUse::Read)?;
        let is_table = |source: &Source| {
            let mut steps = asked.steps.iter().flatten();
            steps.all(|step| step.query().is_table(source.path()))
        };
        let sources = Arc::new(options::only_tables(sources, &is_table)?);
        let all = sources.listing.sources.iter();
        let bytes = all.filter_map(|source| match source {
            Source::File(path) => Some(path.place().metadata().ok()?.len()),
            Source::Stdin => None,
        });
        let bytes = bytes.sum();
        self.listed = Some(Listed {
            said,
            sources: Arc::clone(&sources),
            bytes,
        });
        Ok((sources, bytes))
    }

    fn evaluate(
        &mut self,
        job: &Job,
        built: &Built,
        token: &Arc<CancelToken>,
    ) -> Result<(), brisk_quill_files::error::FileError> {
        let tell = Arc::clone(&self.tell);
        let number = job.number;
        let mut send = |answer| {
            let news = match answer {
                Answer::Rows(rows) => News::Rows(rows),
                Answer::Counting(counts) => News::Counting(counts),
                Answer::Counted(counted) => News::Counted(counted),
            };
            tell(number, news);
        };
        let nothing = nothing_matched();
        let (step, view) = match (built.step(), job.list) {
            // There is no pattern yet: all text is shown.
            (None, _) => (&nothing, RowsView::Units),
            (Some(step), WantedList::Of(view)) => (step, view),
            (Some(step), WantedList::Differences) => (step, RowsView::Changes),
        };
        let wanted = Wanted {
            view,
            from: job.from,
            rows: job.rows,
        };
        let draft = built.draft(step);
        let counted = match job.list {
            WantedList::Of(_) => self.evaluator.evaluate(&draft, wanted, token, &mut send)?,
            WantedList::Differences => {
                let counted = self.evaluator.count(&draft, token)?;
                if let Some(counted) = &counted {
                    send(Answer::Counted(Arc::clone(counted)));
                }
                counted
            }
        };
        let Some(counted) = counted else {
            return Ok(());
        };
        let none = || {
            if job.list == WantedList::Differences {
                let is_end = true;
                let rows = RowList {
                    is_end,
                    ..RowList::default()
                };
                tell(number, News::Rows(rows));
            }
        };
        let Some(against) = &job.against else {
            none();
            return Ok(());
        };
        let same_text = against.step == job.text.step
            && against.steps.get(..against.step) == job.text.steps.get(..job.text.step);
        let last = match same_text {
            true => self.build(against).ok(),
            false => None,
        };
        let Some((last, step_of_last)) = last.as_ref().and_then(|last| Some((last, last.step()?)))
        else {
            tell(number, News::Compared(None));
            none();
            return Ok(());
        };
        let Some(of_last) = self.evaluator.count(&last.draft(step_of_last), token)? else {
            return Ok(());
        };
        let places = of_last.places.compared_with(&counted.places);
        tell(number, News::Compared(places));
        if job.list == WantedList::Differences {
            let both = (&*counted.places, &*of_last.places);
            let rows = self
                .evaluator
                .differences(&draft, both, step_of_last, token)?;
            if let Some(rows) = rows {
                tell(number, News::Rows(rows));
            }
        }
        Ok(())
    }
}

/// A search that nothing matches.
fn nothing_matched() -> DraftStep {
    let spec = StepSpec {
        pattern: Some("[^\\s\\S]".into()),
        ..Default::default()
    };
    let query = spec.query().expect("the pattern is right");
    DraftStep::Search(Box::new(query))
}

/// Works the examples of each step.
fn outcomes(asked: &Asked, examples: &[Vec<Example>]) -> Vec<Vec<ExampleOutcome>> {
    let each = asked.specs.iter().zip(&asked.steps).zip(examples);
    each.map(|((spec, step), examples)| {
        let rewrite = match step {
            Some(DraftStep::Rewrite(rewrite)) => Rewrite::clone(rewrite),
            // Nothing becomes of any text yet.
            Some(DraftStep::Search(_)) | None => Rewrite::new(Vec::new()),
        };
        let mut text = RewriteText::from(vec![spec.clone()]);
        text.step[0].example.clear();
        text.example = examples.clone();
        text.work_examples(&rewrite).unwrap_or_default()
    })
    .collect()
}

/// Works on jobs about rows.
pub struct RowWorker {
    evaluator: Evaluator,
    tell: Tell,
}

impl RowWorker {
    pub fn work(&mut self, job: &RowJob, token: &Arc<CancelToken>) {
        if let Some(news) = work_on_row(&mut self.evaluator, job, token) {
            (self.tell)(job.number, news);
        }
    }
}

fn work_on_row(evaluator: &mut Evaluator, job: &RowJob, token: &Arc<CancelToken>) -> Option<News> {
    let built = &job.built;
    let row = &job.row;
    if let RowWork::Infer(examples, texts) = &job.what {
        return Some(News::Inferred(inferred(
            examples,
            texts,
            Stop::by(token.flag()),
        )));
    }
    let step = built.step()?;
    match &job.what {
        RowWork::Detail => {
            let height = brisk_quill_core::unit::lines(&row.was.text).count().max(1);
            let lines = (row.line, row.line + height as u64 - 1);
            let draft = built.draft(step);
            let found = evaluator.detail(&draft, row.place, lines, token).ok()??;
            let of_cell = |found: &MatchDetail| found.cell == row.cell;
            Some(News::Detail(found.into_iter().filter(of_cell).collect()))
        }
        RowWork::Infer(..) => None,
        RowWork::Example(wanted) => {
            let is_cut = row.was.cut_before || row.was.cut_after;
            let was = match &row.cell {
                Some(_) => row.record.as_deref(),
                None => Some(&row.was.text[..]).filter(|_| !is_cut),
            };
            let source = built.sources.listing.sources.get(row.place.file)?;
            let made = match was {
                None => Err("it is too long".to_owned()),
                Some(was) => {
                    example_of(step, source, was, wanted).map_err(|fault| fault.to_string())
                }
            };
            Some(News::Example(made))
        }
    }
}

/// The single steps that make all examples, ranked by what they do to some texts of the data.
fn inferred(examples: &[Example], texts: &[String], stop: Stop) -> Result<Vec<StepSpec>, String> {
    let mut task = Task {
        stop,
        ..Task::default()
    };
    let pairs = examples.iter().filter_map(Example::pair);
    task.examples
        .extend(pairs.map(|(before, after)| Pair::new(before, after)));
    for (line, text) in (1..).zip(texts) {
        task.data.add(text, line, false);
    }
    let found = Inference::of(&task).map_err(|refusal| refusal.to_string())?;
    let single = |proposal: Proposal| match <[StepSpec; 1]>::try_from(proposal.steps) {
        Ok([step]) => Some(step),
        Err(_) => None,
    };
    let steps: Vec<StepSpec> = found.proposals.into_iter().filter_map(single).collect();
    match steps.is_empty() {
        true => Err("it takes several steps; `bquill infer` proposes them".into()),
        false => Ok(steps),
    }
}
