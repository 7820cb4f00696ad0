//! Definitions of the command line, and nothing else; `options` gives them meaning.
//!
//! Note to the maintainer. The command line is cut at `--then` before clap sees it
//! ([`split`]): each part is parsed by the same definitions, for the options of its step; the
//! options that belong to the whole command are read from all parts together, so that they may
//! stand anywhere. An option of a step goes into [`StepSpec`], one of the command into the
//! verb's own struct. A new verb is a line in `verbs`.

pub mod definitions;
mod lent;
mod mistakes;
pub mod pages;
pub mod split;
pub mod verbs;
pub mod words;

use crate::args::definitions::{Program, RewriteArg, When};
use crate::args::split::Part;
use crate::args::verbs::Verb;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::settings::settings;
use crate::status::Status;
use crate::theme::Theme;
use brisk_quill_core::step_spec::StepSpec;
use clap::error::ErrorKind;
use clap::{Args, CommandFactory, FromArgMatches};
use std::borrow::Cow;
use std::ffi::OsString;

/// A parsed command line.
pub struct Parsed {
    /// When colours are wanted.
    pub color: When,
    /// The colours that are wanted.
    pub theme: Theme,
    /// The verb, with the options of the whole command.
    pub verb: Verb,
    /// The parts between `--then`, in order; at least one.
    pub parts: Vec<Part>,
    /// The options that were given and say nothing to the verb.
    pub unused: Vec<String>,
}

/// Parsing ended the program: help was asked for, or the words are wrong.
pub enum Stopped {
    /// Help, or the version.
    Help(clap::Error),
    /// Help on one screen.
    Page(Cow<'static, str>),
    /// Something is wrong.
    Mistake(Diagnostic),
}

impl From<clap::Error> for Stopped {
    fn from(error: clap::Error) -> Self {
        match mistakes::diagnostic(&error) {
            Some(diagnostic) => Self::Mistake(diagnostic),
            None => Self::Help(error),
        }
    }
}

impl Stopped {
    /// Prints it; gives what the program ends with.
    pub fn print(self, output: &mut Output) -> Status {
        match self {
            Self::Help(error) => {
                // A closed pipe is not a reason to complain about help.
                let _ = error.print();
                match error.use_stderr() {
                    true => Status::WrongRequest,
                    false => Status::Fine,
                }
            }
            Self::Page(page) => {
                output.say(&page);
                Status::Fine
            }
            Self::Mistake(diagnostic) => output.complain(&diagnostic),
        }
    }
}

/// All that can be written on the command line.
pub fn definitions() -> clap::Command {
    Verb::define(Program::command(), |_| true)
}

/// Parses the arguments, the program's own name first.
pub fn parse(argv: &[OsString]) -> Result<Parsed, Stopped> {
    parse_all(argv).map_err(|stopped| match stopped {
        Stopped::Help(error) => {
            let page = short_page(argv, &error);
            page.map_or(Stopped::Help(error), |page| Stopped::Page(page.into()))
        }
        other => other,
    })
}

/// The page that is meant where help was asked for by `-h`.
fn short_page(argv: &[OsString], error: &clap::Error) -> Option<&'static str> {
    let is_there = |word: &str| argv.iter().any(|own| own == word);
    if error.kind() != ErrorKind::DisplayHelp || !is_there("-h") || is_there("--help") {
        return None;
    }
    let words = argv.iter().skip(1).filter_map(|word| word.to_str());
    let verb = words.into_iter().find(|word| Verb::is_name(word));
    verb.map_or(Some(pages::PROGRAM), |verb| {
        pages::named(pages::VERBS, verb)
    })
}

fn parse_all(argv: &[OsString]) -> Result<Parsed, Stopped> {
    let asked = |verb: &str| argv.iter().any(|word| word == verb);
    let mut definitions = with_settings(Verb::define(Program::command(), asked), argv);
    let split = split::split(&definitions, argv)
        .map_err(|swallowed| Stopped::Mistake(swallowed.diagnostic()))?;
    let mut found = Vec::new();
    for part in &split.parts {
        found.push(definitions.try_get_matches_from_mut(part)?);
    }
    let whole = match &found[..] {
        // A single part is the whole command line, and is not read twice.
        [only] => only.clone(),
        _ => {
            definitions = Verb::define(Program::command(), asked).mut_subcommands(of_any_step);
            definitions = with_settings(definitions, argv);
            definitions.try_get_matches_from_mut(&split.joined)?
        }
    };
    // Giving its many pieces back would take longer than looking at a small file.
    std::mem::forget(definitions);
    let verb = |found| Verb::read(found).map_err(Stopped::from);
    let mut parts = Vec::new();
    for part in &found {
        parts.push(verb(part)?.into_part());
    }
    let program = Program::from_arg_matches(&whole)?;
    let mut unused = Vec::new();
    for part in found.iter().chain([&whole]) {
        if let Some((name, words)) = part.subcommand() {
            unused.extend(lent::unused(name, words));
        }
    }
    unused.sort();
    unused.dedup();
    Ok(Parsed {
        unused,
        color: program.color,
        theme: program.theme,
        verb: verb(&whole)?,
        parts,
    })
}

/// The help of a verb as `--help` shows it, the page of a topic or that of the program; or why there is none.
pub fn help(verb: Option<&str>) -> Stopped {
    let page = match verb {
        Some(topic) => pages::named(pages::TOPICS, topic),
        None => Some(pages::PROGRAM),
    };
    if let Some(page) = page {
        let page = match verb {
            // What holds is this user's.
            Some("settings") => (page.to_owned() + &settings().page()).into(),
            _ => page.into(),
        };
        return Stopped::Page(page);
    }
    let words = ["bquill"].into_iter().chain(verb).chain(["--help"]);
    let argv: Vec<OsString> = words.map(OsString::from).collect();
    match parse(&argv) {
        Err(stopped) => stopped,
        // It asks for help, so it never ends in a request.
        Ok(_) => Stopped::Mistake(Diagnostic::wrong("there is no help")),
    }
}

/// The definitions with the defaults that this user has set. Records for programs are not a matter of looks.
fn with_settings(definitions: clap::Command, argv: &[OsString]) -> clap::Command {
    /// Verbs that show a part of what they found.
    const SHOWING: [&str; 3] = ["find", "preview", "shapes"];
    let for_programs = argv.iter().any(|word| word == "--json");
    let mut defaults = settings().defaults().peekable();
    if defaults.peek().is_none() {
        return definitions;
    }
    let defaults: Vec<_> = defaults.collect();
    let set = move |arg: clap::Arg| {
        let of = defaults.iter().find(|(name, _)| arg.get_id() == *name);
        match of {
            Some((_, value)) => arg.default_value(*value),
            None => arg,
        }
    };
    let of_verb = |verb: clap::Command| {
        let shows = SHOWING.contains(&verb.get_name()) && !for_programs;
        verb.mut_args(|arg| match arg.get_id().as_str() {
            "show" | "context" if !shows => arg,
            _ => set(arg),
        })
    };
    definitions.mut_args(&set).mut_subcommands(of_verb)
}

/// Lets each step have its own options, where all steps are read as one.
fn of_any_step(verb: clap::Command) -> clap::Command {
    let of_step = RewriteArg::augment_args(StepSpec::augment_args(clap::Command::new("")));
    let is_of_step = |id: &clap::Id| of_step.get_arguments().any(|arg| arg.get_id() == id);
    verb.mut_args(|arg| match is_of_step(arg.get_id()) {
        true => {
            let id = arg.get_id().clone();
            arg.overrides_with(id)
        }
        false => arg,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn words(line: &str) -> Vec<OsString> {
        line.split(' ').map(OsString::from).collect()
    }

    /// Every option of a step is a key of a rewrite file.
    #[test]
    fn options_are_keys() {
        let of_step = StepSpec::augment_args(clap::Command::new(""));
        let mut options = 0;
        for option in of_step.get_arguments().filter_map(clap::Arg::get_long) {
            let file = format!("[[step]]\n{option} = 7\n");
            let read = brisk_quill_core::rewrite_file::RewriteText::parse(&file);
            // A value of the wrong type at most.
            let unknown = read.is_err_and(|error| error.to_string().contains("no key"));
            assert!(!unknown, "{option}");
            options += 1;
        }
        assert!(options > 25);
    }

    /// Options laid out for one verb alone are those laid out for all.
    #[test]
    fn a_verb_alone_is_as_among_all() {
        let all = definitions();
        all.clone().debug_assert();
        assert!(all.get_subcommands().count() > 10);
        for verb in all.get_subcommands() {
            let name = verb.get_name();
            let mut alone = Verb::define(Program::command(), |asked| asked == name);
            let shown = |program: &mut clap::Command, line: &str| {
                let found = program.try_get_matches_from_mut(words(line));
                found.unwrap_err().to_string()
            };
            for line in [format!("bquill {name} --help"), "bquill --help".into()] {
                let among_all = shown(&mut all.clone(), &line);
                assert_eq!(shown(&mut alone, &line), among_all, "{line}");
            }
        }
    }

    #[test]
    fn steps_are_cut_behind_the_verb() {
        let cases = [
            ("bquill preview a --with b", &["a"][..]),
            (
                "bquill preview a --with b --then c --remove p",
                &["a", "c p"],
            ),
            (
                "bquill --color never preview a --with b --then c --remove p",
                &["a", "c p"],
            ),
            ("bquill --color=never find -- -5 p", &["-5 p"]),
            (
                "bquill preview --with b -- -w -- --then -i --remove -- -c p",
                &["-w --", "-c p"],
            ),
            ("bquill history", &[""]),
            // The name of a verb may be a path.
            ("bquill find a test man", &["a test man"]),
        ];
        for (line, wanted) in cases {
            let Ok(parsed) = parse(&words(line)) else {
                panic!("{line} is right");
            };
            let found: Vec<String> = (parsed.parts.iter())
                .map(|part| part.words.join(" ".as_ref()).into_string().unwrap())
                .collect();
            assert_eq!(found, wanted, "{line}");
        }
        for line in [
            "bquill",
            "bquill nowhere",
            "bquill --color never",
            "bquill preview --with --then",
            // What is not an option is not a pattern either.
            "bquill find -w fn src",
            "bquill find -5 p",
            "bquill apply -r fn --with X c.txt --yes",
            "bquill preview --word fn p",
        ] {
            assert!(parse(&words(line)).is_err(), "{line}");
        }
    }
}
