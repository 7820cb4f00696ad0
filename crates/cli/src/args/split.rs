//! Preparation of the arguments before clap sees them.

use crate::diagnostic::Diagnostic;
use brisk_quill_core::step_spec::StepSpec;
use std::ffi::{OsStr, OsString};
use std::os::unix::ffi::OsStrExt;
use std::path::PathBuf;

/// Marks a word that is not an option, whatever it looks like; no argument can hold a NUL.
const MARK: &str = "\0";

/// The arguments cut at `--then`.
pub struct Split {
    /// Each with the program's name and the verb in front.
    pub parts: Vec<Vec<OsString>>,
    /// All of them without `--then`.
    pub joined: Vec<OsString>,
}

/// One part of the command line: the words and options of one step.
#[derive(Clone, Debug, Default)]
pub struct Part {
    /// The words that are not options, in order.
    pub words: Vec<OsString>,
    /// Options of the step.
    pub step: StepSpec,
    /// The rewrite file that is named instead.
    pub rewrite: Option<PathBuf>,
    /// True if more paths are read from a file.
    pub has_path_list: bool,
}

/// Puts a pattern that is not an argument in front of the words, which are all paths.
pub fn put_pattern(parts: &mut [Part], pattern: &str) {
    if let Some(first) = parts.first_mut() {
        first.words.insert(0, pattern.into());
    }
}

/// An option stands where another option's value should.
#[derive(Debug)]
pub struct Swallowed {
    option: String,
    value: String,
}

impl Swallowed {
    /// As something to say the user.
    pub fn diagnostic(&self) -> Diagnostic {
        let Self { option, value } = self;
        Diagnostic::wrong(format!(
            "`{option}` lacks its value: `{value}` is an option"
        ))
        .remedy(format!(
            "write `{option}={value}` if that is the text you mean"
        ))
    }
}

/// Cuts the arguments at `--then`. What follows `--` in its part is marked: it is not an option,
/// whatever it looks like.
pub fn split(definitions: &clap::Command, argv: &[OsString]) -> Result<Split, Swallowed> {
    let is_verb = |word: &OsString| definitions.find_subcommand(word).is_some();
    let behind_verb = argv
        .iter()
        .position(is_verb)
        .map_or(argv.len(), |at| at + 1);
    let (head, rest) = argv.split_at(behind_verb);
    let options = Options::of(
        head.last()
            .and_then(|verb| definitions.find_subcommand(verb)),
    );
    options.check_values(rest)?;
    let rest = &with_kinds_joined(rest);
    let mut split = Split {
        parts: Vec::new(),
        joined: head.to_vec(),
    };
    for words in rest.split(|word| word == "--then") {
        let mut words = words.to_vec();
        if let Some(at) = words.iter().position(|word| word == "--") {
            words.remove(at);
            for word in &mut words[at..] {
                let mut marked = OsString::from(MARK);
                marked.push(&*word);
                *word = marked;
            }
        }
        split.joined.extend(words.iter().cloned());
        split
            .parts
            .push(head.iter().cloned().chain(words).collect());
    }
    Ok(split)
}

/// `--kinds shape` as `--kinds=shape`: it may also stand alone, before a path.
fn with_kinds_joined(words: &[OsString]) -> Vec<OsString> {
    let mut out: Vec<OsString> = Vec::with_capacity(words.len());
    for word in words {
        let is_value = word == "text" || word == "shape";
        match out.last_mut().filter(|last| is_value && *last == "--kinds") {
            Some(last) => {
                last.push("=");
                last.push(word);
            }
            None => out.push(word.clone()),
        }
    }
    out
}

/// A word as the user wrote it.
pub fn unmarked(word: OsString) -> OsString {
    match word.as_bytes().strip_prefix(MARK.as_bytes()) {
        Some(rest) => OsStr::from_bytes(rest).to_owned(),
        None => word,
    }
}

/// The same for text.
pub fn unmarked_text(word: &str) -> &str {
    word.strip_prefix(MARK).unwrap_or(word)
}

/// The names of a verb's options.
#[derive(Default)]
struct Options {
    /// `--long` and `-s`, and how many values must follow.
    names: Vec<(String, usize)>,
}

impl Options {
    fn of(verb: Option<&clap::Command>) -> Self {
        let mut names = vec![("--help".into(), 0), ("-h".into(), 0)];
        for arg in verb.into_iter().flat_map(clap::Command::get_arguments) {
            let values = match arg.get_action().takes_values() {
                true => arg.get_num_args().map_or(1, |range| range.min_values()),
                false => 0,
            };
            names.extend(arg.get_long().map(|long| (format!("--{long}"), values)));
            names.extend(arg.get_short().map(|short| (format!("-{short}"), values)));
        }
        names.push(("--then".into(), 0));
        Self { names }
    }

    fn find(&self, word: &OsStr) -> Option<&(String, usize)> {
        self.names.iter().find(|(name, _)| word == name.as_str())
    }

    /// A detached value must not be the name of an option.
    fn check_values(&self, words: &[OsString]) -> Result<(), Swallowed> {
        let mut words = words.iter().take_while(|word| *word != "--");
        while let Some(word) = words.next() {
            let Some((option, values)) = self.find(word) else {
                continue;
            };
            for value in words.by_ref().take(*values) {
                if let Some((value, _)) = self.find(value) {
                    return Err(Swallowed {
                        option: option.clone(),
                        value: value.clone(),
                    });
                }
            }
        }
        Ok(())
    }
}
