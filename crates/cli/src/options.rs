//! From the words of the command line to the core's own types.

use crate::args::definitions::{FilesArgs, GuardArgs, ShowArgs, TableArgs};
use crate::args::split::Part;
use crate::diagnostic::{Diagnostic, Quote};
use crate::host::host;
use crate::output::Output;
use crate::render::names::file_name;
use crate::status::Status;
use brisk_quill_core::address::Count;
use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::groups::Groups;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite_file::{FaultyStep, RewriteText};
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::step_spec::values::StepFault;
use brisk_quill_core::template::Template;
use brisk_quill_engine::rewrite_loading::{self, LoadError, ReadError, read_pattern};
use brisk_quill_engine::sources::{Sources, SourcesError};
use brisk_quill_engine::tables::FileTables;
use brisk_quill_files::discover::{FileUse, PassedOver, Search};
use brisk_quill_files::encoding::TextEncoding;
use brisk_quill_files::error::system_words;
use brisk_quill_files::fs::open::{open_regular, read_all};
use brisk_quill_files::read::TextOptions;
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::repository::RepositoryError;
use brisk_quill_files::signature::{LOOKED_AT, structured};
use brisk_quill_files::source::Source;
use std::ffi::OsString;
use std::io::{self, IsTerminal, Read};
use std::os::unix::ffi::OsStringExt;
use std::os::unix::fs::FileTypeExt;
use std::path::{Path, PathBuf};

/// The longest list of paths, in bytes.
const PATHS_MOST: u64 = 1 << 30;

/// Changes shown where `--show` does not say.
const SHOWN: usize = 40;

/// A query with the paths it is meant for.
pub struct AskedQuery {
    pub query: Query,
    pub paths: Vec<PathBuf>,
}

/// A rewrite, in words and built, with the paths it is meant for.
pub struct AskedRewrite {
    pub text: RewriteText,
    pub rewrite: Rewrite,
    pub paths: Vec<PathBuf>,
}

impl AskedRewrite {
    /// The pattern of the first step.
    pub fn first_pattern(&self) -> &str {
        let first = self.rewrite.steps().first();
        first.map_or("", |step| step.query.pattern.source())
    }

    /// The same with this many steps alone.
    pub fn up_to(&self, through: Option<usize>) -> Self {
        let mut text = self.text.clone();
        text.step.truncate(through.unwrap_or(usize::MAX));
        let steps = self.rewrite.steps()[..text.step.len()].to_vec();
        Self {
            text,
            rewrite: Rewrite::new(steps),
            paths: self.paths.clone(),
        }
    }

    /// The files it is meant for.
    pub fn sources(&self, args: &FilesArgs, use_of: FileUse) -> Result<Sources, Diagnostic> {
        let is_table = |source: &Source| self.rewrite.is_table(source.path());
        sources(self.paths.clone(), args, use_of, &is_table)
    }
}

/// The query of `find` and its like.
pub fn query(mut parts: Vec<Part>, table: &TableArgs) -> Result<AskedQuery, Diagnostic> {
    let part = parts.swap_remove(0);
    if !parts.is_empty() {
        return Err(
            Diagnostic::wrong("this verb takes one pattern, and `--then` begins another")
                .remedy("use `preview` to see several steps"),
        );
    }
    let is_lone = is_lone(std::slice::from_ref(&part));
    let (mut text, paths) = step_of(part)?;
    check_not_a_path(is_lone, &text)?;
    with_table(&mut text, table);
    let asked = text.query_with(&mut FileTables::new(Path::new("")));
    let (query, _) = asked.map_err(|fault| step_diagnostic(&fault))?;
    Ok(AskedQuery { query, paths })
}

/// The rewrite of `preview` and `apply`.
pub fn rewrite(
    parts: Vec<Part>,
    guard: &GuardArgs,
    table: &TableArgs,
) -> Result<AskedRewrite, Diagnostic> {
    let several = parts.len() > 1;
    if let Some((file, part)) = parts
        .iter()
        .find_map(|part| Some((part.rewrite.as_ref()?, part)))
    {
        return rewrite_of_file(&file.clone(), part.clone(), several, guard, table);
    }
    let (steps, paths) = steps(parts, guard, table)?;
    let text = RewriteText::from(steps);
    let mut tables = FileTables::new(Path::new(""));
    let rewrite = text
        .build(&mut tables)
        .map_err(|FaultyStep { step, fault }| {
            let mut diagnostic = step_diagnostic(&fault);
            if several {
                diagnostic.message = format!("step {step}: {}", diagnostic.message);
            }
            diagnostic
        })?;
    Ok(AskedRewrite {
        text,
        rewrite,
        paths,
    })
}

/// The steps of a command line in words, and the paths.
pub fn steps(
    parts: Vec<Part>,
    guard: &GuardArgs,
    table: &TableArgs,
) -> Result<(Vec<StepSpec>, Vec<PathBuf>), Diagnostic> {
    let (mut steps, mut paths) = (Vec::new(), Vec::new());
    let is_lone = is_lone(&parts);
    for part in parts {
        let (step, more) = step_of(part)?;
        check_not_a_path(is_lone, &step)?;
        check_not_empty(&step)?;
        steps.push(step);
        paths.extend(more);
    }
    if let Some(last) = steps.last_mut() {
        last.ensure.clone_from(&guard.ensure);
    }
    let in_columns = steps.iter().any(StepSpec::has_columns);
    for step in &mut steps {
        if step.has_columns() || !in_columns {
            with_table(step, table);
        }
    }
    Ok((steps, paths))
}

/// `--rewrite FILE`: all words are paths, and nothing else may be said of a step.
fn rewrite_of_file(
    file: &Path,
    part: Part,
    several: bool,
    guard: &GuardArgs,
    table: &TableArgs,
) -> Result<AskedRewrite, Diagnostic> {
    if several || part.step != StepSpec::default() || !guard.ensure.is_empty() {
        return Err(
            Diagnostic::wrong("`--rewrite` cannot be combined with step options")
                .remedy("write those options into the file, or leave `--rewrite` out"),
        );
    }
    let (text, rewrite) = load_rewrite(file, table)?;
    Ok(AskedRewrite {
        text,
        rewrite,
        paths: part.words.into_iter().map(PathBuf::from).collect(),
    })
}

/// Says of a step how its tables are read, as far as it does not say that itself.
pub fn with_table(step: &mut StepSpec, table: &TableArgs) {
    let TableArgs {
        format,
        delimiter,
        quote,
        no_header,
        ragged,
    } = table;
    let own = |own: &mut Option<String>, given: &Option<String>| {
        *own = own.take().or(given.clone());
    };
    own(&mut step.format, format);
    own(&mut step.delimiter, delimiter);
    own(&mut step.quote, quote);
    step.no_header |= no_header;
    step.ragged |= ragged;
}

/// A step in words, and the paths behind its pattern.
fn step_of(part: Part) -> Result<(StepSpec, Vec<PathBuf>), Diagnostic> {
    let mut step = part.step;
    let mut words = part.words.into_iter();
    let needs_none =
        !step.swap_chars.is_empty() || step.remove_chars.is_some() || step.pairs.is_some();
    step.pattern = match step.pattern_file.take() {
        Some(path) => {
            let pattern = read_pattern(&path);
            Some(pattern.map_err(|error| read_diagnostic("the pattern", &error))?)
        }
        None if needs_none => None,
        None => words.next().map(pattern_of_word).transpose()?,
    };
    if step.per.as_deref() == Some("unit") {
        // It is what is meant without it.
        step.per = None;
    }
    Ok((step, words.map(PathBuf::from).collect()))
}

/// True if no path is named beside the patterns.
fn is_lone(parts: &[Part]) -> bool {
    let names_none = |part: &Part| {
        part.words.len() <= 1 && part.step.pattern_file.is_none() && !part.has_path_list
    };
    parts.iter().all(names_none)
}

/// A pattern that is the name of a file, while no path is named, is a path whose pattern was forgotten.
fn check_not_a_path(is_lone: bool, step: &StepSpec) -> Result<(), Diagnostic> {
    let Some(pattern) = step.pattern.as_deref().filter(|_| is_lone) else {
        return Ok(());
    };
    let looks_like_path = pattern.contains(['.', '/']) || step.has_columns();
    if !looks_like_path || stdin_is_text() {
        return Ok(());
    }
    let Some(what) = path_kind(pattern) else {
        return Ok(());
    };
    let shown = visible(pattern.as_bytes());
    Err(Diagnostic::wrong(format!(
        "`{shown}` is a {what}, but it stands where the pattern is expected"
    ))
    .remedy(format!(
        "write the pattern before it, as in `'.+' {shown}`; or, to search for that text, add a path: \
         `{shown} .`"
    )))
}

/// "file" or "folder" where this is the name of one.
fn path_kind(text: &str) -> Option<&'static str> {
    let path = Path::new(text);
    path.symlink_metadata().ok()?;
    Some(if path.is_dir() { "folder" } else { "file" })
}

/// An empty pattern would match between any two characters.
fn check_not_empty(step: &StepSpec) -> Result<(), Diagnostic> {
    match step.pattern.as_deref() {
        Some("") if !step.has_columns() || step.with.is_some() || step.remove => {
            Err(Diagnostic::wrong(
                "the pattern is empty, and would match between any two characters",
            )
            .remedy("write `^` for the beginning of each line, or `(?:)` if every place is meant"))
        }
        _ => Ok(()),
    }
}

fn pattern_of_word(word: OsString) -> Result<String, Diagnostic> {
    word.into_string().map_err(|word| {
        let shown = visible(word.as_encoded_bytes());
        Diagnostic::wrong(format!("the pattern is not UTF-8: {shown}"))
            .remedy("write the character itself in UTF-8, or as `\\u{…}`")
    })
}

/// A text of the request that cannot be read from its file; `what` names it.
pub fn read_diagnostic(what: &str, error: &ReadError) -> Diagnostic {
    match error {
        ReadError::Io { path, source } => Diagnostic::trouble(format!(
            "cannot read {what} from {}: {}",
            visible_path(path),
            system_words(source)
        )),
        ReadError::NotUtf8(path) => {
            Diagnostic::wrong(format!("{what} in {} is not UTF-8", visible_path(path)))
        }
    }
}

/// A rewrite file, in words and built; what it does not say of its tables, `table` does.
pub fn load_rewrite(path: &Path, table: &TableArgs) -> Result<(RewriteText, Rewrite), Diagnostic> {
    let complete = |step: &mut StepSpec| {
        if step.has_columns() {
            with_table(step, table);
        }
    };
    let shown = visible_path(path);
    rewrite_loading::load_rewrite(path, complete).map_err(|error| match error {
        LoadError::Read(error) => read_diagnostic("a rewrite", &error),
        LoadError::Pattern(error) => read_diagnostic("the pattern", &error),
        LoadError::Parse { text, source } => Diagnostic {
            quote: source.span.map(|span| {
                Box::new(Quote {
                    name: shown.clone(),
                    text,
                    span,
                })
            }),
            remedy: source.remedy.clone(),
            ..Diagnostic::wrong(format!("{shown} is not a rewrite file: {source}"))
        },
        LoadError::Step(FaultyStep { step, fault }) => {
            let mut diagnostic = step_diagnostic(&fault);
            diagnostic.message = format!("{shown}, step {step}: {}", diagnostic.message);
            diagnostic
        }
    })
}

/// The diagnostic of a step in words.
pub fn step_diagnostic(fault: &StepFault) -> Diagnostic {
    match fault {
        StepFault::Value { key, text, error } => {
            let name = match *key {
                "match" => "the pattern".to_owned(),
                "with" => "the template".to_owned(),
                key => format!("--{key}"),
            };
            Diagnostic::fault(&name, text, error)
        }
        StepFault::Senseless { message, remedy } => Diagnostic::wrong(message).remedy(*remedy),
        other => Diagnostic::wrong(other.to_string()),
    }
}

/// A pattern and a template on their own, for `explain`.
pub fn pattern_and_template(
    text: &StepSpec,
    with: Option<&str>,
) -> Result<(Pattern, Option<Template>), Diagnostic> {
    let query = text.query().map_err(|fault| step_diagnostic(&fault))?;
    let template = with.map(|with| {
        let mut tables = FileTables::new(Path::new(""));
        Template::parse_with(with, query.pattern.groups(), &mut tables)
            .map_err(|error| Diagnostic::fault("the template", with, &error))
    });
    let template = template.transpose()?;
    Ok((query.pattern, template))
}

/// The values of `--expect`.
pub fn expected(texts: &[String]) -> Result<Vec<Count>, Diagnostic> {
    let parse = |text: &String| {
        text.parse()
            .map_err(|e| Diagnostic::fault("--expect", text, &e))
    };
    texts.iter().map(parse).collect()
}

/// The number of changes or matches to be shown.
pub fn shown(args: &ShowArgs) -> Result<usize, Diagnostic> {
    at_most("--show", args.show.as_deref())
}

/// A number, or `all`; the value of `option`.
pub fn at_most(option: &str, text: Option<&str>) -> Result<usize, Diagnostic> {
    match text {
        None => Ok(SHOWN),
        Some("all") => Ok(usize::MAX),
        Some(text) => text.parse().map_err(|_| {
            Diagnostic::wrong(format!("{option}: `{text}` is not a number"))
                .remedy("write a number, or `all`")
        }),
    }
}

/// A group by its number or name; the value of `option`.
pub fn group(option: &str, text: &str, groups: &Groups) -> Result<usize, Diagnostic> {
    let number = text.parse().ok().filter(|number| *number < groups.len());
    number.or_else(|| groups.number_of(text)).ok_or_else(|| {
        let there = match groups.len() - 1 {
            0 => "put parentheses around what you mean; 0 is the whole match".to_owned(),
            1 => "there is group 1, and 0 for the whole match".to_owned(),
            n => format!("there are groups 1 to {n}, and 0 for the whole match"),
        };
        Diagnostic::wrong(format!("`{option}`: the pattern has no group `{text}`")).remedy(there)
    })
}

/// The exit status where nothing matched.
pub fn nothing_matched(args: &FilesArgs) -> Status {
    match args.exit_zero {
        true => Status::Fine,
        false => Status::No,
    }
}

/// Options for reading texts.
pub fn texts(args: &FilesArgs, facts: FactsOf) -> Result<TextOptions, Diagnostic> {
    let label = args.encoding.as_deref();
    let encoding = label.map(TextEncoding::of_label).transpose();
    Ok(TextOptions {
        binary: args.binary,
        facts,
        encoding: encoding.map_err(|error| {
            Diagnostic::wrong(format!("`--encoding`: {error}"))
                .remedy("write a WHATWG label, such as `latin1`, `windows-1252` or `shift_jis`")
        })?,
    })
}

/// The files that are meant. Without a path: a pipe, else the files below the current folder.
///
/// Where columns are read, `is_table` says whether the form of a file is known. A file that is
/// named must have one; those that are met on the way are passed over.
pub fn sources(
    paths: Vec<PathBuf>,
    args: &FilesArgs,
    use_of: FileUse,
    is_table: &dyn Fn(&Source) -> bool,
) -> Result<Sources, Diagnostic> {
    only_tables(listed(paths, args, use_of)?, is_table)
}

/// The same, whether columns are read or not.
pub fn listed(
    paths: Vec<PathBuf>,
    args: &FilesArgs,
    use_of: FileUse,
) -> Result<Sources, Diagnostic> {
    let search = Search::new(&args.include, &args.exclude, args.hidden)
        .map_err(|error| sources_diagnostic(&error.into()))?;
    let paths = meant_paths(paths, args)?;
    let host = host();
    let search = search.without(host.state()).for_use(use_of);
    let search = search.with_ignored(args.ignored);
    let found = Sources::find(&host, paths, search);
    let mut sources = found.map_err(|error| sources_diagnostic(&error))?;
    if let Some(name) = &args.stdin_name {
        name_stdin(&mut sources, name)?;
    }
    if args.changed {
        let kept = sources.only_changed();
        sources = kept.map_err(|error| sources_diagnostic(&error))?;
    }
    Ok(sources)
}

/// Gives standard input a name, where it is read.
fn name_stdin(sources: &mut Sources, name: &Path) -> Result<(), Diagnostic> {
    let mut all = sources.listing.sources.iter_mut();
    let Some(stdin) = all.find(|source| source.is_stdin()) else {
        return Err(
            Diagnostic::wrong("`--stdin-name` names standard input, and that is not read")
                .remedy("write `-` among the paths, or leave it out"),
        );
    };
    *stdin = Source::Stdin(Some(name.into()));
    Ok(())
}

/// The paths that are meant. Without a path: a pipe, else the current folder.
pub fn meant_paths(paths: Vec<PathBuf>, args: &FilesArgs) -> Result<Vec<PathBuf>, Diagnostic> {
    let mut paths = paths;
    match &args.paths_from {
        Some(list) => paths.extend(listed_paths(list, args.null)?),
        None if paths.is_empty() => paths.push(if stdin_is_text() { "-" } else { "." }.into()),
        None => {}
    }
    Ok(paths)
}

/// The files with columns: see [`Sources::only_tables`].
pub fn only_tables(
    sources: Sources,
    is_table: &dyn Fn(&Source) -> bool,
) -> Result<Sources, Diagnostic> {
    let kept = sources.only_tables(is_table);
    kept.map_err(|error| sources_diagnostic(&error))
}

fn sources_diagnostic(error: &SourcesError) -> Diagnostic {
    match error {
        SourcesError::Glob(error) => {
            Diagnostic::wrong(error.to_string()).remedy("write a glob such as `*.md` or `old/**`")
        }
        SourcesError::Unreadable(errors) => {
            let texts: Vec<String> = (errors.iter())
                .map(|error| Diagnostic::of_file(error).message)
                .collect();
            Diagnostic::trouble(texts.join("; "))
                .remedy("name files or folders that are there, or none for the current folder")
        }
        SourcesError::NoCommit(source, error) => {
            let message = format!("`--changed`: {}: {error}", file_name(source));
            Diagnostic::wrong(message).remedy(match error {
                RepositoryError::OfAnother => "run this as its owner, or leave `--changed` out",
                _ => "name files of a repository, or leave `--changed` out",
            })
        }
        SourcesError::NoColumns(source) => {
            let name = file_name(source);
            if let Some(format) = structured_format(source) {
                return Diagnostic::wrong(format!("{name} is {format}, which is not text"))
                    .remedy("save it as CSV, and name that file");
            }
            Diagnostic::wrong(format!("{name}: unknown table format"))
                .remedy("add `--format csv`, `tsv`, `spaced`, `jsonl` or `json`")
        }
    }
}

/// The structured format of a file, where it is in one.
fn structured_format(source: &Source) -> Option<&'static str> {
    let mut head = Vec::new();
    let file = open_regular(source.path()).ok()?;
    file.take(LOOKED_AT as u64).read_to_end(&mut head).ok()?;
    structured(&head)
}

/// Reports the files that were passed over, where little or nothing was found.
pub fn report_passed_over(sources: &Sources, (pattern, matches): (&str, u64), output: &mut Output) {
    if matches == 0
        && sources.is_current_folder()
        && let Some(what) = path_kind(pattern)
    {
        let shown = visible(pattern.as_bytes());
        output.note(&format!(
            "note: `{shown}` is also a {what} here; to search in it, write the pattern before it, as in \
             `'.+' {shown}`\n"
        ));
    }
    if matches > 0 && sources.listing.sources.len() > 1 {
        return;
    }
    if !sources.unchanged.is_empty() {
        let files = counted(sources.unchanged.len() as u64, "file");
        output.note(&format!(
            "note: {files} left out by `--changed`, as in the last commit\n"
        ));
    }
    let PassedOver { ignored, hidden } = sources.passed_over();
    let told = [
        (ignored, "ignored by version control", "--ignored"),
        (hidden, "hidden", "--hidden"),
    ];
    for (files, which, option) in told.into_iter().filter(|(files, ..)| *files > 0) {
        let files = counted(files, "file");
        output.note(&format!(
            "note: {files} left out, {which}; see also `{option}`\n"
        ));
    }
}

/// True if a person types what is to be read: then a signal need not wait for more of it.
pub fn waits_for_typing(sources: &Sources) -> bool {
    sources.listing.has_stdin() && io::stdin().is_terminal()
}

/// The paths in a file, one a line.
fn listed_paths(list: &Path, null: bool) -> Result<Vec<PathBuf>, Diagnostic> {
    let read = if list.as_os_str() == "-" {
        let mut bytes = Vec::new();
        io::stdin().lock().read_to_end(&mut bytes).map(|_| bytes)
    } else {
        read_all(list, PATHS_MOST)
    };
    let bytes = read.map_err(|error| {
        let shown = visible_path(list);
        Diagnostic::trouble(format!(
            "cannot read the paths from {shown}: {}",
            system_words(&error)
        ))
    })?;
    let separator = if null { b'\0' } else { b'\n' };
    let each = bytes
        .split(|b| *b == separator)
        .filter(|path| !path.is_empty());
    Ok(each
        .map(|path| OsString::from_vec(path.to_vec()).into())
        .collect())
}

/// True if standard input is a pipe, a socket or a file, and not a terminal or nothing.
pub fn stdin_is_text() -> bool {
    let stdin = io::stdin();
    let Ok(stdin) = std::os::fd::AsFd::as_fd(&stdin).try_clone_to_owned() else {
        return false;
    };
    std::fs::File::from(stdin).metadata().is_ok_and(|found| {
        let kind = found.file_type();
        kind.is_fifo() || kind.is_socket() || kind.is_file()
    })
}

/// The way kinds of changes are distinguished.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum KindsBy {
    /// By text, or, where there are more than a screen holds, by shape.
    Need,
    Text,
    Shape,
}

impl KindsBy {
    /// Kinds that a screen holds.
    pub const SCREEN: usize = 40;

    /// The value of `--kinds`.
    pub fn of(text: Option<&str>) -> Result<Option<Self>, Diagnostic> {
        text.map(|text| match text {
            "auto" => Ok(Self::Need),
            "text" => Ok(Self::Text),
            "shape" => Ok(Self::Shape),
            other => {
                let shown = visible(other.as_bytes());
                Err(
                    Diagnostic::wrong(format!("`--kinds`: there are no kinds by `{shown}`"))
                        .remedy("write `text` or `shape`"),
                )
            }
        })
        .transpose()
    }

    /// True if this many kinds are grouped by shape.
    pub fn groups(self, kinds: usize) -> bool {
        match self {
            Self::Need => kinds > Self::SCREEN,
            Self::Text => false,
            Self::Shape => true,
        }
    }
}
