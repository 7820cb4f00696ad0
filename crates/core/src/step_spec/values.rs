//! Values of the keys of a step, and what is wrong with them.

use crate::error::Error;
use crate::pattern::Pattern;
use crate::pattern::options::MatchOptions;
use std::str::FromStr;

/// Why a step in words cannot be done.
///
/// ```
/// use brisk_quill_core::step_spec::StepSpec;
/// use brisk_quill_core::step_spec::values::StepFault;
/// use brisk_quill_core::template::tables::NoTables;
/// let spec = StepSpec {
///     pattern: Some("quay".into()),
///     lines: Some("9..3".into()),
///     remove: true,
///     ..StepSpec::default()
/// };
/// let fault = spec.build(&mut NoTables).expect_err("a range that runs backwards");
/// assert!(matches!(fault, StepFault::Value { key: "lines", .. }));
/// ```
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum StepFault {
    /// A value has a fault.
    #[error("{error}")]
    Value {
        /// The key it belongs to.
        key: &'static str,
        /// The value as it was written.
        text: String,
        /// The fault, located in `text`.
        error: Error,
    },
    /// The keys do not make sense together.
    #[error("{message}")]
    Senseless {
        /// Why not.
        message: String,
        /// The remedy.
        remedy: &'static str,
    },
}

pub(crate) fn senseless(message: impl Into<String>, remedy: &'static str) -> StepFault {
    StepFault::Senseless {
        message: message.into(),
        remedy,
    }
}

pub(crate) fn fault<E: Into<Error>>(key: &'static str, text: &str) -> impl FnOnce(E) -> StepFault {
    let text = text.to_owned();
    move |error| StepFault::Value {
        key,
        text,
        error: error.into(),
    }
}

/// Reads a value of `key`.
pub(crate) fn parse<T>(key: &'static str, text: &str) -> Result<T, StepFault>
where
    T: FromStr<Err: Into<Error>>,
{
    text.parse().map_err(fault(key, text))
}

/// Reads a pattern, the value of `key`.
pub(crate) fn compiled(
    key: &'static str,
    text: &str,
    options: &MatchOptions,
) -> Result<Pattern, StepFault> {
    Pattern::new(text, options).map_err(fault(key, text))
}

/// The pattern of the texts in a table, the value of `pairs`.
pub(crate) fn compiled_texts(
    table: &str,
    texts: &[&str],
    options: &MatchOptions,
) -> Result<Pattern, StepFault> {
    Pattern::of_texts(table, texts, options).map_err(fault("pairs", table))
}
