//! Rewrite files: a rewrite in words, with worked examples.

pub mod examples;

use crate::edits::StepSet;
use crate::example::Example;
use crate::nearest::{Nearest, nearest};
use crate::rewrite::Rewrite;
use crate::span::Span;
use crate::step_spec::StepSpec;
use crate::step_spec::values::{StepFault, senseless};
use crate::template::tables::Tables;
use serde::{Deserialize, Serialize};

/// A rewrite in words: what a rewrite file holds.
///
/// ```
/// use brisk_quill_core::rewrite_file::RewriteText;
/// use brisk_quill_core::template::tables::NoTables;
/// let file = "[[step]]\nmatch = 'quay'\nwith = 'pier'\n";
/// let text = RewriteText::parse(file).expect("a rewrite file");
/// let rewrite = text.build(&mut NoTables).expect("steps that make sense");
/// assert_eq!(rewrite.steps().len(), 1);
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct RewriteText {
    /// The purpose.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// The steps in order.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub step: Vec<StepSpec>,
    /// Examples of the whole.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub example: Vec<Example>,
}

/// A step of a rewrite that makes no sense.
///
/// ```
/// use brisk_quill_core::rewrite_file::RewriteText;
/// use brisk_quill_core::template::tables::NoTables;
/// let file = "[[step]]\nmatch = 'quay'\n[[step]]\nmatch = '('\nremove = true\n";
/// let text = RewriteText::parse(file).expect("a rewrite file");
/// let error = text.build(&mut NoTables).expect_err("nothing said, and a lone bracket");
/// assert_eq!(error.step, 1);
/// ```
#[derive(Debug, thiserror::Error)]
#[error("step {step}: {fault}")]
pub struct FaultyStep {
    /// The number, from 1.
    pub step: usize,
    /// The fault in it.
    #[source]
    pub fault: StepFault,
}

/// A rewrite file that is not one.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct RewriteFileError {
    /// The fault.
    pub message: String,
    /// The place, in bytes of the file.
    pub span: Option<Span>,
    /// The text to write instead, where that is known.
    pub remedy: Option<String>,
}

impl From<toml::de::Error> for RewriteFileError {
    fn from(error: toml::de::Error) -> Self {
        let (message, remedy) = words(error.message().trim());
        Self {
            message,
            span: error.span().map(|span| Span::new(span.start, span.end)),
            remedy,
        }
    }
}

/// The fault, and what to do, in our own words.
fn words(message: &str) -> (String, Option<String>) {
    if let Some((name, known)) = unknown_key(message) {
        // The names that these have in the usage of verbs.
        let name_meant = match name {
            "pattern" => "match",
            "template" => "with",
            other => other,
        };
        let remedy = match nearest(name_meant, known) {
            Nearest::One(name) => format!("did you mean `{name}`?"),
            Nearest::Several { .. } => "a key is the name of an option, without its hyphens".into(),
        };
        return (format!("there is no key `{name}`"), Some(remedy));
    }
    if let Some((fault, expected)) = message.split_once(", expected ") {
        let is_of_value = fault.starts_with("invalid type") || fault.starts_with("invalid value");
        return match is_of_value {
            true => (
                "this key takes a value of another type".to_owned(),
                Some(format!("write {expected}")),
            ),
            false => (
                format!("this is not TOML: expected {expected}"),
                Some("write `key = value`, with every quote and bracket closed".into()),
            ),
        };
    }
    match message {
        one_or_more if one_or_more.starts_with("one value") => (
            "this key takes a value of another type".into(),
            Some(format!("write {message}")),
        ),
        twice if twice.contains("duplicate") => (
            "this key is there twice".into(),
            Some("leave one of them out".into()),
        ),
        _ => (
            "this cannot be read as TOML".into(),
            Some("close every quote and bracket, and write `key = value`".into()),
        ),
    }
}

/// The keys that a step may have.
///
/// ```
/// use brisk_quill_core::rewrite_file::step_keys;
/// assert!(step_keys().iter().any(|key| key == "ignore-case"));
/// ```
pub fn step_keys() -> Vec<String> {
    // The reader names them where it meets another one.
    let told = toml::from_str::<StepSpec>("'?' = 1").err();
    let told = told
        .map(|error| error.message().to_owned())
        .unwrap_or_default();
    let names = unknown_key(&told).into_iter().flat_map(|(_, names)| names);
    names.map(str::to_owned).collect()
}

/// The key that a message of the reader calls unknown, and those that there are.
fn unknown_key(message: &str) -> Option<(&str, impl Iterator<Item = &str> + Clone)> {
    let (name, rest) = message.strip_prefix("unknown field `")?.split_once('`')?;
    Some((name, rest.split('`').skip(1).step_by(2)))
}

impl RewriteText {
    /// Reads a rewrite file.
    ///
    /// # Errors
    ///
    /// When it is not TOML, has an unknown key, a value of the wrong type, or no step.
    pub fn parse(text: &str) -> Result<Self, RewriteFileError> {
        let read: Self = toml::from_str(text)?;
        if read.step.is_empty() {
            return Err(RewriteFileError {
                message: "there is no step".into(),
                span: None,
                remedy: Some("write one below `[[step]]`".into()),
            });
        }
        Ok(read)
    }

    /// The rewrite that this says.
    ///
    /// # Errors
    ///
    /// When a step makes no sense, or there are too many.
    pub fn build(&self, tables: &mut dyn Tables) -> Result<Rewrite, FaultyStep> {
        if self.step.len() > StepSet::MOST {
            let message = format!("a rewrite has at most {} steps", StepSet::MOST);
            return Err(FaultyStep {
                step: StepSet::MOST + 1,
                fault: senseless(message, "run it in two parts"),
            });
        }
        let each = (1..).zip(&self.step);
        let steps = each.map(|(number, spec)| {
            spec.build(tables).map_err(|fault| FaultyStep {
                step: number,
                fault,
            })
        });
        steps.collect::<Result<_, _>>().map(Rewrite::new)
    }

    /// The text of a rewrite file that reads back as this.
    pub fn to_toml(&self) -> String {
        // Strings, numbers, flags and lists of them are all there is.
        toml::to_string_pretty(self).expect("a rewrite has a form in TOML")
    }
}

/// Steps alone are a rewrite without title and examples.
impl From<Vec<StepSpec>> for RewriteText {
    fn from(step: Vec<StepSpec>) -> Self {
        Self {
            step,
            ..Self::default()
        }
    }
}
