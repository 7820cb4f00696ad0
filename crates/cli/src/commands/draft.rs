//! `draft`: a rewrite built while one watches what it does; nothing is written to the files.

use crate::args::definitions::{DraftArgs, FilesArgs, TableArgs};
use crate::args::split::Part;
use crate::args::{definitions, words};
use crate::commands::ends::check_new;
use crate::commands::{plans, preview, review};
use crate::diagnostic::Diagnostic;
use crate::draft::action::Leave;
use crate::draft::request::{Known, StepText, ask, command_line, rewrite_of};
use crate::draft::run::{self, Left, Means};
use crate::draft::saved::{self, Saved};
use crate::draft::state::State;
use crate::draft::state::completion::OptionNames;
use crate::draft::stdin_sample::StdinSample;
use crate::draft::worker::Opened;
use crate::full_screen::palette::Palette;
use crate::host::host;
use crate::options;
use crate::output::Output;
use crate::status::Status;
use brisk_quill_core::example::Example;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::worked_examples::Examples;
use std::ffi::OsStr;
use std::io::{self, IsTerminal};
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

pub fn run(args: &DraftArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Diagnostic> {
    let Opening {
        saved,
        paths,
        message,
    } = opening(args, parts)?;
    let has_stdin = paths.iter().any(|path| path.as_os_str() == "-");
    needs_terminal(has_stdin)?;
    let fail = |error: io::Error| Diagnostic::trouble(format!("the draft cannot go on: {error}"));
    let stdin = has_stdin
        .then(StdinSample::start)
        .transpose()
        .map_err(fail)?;
    let names = Arc::new(OptionNames::of(&definitions()));
    let mut state = State::new(saved, names);
    state.message = message;
    let means = Means {
        opened: Opened { paths, stdin },
        palette: Palette::of(output),
        threads: Threads::new(args.files.threads),
        temporaries: Arc::clone(host().temporaries()),
        save: &save,
    };
    output.show();
    let Some(left) = run::run(state, &means).map_err(fail)? else {
        return Ok(Status::Fine);
    };
    ended(&left, &means.opened, output)
}

/// The beginning of a draft.
struct Opening {
    saved: Saved,
    paths: Vec<PathBuf>,
    message: String,
}

/// Opens what is named; with nothing, the draft that was not closed, else the last preview.
fn opening(args: &DraftArgs, parts: Vec<Part>) -> Result<Opening, Diagnostic> {
    let nothing_else = words::of_files(&args.files).is_empty() && args.guard.ensure.is_empty();
    if plans::nothing_named(&parts) && nothing_else && !stdin_is_sample() {
        if let Some((saved, paths)) = saved::load() {
            return Ok(Opening {
                saved,
                paths,
                message: "the draft that was not closed is open again".into(),
            });
        }
        if let Ok(doc) = plans::open(None) {
            let files = doc.index.files.iter();
            let files: Vec<&Path> = files
                .map(|file| Path::new(OsStr::from_bytes(&file.path)))
                .collect();
            return Ok(Opening {
                saved: Saved {
                    steps: doc.index.rewrite.step.iter().map(StepText::of).collect(),
                    examples: examples(&doc.index.rewrite.step),
                    title: doc.index.rewrite.title.clone(),
                    whole: doc.index.rewrite.example.clone(),
                    ..Saved::default()
                },
                paths: vec![common_folder(&files)],
                message: "this is the rewrite of the last preview".into(),
            });
        }
        return Ok(Opening {
            saved: Saved::default(),
            paths: vec![".".into()],
            message: String::new(),
        });
    }
    let rewrite = parts.iter().find_map(|part| part.rewrite.clone());
    let (text, paths, message) = match rewrite {
        Some(_) => {
            let asked = options::rewrite(parts, &args.guard, &args.files.table)?;
            (asked.text, asked.paths, String::new())
        }
        None => {
            let (steps, paths) = options::steps(parts, &args.guard, &args.files.table)?;
            (RewriteText::from(steps), paths, String::new())
        }
    };
    let paths = options::meant_paths(paths, &args.files)?;
    let mut texts: Vec<StepText> = text.step.iter().map(StepText::of).collect();
    if let Some(first) = texts.first_mut() {
        // The options of the whole command stand with the first step.
        let files = FilesArgs {
            paths_from: None,
            null: false,
            table: TableArgs::default(),
            ..args.files.clone()
        };
        let mut guard = args.guard.clone();
        guard.ensure.clear();
        let more = [words::of_files(&files), words::of_guard(&guard)].concat();
        let more = words::quoted(more.iter().map(String::as_str));
        first.options = format!("{} {more}", first.options).trim().to_owned();
    }
    Ok(Opening {
        saved: Saved {
            examples: examples(&text.step),
            title: text.title,
            whole: text.example,
            steps: texts,
            ..Saved::default()
        },
        paths,
        message,
    })
}

fn examples(steps: &[StepSpec]) -> Vec<Vec<Example>> {
    steps.iter().map(|step| step.example.clone()).collect()
}

/// The deepest folder that some files lie in; of one file, that file.
fn common_folder(files: &[&Path]) -> PathBuf {
    let Some((first, rest)) = files.split_first() else {
        return ".".into();
    };
    let mut common = first.to_path_buf();
    for file in rest {
        while !file.starts_with(&common) && common.pop() {}
    }
    match common.as_os_str().is_empty() {
        true => ".".into(),
        false => common,
    }
}

/// True if standard input brings a text.
fn stdin_is_sample() -> bool {
    !io::stdin().is_terminal() && options::stdin_is_text()
}

fn needs_terminal(has_stdin: bool) -> Result<(), Diagnostic> {
    // Keys are read from the terminal itself, where standard input is the sample.
    let keys = io::stdin().is_terminal() || has_stdin && Path::new("/dev/tty").exists();
    match keys && io::stdout().is_terminal() {
        true => Ok(()),
        false => Err(Diagnostic::wrong("there is no terminal to draft on")
            .remedy("use `find` and `preview`, which take the same words")),
    }
}

/// Saves a draft as a rewrite file; gives what to say of it.
fn save(file: &Path, state: &State) -> Result<String, String> {
    let said = |diagnostic: Diagnostic| match diagnostic.remedy {
        Some(remedy) => format!("{}: {remedy}", diagnostic.message),
        None => diagnostic.message,
    };
    let built = state.known.built.as_ref().filter(|_| !state.is_stale());
    let asked = built.and_then(|built| {
        let saved = state.saved();
        rewrite_of(&built.draft, saved.without_steps(), &saved.examples, &[])
    });
    let Some(asked) = asked else {
        return Err("there is nothing to save yet: no step does anything".to_owned());
    };
    check_new(file, "the rewrite").map_err(said)?;
    if let Some(folder) = file.parent() {
        std::fs::create_dir_all(folder)
            .map_err(|error| format!("cannot make {}: {error}", folder.display()))?;
    }
    let saved = preview::save_rewrite(file, (&asked.text, &asked.rewrite), Examples::default());
    saved.map_err(said)?;
    Ok(format!("saved in {}", file.display()))
}

/// Does what a draft was left for.
fn ended(left: &Left, opened: &Opened, output: &mut Output) -> Result<Status, Diagnostic> {
    match left.leave {
        Leave::Close => Ok(Status::Fine),
        Leave::AtOnce => {
            output.note("note: the draft is kept; `bquill draft` opens it where it was\n");
            Ok(Status::Fine)
        }
        Leave::Print => {
            let asked = ask(&left.saved.steps, &mut Known::default());
            let changes = asked.map_or(true, |asked| asked.specs.iter().any(StepSpec::has_action));
            let verb = if changes { "preview" } else { "find" };
            let line = command_line(verb, &left.saved.steps, &opened.paths);
            output.say(&format!("{line}\n"));
            Ok(Status::Fine)
        }
        Leave::Review => {
            let built = left.built.as_ref();
            let asked = built.and_then(|built| {
                let saved = &left.saved;
                let text = saved.without_steps();
                rewrite_of(&built.draft, text, &saved.examples, &opened.paths)
            });
            let (Some(built), Some(asked)) = (built, asked) else {
                return Err(
                    Diagnostic::no("there is nothing to review: no step does anything")
                        .remedy("`bquill draft` opens the draft where it was"),
                );
            };
            review::of_rewrite(&asked, (&built.files, &built.guard), output)
        }
    }
}
