//! Requests in the making: the words that are typed, and what they say.

use crate::args::definitions::{DraftArgs, FilesArgs, GuardArgs};
use crate::args::split::{Part, marked};
use crate::args::verbs::Verb;
use crate::args::{Stopped, parse, words};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::options::AskedRewrite;
use brisk_quill_core::example::Example;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::step_spec::values::StepFault;
use brisk_quill_engine::draft::request::DraftStep;
use brisk_quill_engine::tables::FileTables;
use serde::{Deserialize, Serialize};
use std::ffi::OsString;
use std::path::{Path, PathBuf};

/// The words of one step.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct StepText {
    pub pattern: String,
    pub template: String,
    /// Options as they are typed in a shell.
    pub options: String,
    /// The numbers of changes that are expected, which no option of one step says.
    pub expect: Vec<String>,
    /// Patterns that units must match afterwards, which no option of one step says.
    pub ensure: Vec<String>,
}

/// A field of a step.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum FieldName {
    Pattern,
    Template,
    Options,
}

impl FieldName {
    pub const ALL: [Self; 3] = [Self::Pattern, Self::Template, Self::Options];

    pub fn name(self) -> &'static str {
        match self {
            Self::Pattern => "pattern",
            Self::Template => "template",
            Self::Options => "options",
        }
    }
}

/// Something wrong in a field.
#[derive(Debug)]
pub struct Fault {
    /// The step, from 0.
    pub step: usize,
    pub field: FieldName,
    pub diagnostic: Diagnostic,
}

/// The words of all steps, understood.
#[derive(Clone, Debug)]
pub struct Asked {
    /// The steps in words.
    pub specs: Vec<StepSpec>,
    /// The steps; `None` where nothing is said to be matched yet.
    pub steps: Vec<Option<DraftStep>>,
    pub files: FilesArgs,
    pub guard: GuardArgs,
}

impl StepText {
    /// The words of a step that comes from elsewhere.
    pub fn of(step: &StepSpec) -> Self {
        let mut options = words::of_step(step);
        // An empty template deletes; an empty field says that there is none yet.
        if step.with.as_deref() == Some("") {
            options.extend(["--with".to_owned(), String::new()]);
        }
        Self {
            pattern: step.pattern.clone().unwrap_or_default(),
            template: step.with.clone().unwrap_or_default(),
            options: words::quoted(options.iter().map(String::as_str)),
            expect: step.expect.clone(),
            ensure: step.ensure.clone(),
        }
    }

    /// The words of a step on the command line, the pattern first where there is one.
    fn words(&self) -> Result<Vec<OsString>, Diagnostic> {
        let options = shlex::split(&self.options).ok_or_else(|| {
            Diagnostic::wrong("the options cannot be cut into words")
                .remedy("close every quote, and write two backslashes for one")
        })?;
        let mut all = Vec::new();
        if !self.pattern.is_empty() {
            all.push(marked(&self.pattern));
        }
        all.extend(options.into_iter().map(OsString::from));
        if !self.template.is_empty() {
            all.push(format!("--with={}", self.template).into());
        }
        Ok(all)
    }

    /// The words of a step as a shell reads them; the pattern behind `--`, with what must follow it, where it
    /// looks like an option.
    fn for_shell(&self, behind: &str) -> String {
        let words = shlex::split(&self.options).unwrap_or_default();
        let options = words::for_shell(words.iter().map(String::as_str));
        let pattern = words::for_shell(Some(&*self.pattern).filter(|pattern| !pattern.is_empty()));
        let template = match self.template.is_empty() {
            true => String::new(),
            false => format!("--with {}", words::for_shell([&*self.template])),
        };
        let parts = match self.pattern.starts_with('-') {
            true => [&*options, &template, "--", &pattern, behind],
            false => [&*pattern, &options, &template, behind, ""],
        };
        let parts: Vec<&str> = parts.into_iter().filter(|part| !part.is_empty()).collect();
        parts.join(" ")
    }

    /// The words of a step as they are typed in a shell.
    pub fn quoted(&self) -> String {
        let pattern = match self.pattern.is_empty() {
            true => String::new(),
            false => words::quoted([&*self.pattern]),
        };
        let template = match self.template.is_empty() {
            true => String::new(),
            false => format!("--with {}", words::quoted([&*self.template])),
        };
        let parts = [&*pattern, self.options.trim(), &*template];
        let parts: Vec<&str> = parts.into_iter().filter(|part| !part.is_empty()).collect();
        parts.join(" ")
    }

    /// Reads the words of this step alone.
    fn read(&self) -> Result<(Part, DraftArgs), Diagnostic> {
        let program = ["bquill", "draft"].map(OsString::from);
        let argv: Vec<OsString> = program.into_iter().chain(self.words()?).collect();
        let parsed = parse(&argv).map_err(|stopped| match stopped {
            Stopped::Mistake(diagnostic) => diagnostic,
            Stopped::Help(_) => Diagnostic::wrong("the options ask for help")
                .remedy("`bquill draft --help` shows it in a shell"),
        })?;
        let Verb::Draft(args) = parsed.verb else {
            return Err(Diagnostic::wrong("the options name another verb"));
        };
        let mut parts = parsed.parts;
        if parts.len() != 1 {
            return Err(Diagnostic::wrong("`--then` begins another step")
                .remedy("leave it out: a key adds a step"));
        }
        let part = parts.swap_remove(0);
        if part.rewrite.is_some() {
            return Err(
                Diagnostic::wrong("`--rewrite` cannot be combined with step options")
                    .remedy("leave the draft, and open it with `bquill draft --rewrite FILE`"),
            );
        }
        Ok((part, args))
    }
}

/// Steps that have been compiled, for words that are asked for again.
#[derive(Default)]
pub struct Compiled(Vec<(StepSpec, DraftStep)>);

/// Steps that are kept.
const COMPILED_MOST: usize = 16;

impl Compiled {
    /// The step that is said; `None` where nothing is matched yet.
    fn step(&mut self, spec: &StepSpec) -> Result<Option<DraftStep>, StepFault> {
        if !spec.has_pattern() {
            return Ok(None);
        }
        // A table may have changed.
        let has_tables = spec.pairs.is_some() || format!("{spec:?}").contains("map ");
        let known = self
            .0
            .iter()
            .find(|(known, _)| known == spec && !has_tables);
        if let Some((_, step)) = known {
            return Ok(Some(step.clone()));
        }
        let tables = &mut FileTables::new(Path::new(""));
        let step = match spec.has_action() {
            true => DraftStep::Rewrite(Box::new(Rewrite::new(vec![spec.build(tables)?]))),
            false => DraftStep::Search(Box::new(spec.query_with(tables)?.0)),
        };
        self.0.insert(0, (spec.clone(), step.clone()));
        self.0.truncate(COMPILED_MOST);
        Ok(Some(step))
    }
}

/// Understands the words of all steps.
pub fn ask(texts: &[StepText], compiled: &mut Compiled) -> Result<Asked, Box<Fault>> {
    let mut parts = Vec::new();
    let mut files: Option<FilesArgs> = None;
    let mut guard = GuardArgs::default();
    let fault = |step: usize, diagnostic: Diagnostic| {
        let name = diagnostic.quote.as_ref().map(|quote| quote.name.as_str());
        let field = match name {
            Some("the pattern") => FieldName::Pattern,
            Some("the template") => FieldName::Template,
            _ if texts[step].options.trim().is_empty() => FieldName::Pattern,
            _ => FieldName::Options,
        };
        Box::new(Fault {
            step,
            field,
            diagnostic,
        })
    };
    for (number, text) in texts.iter().enumerate() {
        let (mut part, args) = text
            .read()
            .map_err(|diagnostic| fault(number, diagnostic))?;
        let own_words = usize::from(!text.pattern.is_empty());
        if let Some(word) = part.words.get(own_words) {
            let shown = brisk_quill_core::escape::visible(word.as_encoded_bytes());
            let diagnostic = Diagnostic::wrong(format!("`{shown}` is not an option"))
                .remedy("the files stay those that the draft was opened with");
            return Err(fault(number, diagnostic));
        }
        if part.step.pattern_file.is_some() {
            part.words.clear();
        }
        parts.push(part);
        guard.expect.extend(args.guard.expect);
        guard.ensure.extend(args.guard.ensure);
        guard.skip_problems |= args.guard.skip_problems;
        files = Some(match files {
            None => args.files,
            Some(before) => joined(before, args.files),
        });
    }
    let files = files.unwrap_or_default();
    let last = parts.len().saturating_sub(1);
    let steps = options::steps(parts, &guard, &files.table);
    let (mut specs, _) = steps.map_err(|diagnostic| fault(last, diagnostic))?;
    for (spec, text) in specs.iter_mut().zip(texts) {
        spec.expect.extend(text.expect.iter().cloned());
        spec.ensure.extend(text.ensure.iter().cloned());
    }
    let mut steps = Vec::new();
    for (number, spec) in specs.iter().enumerate() {
        let step = compiled.step(spec);
        let step = step.map_err(|fault_of| fault(number, options::step_diagnostic(&fault_of)))?;
        steps.push(step);
    }
    Ok(Asked {
        specs,
        steps,
        files,
        guard,
    })
}

/// Options of the whole command, said with either of two steps.
fn joined(first: FilesArgs, second: FilesArgs) -> FilesArgs {
    FilesArgs {
        include: [first.include, second.include].concat(),
        exclude: [first.exclude, second.exclude].concat(),
        hidden: first.hidden | second.hidden,
        ignored: first.ignored | second.ignored,
        binary: first.binary | second.binary,
        paths_from: second.paths_from.or(first.paths_from),
        null: first.null | second.null,
        encoding: second.encoding.or(first.encoding),
        no_hints: first.no_hints | second.no_hints,
        threads: second.threads.or(first.threads),
        table: crate::args::definitions::TableArgs {
            format: second.table.format.or(first.table.format),
            delimiter: second.table.delimiter.or(first.table.delimiter),
            quote: second.table.quote.or(first.table.quote),
            no_header: first.table.no_header | second.table.no_header,
            ragged: first.table.ragged | second.table.ragged,
        },
    }
}

impl Asked {
    /// The steps before step `step`, from 0, that do something.
    pub fn before(&self, step: usize) -> Option<Rewrite> {
        let earlier = self.steps[..step].iter().flatten();
        let steps: Vec<_> = earlier
            .filter_map(|step| match step {
                DraftStep::Rewrite(rewrite) => Some(rewrite.steps()[0].clone()),
                DraftStep::Search(_) => None,
            })
            .collect();
        (!steps.is_empty()).then(|| Rewrite::new(steps))
    }

    /// The whole rewrite: `text` with the steps that do something, and the examples of each.
    pub fn rewrite(
        &self,
        mut text: RewriteText,
        examples: &[Vec<Example>],
        paths: &[PathBuf],
    ) -> Option<AskedRewrite> {
        let mut steps = Vec::new();
        for (number, (spec, step)) in self.specs.iter().zip(&self.steps).enumerate() {
            if let Some(DraftStep::Rewrite(rewrite)) = step {
                let mut spec = spec.clone();
                spec.example = examples.get(number).cloned().unwrap_or_default();
                text.step.push(spec);
                steps.push(rewrite.steps()[0].clone());
            }
        }
        (!steps.is_empty()).then(|| AskedRewrite {
            text,
            rewrite: Rewrite::new(steps),
            paths: paths.to_vec(),
        })
    }
}

/// The command line that says what some steps say, of this verb.
pub fn command_line(verb: &str, texts: &[StepText], paths: &[PathBuf]) -> String {
    let paths: Vec<String> = (paths.iter())
        .map(|path| path.to_string_lossy().into_owned())
        .collect();
    let paths = words::for_shell(paths.iter().map(String::as_str));
    let mut steps = texts.iter();
    let first = steps
        .next()
        .map(|step| step.for_shell(&paths))
        .unwrap_or(paths);
    let mut line = format!("bquill {verb} {first}").trim_end().to_owned();
    for step in steps {
        line.push_str(" --then ");
        line.push_str(&step.for_shell(""));
    }
    line
}
