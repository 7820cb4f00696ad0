//! What can be written on the command line. Definitions only; `options` gives them meaning.
//!
//! Note to the maintainer. The command line is cut at `--then` before clap sees it
//! ([`split`]): each part is parsed by the same definitions, for the options of its step; the
//! options that belong to the whole command are read from all parts together, so that they may
//! stand anywhere. An option of a step goes into [`StepArgs`], one of the command into the
//! verb's own struct. A new verb is a line in `verbs`.

mod definitions;
mod split;
mod verbs;

pub use definitions::*;
pub use verbs::Verb;

use crate::status::Status;
use clap::{CommandFactory, FromArgMatches};
use std::ffi::OsString;
use std::process::ExitCode;

/// A parsed command line.
pub struct Parsed {
    /// When colours are wanted.
    pub color: When,
    /// What to do, with the options of the whole command.
    pub verb: Verb,
    /// The parts between `--then`, in order; at least one.
    pub parts: Vec<Part>,
}

/// One part of the command line: the words and options of one step.
#[derive(Debug, Default)]
pub struct Part {
    /// The words that are no options, in order.
    pub words: Vec<OsString>,
    /// Options of the step.
    pub step: StepArgs,
}

/// Parsing ended the program: help was asked for, or the words are wrong.
pub enum Stopped {
    /// clap's own answer.
    Clap(clap::Error),
    /// An option stands where a value should.
    Swallowed(split::Swallowed),
}

impl Stopped {
    /// Prints it and tells how to end.
    pub fn report(self) -> ExitCode {
        match self {
            Self::Clap(error) => {
                let status = if error.use_stderr() {
                    Status::WrongRequest
                } else {
                    Status::Fine
                };
                // A closed pipe is no reason to complain about help.
                let _ = error.print();
                status.into()
            }
            Self::Swallowed(swallowed) => {
                let mut output = crate::Output::new(When::Auto);
                let status = output.complain(&swallowed.complaint());
                output.close(status).into()
            }
        }
    }
}

/// All that can be written on the command line.
pub fn definitions() -> clap::Command {
    Verb::define(Program::command(), |_| true)
}

/// Parses the arguments, the program's own name first.
pub fn parse(argv: &[OsString]) -> Result<Parsed, Stopped> {
    let asked = |verb: &str| argv.iter().any(|word| word == verb);
    let mut definitions = Verb::define(Program::command(), asked);
    let split = split::split(&definitions, argv).map_err(Stopped::Swallowed)?;
    let mut read = |words: &[OsString]| {
        let found = definitions.try_get_matches_from_mut(words);
        found.map_err(Stopped::Clap)
    };
    let mut found = Vec::new();
    for part in &split.parts {
        found.push(read(part)?);
    }
    let whole = match &found[..] {
        // A single part is the whole command line, and is not read twice.
        [only] => only.clone(),
        _ => read(&split.joined)?,
    };
    // Giving its many pieces back would take longer than looking at a small file.
    std::mem::forget(definitions);
    let verb = |found| Verb::read(found).map_err(Stopped::Clap);
    let mut parts = Vec::new();
    for part in &found {
        parts.push(verb(part)?.into_part());
    }
    let program = Program::from_arg_matches(&whole).map_err(Stopped::Clap)?;
    Ok(Parsed {
        color: program.color,
        verb: verb(&whole)?,
        parts,
    })
}
