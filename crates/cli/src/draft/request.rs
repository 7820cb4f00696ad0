//! Requests in the making: the words that are typed, and what they say.

use crate::args::definitions::{FilesArgs, GuardArgs};
use crate::args::split::Part;
use crate::args::verbs::Verb;
use crate::args::{Stopped, parse, words};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::options::AskedRewrite;
use brisk_quill_core::example::Example;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_engine::draft::worker::Prepared;
use serde::{Deserialize, Serialize};
use std::ffi::OsString;
use std::path::PathBuf;

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
    /// The steps.
    pub specs: Vec<StepSpec>,
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

    /// The step that is said, and the options of the whole command beside it.
    fn read(&self, known: &mut Known) -> Result<Options, Diagnostic> {
        let mut said = known.options(&self.options)?;
        if !self.pattern.is_empty() {
            said.part.words.insert(0, self.pattern.clone().into());
        }
        if !self.template.is_empty() {
            let template = &mut said.part.step.with;
            if template.is_some() {
                return Err(Diagnostic::wrong("`--with` is given among the options too")
                    .remedy("leave one of them out"));
            }
            *template = Some(self.template.clone());
        }
        Ok(said)
    }
}

/// The meaning of the options of one step.
#[derive(Clone)]
struct Options {
    part: Part,
    files: FilesArgs,
    guard: GuardArgs,
}

impl Options {
    /// Reads options as they are typed in a shell.
    fn read(typed: &str) -> Result<Self, Diagnostic> {
        let words = shlex::split(typed).ok_or_else(|| {
            Diagnostic::wrong("the options cannot be cut into words")
                .remedy("close every quote, and write two backslashes for one")
        })?;
        let program = ["bquill", "draft"].map(OsString::from);
        let words = words.into_iter().map(OsString::from);
        let argv: Vec<OsString> = program.into_iter().chain(words).collect();
        let parsed = parse(&argv).map_err(|stopped| match stopped {
            Stopped::Mistake(diagnostic) => diagnostic,
            Stopped::Help(_) | Stopped::Page(_) => Diagnostic::wrong("the options ask for help")
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
        Ok(Self {
            part,
            files: args.files,
            guard: args.guard,
        })
    }
}

/// Options that have been read: few keys change them.
#[derive(Default)]
pub struct Known(Vec<(String, Options)>);

/// Options that are kept.
const KNOWN_MOST: usize = 16;

impl Known {
    /// The meaning of some options.
    fn options(&mut self, typed: &str) -> Result<Options, Diagnostic> {
        if let Some((_, options)) = self.0.iter().find(|(known, _)| known == typed) {
            return Ok(options.clone());
        }
        let options = Options::read(typed)?;
        self.0.insert(0, (typed.to_owned(), options.clone()));
        self.0.truncate(KNOWN_MOST);
        Ok(options)
    }
}

/// A fault of a step, in the field that it is about.
pub fn fault(texts: &[StepText], step: usize, diagnostic: Diagnostic) -> Box<Fault> {
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
}

/// Understands the words of all steps.
pub fn ask(texts: &[StepText], known: &mut Known) -> Result<Asked, Box<Fault>> {
    let mut parts = Vec::new();
    let mut files: Option<FilesArgs> = None;
    let mut guard = GuardArgs::default();
    let fault = |step, diagnostic| fault(texts, step, diagnostic);
    for (number, text) in texts.iter().enumerate() {
        let said = text.read(known);
        let said = said.map_err(|diagnostic| fault(number, diagnostic))?;
        let mut part = said.part;
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
        guard.expect.extend(said.guard.expect);
        guard.ensure.extend(said.guard.ensure);
        guard.skip_problems |= said.guard.skip_problems;
        files = Some(match files {
            None => said.files,
            Some(before) => joined(before, said.files),
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
    Ok(Asked {
        specs,
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
        changed: first.changed | second.changed,
        binary: first.binary | second.binary,
        paths_from: second.paths_from.or(first.paths_from),
        null: first.null | second.null,
        stdin_name: second.stdin_name.or(first.stdin_name),
        encoding: second.encoding.or(first.encoding),
        no_hints: first.no_hints | second.no_hints,
        exit_zero: first.exit_zero | second.exit_zero,
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

/// The whole rewrite of a draft: `text` with the steps that do something, and the examples of each.
pub fn rewrite_of(
    draft: &Prepared,
    mut text: RewriteText,
    examples: &[Vec<Example>],
    paths: &[PathBuf],
) -> Option<AskedRewrite> {
    let mut steps = Vec::new();
    for (number, (spec, step)) in draft.specs.iter().zip(&draft.steps).enumerate() {
        if let Some(step) = step.as_ref().filter(|step| !step.only_shows()) {
            let mut spec = spec.clone();
            spec.example = examples.get(number).cloned().unwrap_or_default();
            text.step.push(spec);
            steps.push(step.step().clone());
        }
    }
    (!steps.is_empty()).then(|| AskedRewrite {
        text,
        rewrite: Rewrite::new(steps),
        paths: paths.to_vec(),
    })
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
