//! From the words of the command line to the core's own types.

use crate::args::{FilesArgs, GuardArgs, Part, PickPer, SelectArgs, ShowArgs, StepArgs, Unit};
use crate::complaint::Complaint;
use brisk_quill_core::address::{Count, Spec, SpecError};
use brisk_quill_core::escape::visible;
use brisk_quill_core::{
    Action, Block, MatchOptions, Near, Pattern, Per, Pick, Query, Rewrite, Scope, Step, Template,
    UnitKind, edits::StepSet,
};
use brisk_quill_files::{Listing, Search, TextEncoding, TextOptions, discover};
use std::ffi::OsString;
use std::io::{self, Read};
use std::os::unix::ffi::OsStringExt;
use std::os::unix::fs::FileTypeExt;
use std::path::{Path, PathBuf};
use std::str::FromStr;

/// Changes shown where `--show` does not say.
const SHOWN: usize = 40;

/// A query, or a rewrite, with the paths it is meant for.
pub struct Asked<T> {
    pub what: T,
    pub paths: Vec<PathBuf>,
}

/// The query of `find` and its like.
pub fn query(mut parts: Vec<Part>) -> Result<Asked<Query>, Complaint> {
    let part = parts.swap_remove(0);
    if !parts.is_empty() {
        return Err(
            Complaint::wrong("this verb takes one pattern, and `--then` begins another")
                .remedy("use `preview` to see several steps"),
        );
    }
    let (pattern, paths) = pattern_and_paths(part.words, &part.step.select)?;
    Ok(Asked {
        what: query_of(&part.step.select, &pattern)?,
        paths,
    })
}

/// The rewrite of `preview` and `apply`.
pub fn rewrite(parts: Vec<Part>, guard: &GuardArgs) -> Result<Asked<Rewrite>, Complaint> {
    if parts.len() > StepSet::MOST {
        let message = format!("a rewrite has at most {} steps", StepSet::MOST);
        return Err(Complaint::wrong(message).remedy("run it in two parts"));
    }
    let (mut steps, mut paths) = (Vec::new(), Vec::new());
    for part in parts {
        let (pattern, more) = pattern_and_paths(part.words, &part.step.select)?;
        steps.push(step(&part.step, &pattern)?);
        paths.extend(more);
    }
    let unit = steps.last().map_or(UnitKind::Line, |step| step.query.unit);
    let mut rewrite = Rewrite::new(steps);
    if let Some(text) = &guard.ensure {
        let options = MatchOptions {
            multi_line: unit != UnitKind::Line,
            ..MatchOptions::default()
        };
        rewrite = rewrite.ensuring(compiled("--ensure", text, &options)?);
    }
    Ok(Asked {
        what: rewrite,
        paths,
    })
}

fn pattern_and_paths(
    words: Vec<OsString>,
    select: &SelectArgs,
) -> Result<(String, Vec<PathBuf>), Complaint> {
    let mut words = words.into_iter();
    let pattern = match &select.pattern_file {
        Some(path) => read_pattern(path)?,
        None => {
            let word = words.next().ok_or_else(|| {
                Complaint::wrong("a pattern is missing")
                    .remedy("write it as the first argument, between single quotes")
            })?;
            word.into_string().map_err(|word| {
                let shown = visible(word.as_encoded_bytes());
                Complaint::wrong(format!("the pattern is not UTF-8: {shown}"))
                    .remedy("write the character itself in UTF-8, or as `\\u{…}`")
            })?
        }
    };
    Ok((pattern, words.map(PathBuf::from).collect()))
}

fn read_pattern(path: &Path) -> Result<String, Complaint> {
    let shown = visible(path.as_os_str().as_encoded_bytes());
    let bytes = std::fs::read(path).map_err(|error| {
        Complaint::trouble(format!("cannot read the pattern from {shown}: {error}"))
    })?;
    let text = String::from_utf8(bytes)
        .map_err(|_| Complaint::wrong(format!("the pattern in {shown} is not UTF-8")))?;
    // The line end that an editor adds is not part of the pattern.
    let text = text.strip_suffix('\n').unwrap_or(&text);
    Ok(text.strip_suffix('\r').unwrap_or(text).to_owned())
}

fn step(args: &StepArgs, pattern: &str) -> Result<Step, Complaint> {
    let query = query_of(&args.select, pattern)?;
    let action = match (&args.with, args.remove) {
        (Some(_), true) => {
            return Err(Complaint::wrong("--with and --remove exclude each other")
                .remedy("keep one of them, or make two steps with `--then`"));
        }
        (Some(text), false) if args.select.literal => Action::Replace(Template::literal(text)),
        (Some(text), false) => Action::Replace(
            Template::parse(text, query.pattern.groups())
                .map_err(|error| Complaint::fault("the template", text, &error))?,
        ),
        (None, true) => Action::Remove,
        (None, false) => {
            return Err(Complaint::wrong(format!(
                "nothing is said about what becomes of `{pattern}`"
            ))
            .remedy("add `--with TEMPLATE` or `--remove`; to only look, use `find`"));
        }
    };
    Ok(Step::new(query, action))
}

fn query_of(args: &SelectArgs, pattern: &str) -> Result<Query, Complaint> {
    let unit = match args.unit {
        None | Some(Unit::Line) => UnitKind::Line,
        Some(Unit::Paragraph) => UnitKind::Paragraph,
        Some(Unit::Text) => UnitKind::Text,
    };
    let record = MatchOptions {
        multi_line: unit != UnitKind::Line,
        ..MatchOptions::default()
    };
    let options = MatchOptions {
        ignore_case: args.ignore_case,
        whole_word: args.whole_word,
        literal: args.literal,
        entire: args.entire,
        ..record
    };
    let all = |name: &str, patterns: &[String], options: &MatchOptions| {
        let each = patterns.iter().map(|text| compiled(name, text, options));
        each.collect::<Result<Vec<_>, _>>()
    };
    Ok(Query {
        pattern: compiled("the pattern", pattern, &options)?,
        unit,
        scope: Scope {
            lines: spec("--lines", args.lines.as_deref())?.unwrap_or_else(Spec::all),
            contains: all("--where", &args.contains, &record)?,
            lacks: all("--unless", &args.unless, &record)?,
            blocks: blocks(&args.between, args.exclusive)?,
            near: near(&args.near)?,
        },
        pick: Pick {
            spec: spec("--pick", args.pick.as_deref())?.unwrap_or_else(Spec::all),
            per: match args.per {
                None | Some(PickPer::Unit) => Per::Unit,
                Some(PickPer::File) => Per::File,
                Some(PickPer::Run) => Per::Run,
            },
        },
        limit: args.limit,
    })
}

fn compiled(name: &str, text: &str, options: &MatchOptions) -> Result<Pattern, Complaint> {
    Pattern::new(text, options).map_err(|error| Complaint::fault(name, text, &error))
}

/// `--between START END`, as often as it was given.
fn blocks(values: &[String], exclusive: bool) -> Result<Vec<Block>, Complaint> {
    let line = MatchOptions::default();
    let block = |pair: &[String]| {
        Ok(Block {
            start: compiled("--between", &pair[0], &line)?,
            end: compiled("--between", &pair[1], &line)?,
            exclusive,
        })
    };
    values.chunks_exact(2).map(block).collect()
}

/// `--near PATTERN N`, as often as it was given.
fn near(values: &[String]) -> Result<Vec<Near>, Complaint> {
    let near = |pair: &[String]| {
        Ok(Near {
            pattern: compiled("--near", &pair[0], &MatchOptions::default())?,
            distance: pair[1].parse().map_err(|_| {
                Complaint::wrong(format!("--near: `{}` is no number of lines", pair[1]))
                    .remedy("write the pattern first and then a number, as in `--near closed 2`")
            })?,
        })
    };
    values.chunks_exact(2).map(near).collect()
}

/// A value of one of the SPEC grammars.
fn spec<T: FromStr<Err = SpecError>>(
    name: &str,
    text: Option<&str>,
) -> Result<Option<T>, Complaint> {
    let parse = |text: &str| text.parse().map_err(|e| Complaint::fault(name, text, &e));
    text.map(parse).transpose()
}

/// The value of `--expect`.
pub fn expected(text: Option<&str>) -> Result<Option<Count>, Complaint> {
    spec("--expect", text)
}

/// How many changes or matches are to be shown.
pub fn shown(args: &ShowArgs) -> Result<usize, Complaint> {
    match args.show.as_deref() {
        None => Ok(SHOWN),
        Some("all") => Ok(usize::MAX),
        Some(text) => text.parse().map_err(|_| {
            Complaint::wrong(format!("--show: `{text}` is no number"))
                .remedy("write a number, or `all`")
        }),
    }
}

/// How texts are to be read.
pub fn texts(args: &FilesArgs, facts: bool) -> Result<TextOptions, Complaint> {
    let label = args.encoding.as_deref();
    let encoding = label.map(TextEncoding::of_label).transpose();
    Ok(TextOptions {
        binary: args.binary,
        facts,
        encoding: encoding.map_err(|error| {
            Complaint::wrong(format!("--encoding: {error}"))
                .remedy("write a WHATWG label, such as `latin1`, `windows-1252` or `shift_jis`")
        })?,
    })
}

/// The files that are meant. Without a path: a pipe, else the files below this folder.
pub fn sources(paths: Vec<PathBuf>, args: &FilesArgs) -> Result<Listing, Complaint> {
    let search = Search::new(&args.files, &args.skip, args.hidden).map_err(|error| {
        Complaint::wrong(error.to_string()).remedy("write a glob such as `*.md` or `old/**`")
    })?;
    let mut paths = paths;
    match &args.paths_from {
        Some(list) => paths.extend(listed_paths(list, args.null)?),
        None if paths.is_empty() => paths.push(if stdin_is_text() { "-" } else { "." }.into()),
        None => {}
    }
    Ok(discover(&paths, &search))
}

/// The paths in a file, one a line.
fn listed_paths(list: &Path, null: bool) -> Result<Vec<PathBuf>, Complaint> {
    let read = if list.as_os_str() == "-" {
        let mut bytes = Vec::new();
        io::stdin().lock().read_to_end(&mut bytes).map(|_| bytes)
    } else {
        std::fs::read(list)
    };
    let bytes = read.map_err(|error| {
        let shown = visible(list.as_os_str().as_encoded_bytes());
        Complaint::trouble(format!("cannot read the paths from {shown}: {error}"))
    })?;
    let separator = if null { b'\0' } else { b'\n' };
    let each = bytes
        .split(|b| *b == separator)
        .filter(|path| !path.is_empty());
    Ok(each
        .map(|path| OsString::from_vec(path.to_vec()).into())
        .collect())
}

/// Whether standard input is a pipe, a socket or a file, and not a terminal or nothing.
fn stdin_is_text() -> bool {
    let stdin = io::stdin();
    let Ok(stdin) = std::os::fd::AsFd::as_fd(&stdin).try_clone_to_owned() else {
        return false;
    };
    std::fs::File::from(stdin).metadata().is_ok_and(|found| {
        let kind = found.file_type();
        kind.is_fifo() || kind.is_socket() || kind.is_file()
    })
}
