//! A rewrite in words: the options of the command line, the keys of a rewrite file, and the
//! `rewrite` of a plan are the same [`StepText`]s.
//!
//! Note to the maintainer: an option of a step is a field here, with the option's name as its
//! key; [`StepText::build`] gives it its meaning.

pub mod build;
mod columns;
pub mod examples;

use crate::nearest::{Nearest, nearest};
use crate::rewrite_file::examples::Example;
use crate::span::Span;
use serde::{Deserialize, Deserializer, Serialize};

/// A step in words.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields, default)]
#[expect(
    missing_docs,
    reason = "each field is the option of its name, see the reference page"
)]
pub struct StepText {
    #[serde(rename = "match", skip_serializing_if = "Option::is_none")]
    pub pattern: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pattern_file: Option<String>,
    #[serde(skip_serializing_if = "is_default")]
    pub ignore_case: bool,
    #[serde(skip_serializing_if = "is_default")]
    pub whole_word: bool,
    #[serde(skip_serializing_if = "is_default")]
    pub literal: bool,
    #[serde(skip_serializing_if = "is_default")]
    pub entire: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub with: Option<String>,
    #[serde(skip_serializing_if = "is_default")]
    pub remove: bool,
    #[serde(skip_serializing_if = "is_default")]
    pub drop_lines: bool,
    #[serde(skip_serializing_if = "is_default")]
    pub drop_other_lines: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub above: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub below: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lead: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub trail: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub swap_chars: Option<[String; 2]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub remove_chars: Option<String>,
    #[serde(
        deserialize_with = "one_or_more",
        skip_serializing_if = "Vec::is_empty"
    )]
    pub set: Vec<[String; 2]>,
    #[serde(
        deserialize_with = "one_or_more",
        skip_serializing_if = "Vec::is_empty"
    )]
    pub add_column: Vec<[String; 2]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub columns: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub format: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub delimiter: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub quote: Option<String>,
    #[serde(skip_serializing_if = "is_default")]
    pub no_header: bool,
    #[serde(skip_serializing_if = "is_default")]
    pub ragged: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lines: Option<String>,
    #[serde(rename = "where", deserialize_with = "one_or_more")]
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub contains: Vec<String>,
    #[serde(
        deserialize_with = "one_or_more",
        skip_serializing_if = "Vec::is_empty"
    )]
    pub unless: Vec<String>,
    #[serde(
        deserialize_with = "one_or_more",
        skip_serializing_if = "Vec::is_empty"
    )]
    pub where_in: Vec<[String; 2]>,
    #[serde(
        deserialize_with = "one_or_more",
        skip_serializing_if = "Vec::is_empty"
    )]
    pub unless_in: Vec<[String; 2]>,
    #[serde(
        deserialize_with = "one_or_more",
        skip_serializing_if = "Vec::is_empty"
    )]
    pub between: Vec<[String; 2]>,
    #[serde(skip_serializing_if = "is_default")]
    pub inner: bool,
    #[serde(
        deserialize_with = "one_or_more",
        skip_serializing_if = "Vec::is_empty"
    )]
    pub near: Vec<(String, u64)>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pick: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub per: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub limit: Option<u64>,
    #[serde(
        deserialize_with = "one_or_more",
        skip_serializing_if = "Vec::is_empty"
    )]
    pub expect: Vec<String>,
    #[serde(
        deserialize_with = "one_or_more",
        skip_serializing_if = "Vec::is_empty"
    )]
    pub ensure: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub example: Vec<Example>,
}

/// A rewrite in words: what a rewrite file holds.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct RewriteText {
    /// What it is for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// The steps in order.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub step: Vec<StepText>,
    /// Examples of the whole.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub example: Vec<Example>,
}

/// A rewrite file that is not one.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct RewriteFileError {
    /// What is wrong.
    pub message: String,
    /// Where, in bytes of the file.
    pub span: Option<Span>,
    /// What to write instead, where that is known.
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

/// What is wrong, and what to do, in our own words.
fn words(message: &str) -> (String, Option<String>) {
    let unknown = message.strip_prefix("unknown field `");
    if let Some((name, rest)) = unknown.and_then(|rest| rest.split_once('`')) {
        let known: Vec<&str> = rest.split('`').skip(1).step_by(2).collect();
        let remedy = match nearest(name, known.into_iter()) {
            Nearest::One(name) => format!("did you mean `{name}`?"),
            Nearest::Several(_) => "a key is the name of an option, without its hyphens".into(),
        };
        return (format!("there is no key `{name}`"), Some(remedy));
    }
    if let Some((_, expected)) = message.split_once(", expected ") {
        let message = "this key takes a value of another type".to_owned();
        return (message, Some(format!("write {expected}")));
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

    /// The text of a rewrite file that reads back as this.
    pub fn to_toml(&self) -> String {
        // Strings, numbers, flags and lists of them are all there is.
        toml::to_string_pretty(self).expect("a rewrite has a form in TOML")
    }
}

/// Steps alone are a rewrite without title and examples.
impl From<Vec<StepText>> for RewriteText {
    fn from(step: Vec<StepText>) -> Self {
        Self {
            step,
            ..Self::default()
        }
    }
}

fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

/// A list, or one value without its brackets.
fn one_or_more<'de, D, T>(deserializer: D) -> Result<Vec<T>, D::Error>
where
    D: Deserializer<'de>,
    T: Deserialize<'de>,
{
    #[derive(Deserialize)]
    #[serde(untagged, expecting = "one value, or a list of such values")]
    enum OneOrMore<T> {
        More(Vec<T>),
        One(T),
    }
    Ok(match OneOrMore::deserialize(deserializer)? {
        OneOrMore::More(values) => values,
        OneOrMore::One(value) => vec![value],
    })
}
