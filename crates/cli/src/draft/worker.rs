//! The worker of a draft: jobs come in, news go out.

use crate::args::definitions::{FilesArgs, GuardArgs, TableArgs};
use crate::diagnostic::Diagnostic;
use crate::draft::request::{Asked, Fault, Known, StepText, ask, fault};
use crate::draft::stdin_sample::StdinSample;
use crate::options;
use brisk_quill_core::example::Example;
use brisk_quill_core::rewrite_file::examples::ExampleOutcome;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::stop::Stop;
use brisk_quill_engine::draft::detail::MatchDetail;
use brisk_quill_engine::draft::newest_first::NewestFirst;
use brisk_quill_engine::draft::request::DraftStep;
use brisk_quill_engine::draft::row::{Row, RowPlace};
use brisk_quill_engine::draft::worker::{
    DraftNews, DraftTexts, DraftWorker, Prepared, WantedList, WantedRows, WrongStep, bytes_of,
};
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::worked_examples::WantedText;
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::discover::FileUse;
use brisk_quill_files::read::TextOptions;
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::read::kept_stdin::KeptStdin;
use brisk_quill_files::source::Source;
use brisk_quill_infer::draft::inferred;
use std::io::{self, Write};
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

/// A job.
#[derive(Clone, Debug)]
pub struct Job {
    /// The number; that of a later job is larger.
    pub number: u64,
    pub text: DraftText,
    /// A text to look at in the place of the files.
    pub sample: Option<Arc<str>>,
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
    /// The matches in detail.
    Detail,
    /// A worked example made of it.
    Example(WantedText),
    /// Rewrites inferred from worked examples; not of the row alone, but of the texts around it.
    Infer(Vec<Example>, Vec<String>),
}

/// A request that has been understood.
#[derive(Debug)]
pub struct Built {
    /// The request.
    pub text: DraftText,
    /// The text that is looked at in the place of the files.
    pub sample: Option<Arc<str>>,
    pub draft: Prepared,
    pub files: FilesArgs,
    pub guard: GuardArgs,
}

impl Built {
    /// The step that is looked at; `None` where nothing is said to be matched yet.
    pub fn step(&self) -> Option<&DraftStep> {
        self.draft.step()
    }

    /// The words.
    pub fn spec(&self) -> &StepSpec {
        &self.draft.specs[self.draft.step]
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
    /// Something has become known of the draft.
    Of(DraftNews),
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
    /// Starts them; what they find goes to `say`.
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

/// Works on jobs.
pub struct Worker {
    opened: Opened,
    threads: Threads,
    worker: DraftWorker,
    known: Known,
    listed: Option<Listed>,
    listings: u64,
    tell: Tell,
}

/// Files that have been looked for.
struct Listed {
    /// The options that say which.
    said: Vec<String>,
    table: Option<TableArgs>,
    sample: Option<Arc<str>>,
    texts: DraftTexts,
}

impl Worker {
    pub fn new(opened: &Opened, threads: Threads, tell: &Tell) -> Self {
        Self {
            opened: opened.clone(),
            threads,
            worker: DraftWorker::new(),
            known: Known::default(),
            listed: None,
            listings: 0,
            tell: Arc::clone(tell),
        }
    }

    /// A worker on jobs about rows, for another thread.
    pub fn for_rows(&self) -> RowWorker {
        RowWorker {
            worker: self.worker.another(),
            tell: Arc::clone(&self.tell),
        }
    }

    /// Does a job; what it finds is reported on the way.
    pub fn work(&mut self, job: &Job, token: &Arc<CancelToken>) {
        if job.anew {
            self.listed = None;
            self.worker.forget();
        }
        let tell = Arc::clone(&self.tell);
        let number = job.number;
        let built = match self.build(&job.text, job.sample.as_ref()) {
            Ok(built) => Arc::new(built),
            Err(news) => return tell(number, news),
        };
        if token.is_stopped() {
            return;
        }
        if job.is_new {
            self.worker.forget_counts(&built.draft);
        }
        tell(number, News::Built(Arc::clone(&built)));
        let outcomes = built.draft.outcomes(&job.examples);
        tell(number, News::Examples(outcomes));
        let against = self.against(job);
        let wanted = WantedRows {
            list: job.list,
            from: job.from,
            rows: job.rows,
        };
        let mut send = |news| tell(number, News::Of(news));
        let done = self
            .worker
            .evaluate(&built.draft, wanted, against.as_ref(), token, &mut send);
        if let Err(error) = done {
            tell(number, News::Failed(Diagnostic::of_file(&error)));
        }
        if job.against.is_some() && against.is_none() {
            tell(number, News::Of(DraftNews::Compared(None)));
        }
        if !token.is_stopped() {
            tell(number, News::Done);
        }
    }

    /// The try that a job is compared with, where it sees the same texts.
    fn against(&mut self, job: &Job) -> Option<Prepared> {
        let against = job.against.as_ref()?;
        let same_text = against.step == job.text.step
            && against.steps.get(..against.step) == job.text.steps.get(..job.text.step);
        let built = same_text.then(|| self.build(against, job.sample.as_ref()).ok())?;
        built.map(|built| built.draft)
    }

    /// Understands a request, and looks for its files.
    fn build(&mut self, text: &DraftText, sample: Option<&Arc<str>>) -> Result<Built, News> {
        let Asked {
            specs,
            files,
            guard,
        } = ask(&text.steps, &mut self.known).map_err(News::Wrong)?;
        let steps = self.worker.compile(&specs).map_err(|wrong: WrongStep| {
            let diagnostic = options::step_diagnostic(&wrong.fault);
            News::Wrong(fault(&text.steps, wrong.step, diagnostic))
        })?;
        let texts = self.texts(&files, &steps, sample);
        let texts = texts.map_err(News::Failed)?;
        Ok(Built {
            text: text.clone(),
            sample: sample.cloned(),
            draft: self.worker.prepare((specs, steps), text.step, &texts),
            files,
            guard,
        })
    }

    /// The texts that some options mean.
    fn texts(
        &mut self,
        files: &FilesArgs,
        steps: &[Option<DraftStep>],
        sample: Option<&Arc<str>>,
    ) -> Result<DraftTexts, Diagnostic> {
        let has_columns = (steps.iter().flatten()).any(|step| step.query().columns.is_some());
        let said = crate::args::words::of_files(&FilesArgs {
            no_hints: false,
            threads: None,
            ..files.clone()
        });
        // Which files have columns may depend on what is said of these.
        let table = has_columns.then(|| files.table.clone());
        let is_same = |listed: &&Listed| {
            (&listed.said, &listed.table, listed.sample.as_ref()) == (&said, &table, sample)
        };
        let listed = match self.listed.as_ref().filter(is_same) {
            Some(listed) => listed.texts.clone(),
            None => {
                let (paths, stdin) = match sample {
                    None => (self.opened.paths.clone(), None),
                    Some(sample) => (vec!["-".into()], Some(kept(sample)?)),
                };
                let sources = options::listed(paths, files, FileUse::Read)?;
                let is_table = |source: &Source| {
                    let mut steps = steps.iter().flatten();
                    steps.all(|step| step.query().is_table(source.path()))
                };
                let sources = Arc::new(options::only_tables(sources, &is_table)?);
                self.listings += 1;
                let texts = DraftTexts {
                    bytes: bytes_of(&sources),
                    sources,
                    listing: self.listings,
                    options: TextOptions::default(),
                    threads: self.threads,
                    stdin,
                    hints: true,
                };
                self.listed = Some(Listed {
                    said,
                    table,
                    sample: sample.cloned(),
                    texts: texts.clone(),
                });
                texts
            }
        };
        let stdin = self.opened.stdin.as_ref().filter(|_| sample.is_none());
        let stdin = stdin.map(|stdin| (stdin.kept(), stdin.bytes()));
        Ok(DraftTexts {
            options: options::texts(files, FactsOf::None)?,
            threads: Threads::new(files.threads),
            stdin: stdin.or(listed.stdin),
            hints: !files.no_hints,
            ..listed
        })
    }
}

/// A text that stands for standard input.
fn kept(text: &str) -> Result<(KeptStdin, u64), Diagnostic> {
    let keep = || {
        let mut file = tempfile::tempfile()?;
        file.write_all(text.as_bytes())?;
        io::Result::Ok(file)
    };
    let file = keep()
        .map_err(|error| Diagnostic::trouble(format!("the sample cannot be kept: {error}")))?;
    let bytes = text.len() as u64;
    Ok((KeptStdin::new(Arc::new(file), bytes), bytes))
}

/// Works on jobs about rows.
pub struct RowWorker {
    worker: DraftWorker,
    tell: Tell,
}

impl RowWorker {
    pub fn work(&mut self, job: &RowJob, token: &Arc<CancelToken>) {
        let draft = &job.built.draft;
        let news = match &job.what {
            RowWork::Detail => {
                let Some(found) = self.worker.detail(draft, &job.row, token) else {
                    return;
                };
                News::Detail(found)
            }
            RowWork::Example(wanted) => News::Example(draft.example(&job.row, wanted)),
            RowWork::Infer(examples, texts) => {
                let query = draft.step().map(|step| step.query());
                let stop = Stop::by(token.flag());
                News::Inferred(inferred(examples, texts, query, stop))
            }
        };
        (self.tell)(job.number, news);
    }
}
