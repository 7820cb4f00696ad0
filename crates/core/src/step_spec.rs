//! One step in words: the options of the command line, the keys of a rewrite file, and the
//! `rewrite` of a plan are the same [`StepSpec`].
//!
//! Note to the maintainer: an option of a step is a field here. With the feature `clap` it is also
//! the option of the command line; its first line of documentation is its help.
//! [`StepSpec::build`](build) takes all fields apart, so the compiler leads from there.

pub mod build;
pub mod columns;
pub mod lists;
pub mod values;

use crate::example::Example;
use crate::step_spec::lists::{near_pairs, one_pair, pairs};
use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// A step in words.
///
/// Values of two parts are flat lists, as the command line gives them: see [`lists::in_pairs`].
///
/// ```
/// use brisk_quill_core::rewrite::{Rewrite, rewrite_text};
/// use brisk_quill_core::step_spec::StepSpec;
/// use brisk_quill_core::template::tables::NoTables;
///
/// let spec = StepSpec {
///     pattern: Some(r"berth (\d+)".into()),
///     with: Some("B-$1".into()),
///     ..StepSpec::default()
/// };
/// let step = spec.build(&mut NoTables)?;
/// let outcome = rewrite_text(&Rewrite::new(vec![step]), b"berth 7\n");
/// assert_eq!(outcome.text, b"B-7\n");
/// # Ok::<(), brisk_quill_core::step_spec::values::StepFault>(())
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields, default)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
pub struct StepSpec {
    /// The pattern; on the command line the first word.
    #[cfg_attr(feature = "clap", arg(skip))]
    #[serde(rename = "match", skip_serializing_if = "Option::is_none")]
    pub pattern: Option<String>,
    /// Letter case does not matter.
    #[cfg_attr(feature = "clap", arg(short, long, help_heading = "Match"))]
    #[serde(skip_serializing_if = "is_default")]
    pub ignore_case: bool,
    /// No letter, digit or underscore may touch a match.
    #[cfg_attr(feature = "clap", arg(long, help_heading = "Match"))]
    #[serde(skip_serializing_if = "is_default")]
    pub whole_word: bool,
    /// Take PATTERN, and the template, as plain text.
    #[cfg_attr(feature = "clap", arg(long, help_heading = "Match"))]
    #[serde(skip_serializing_if = "is_default")]
    pub literal: bool,
    /// A match must span the whole line.
    #[cfg_attr(feature = "clap", arg(long, help_heading = "Match"))]
    #[serde(skip_serializing_if = "is_default")]
    pub entire: bool,
    /// Read the pattern from FILE instead of the first argument.
    #[cfg_attr(
        feature = "clap",
        arg(long, value_name = "FILE", help_heading = "Match")
    )]
    #[cfg_attr(feature = "clap", arg(value_hint = clap::ValueHint::FilePath))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pattern_file: Option<PathBuf>,

    /// Try the pattern on each line, paragraph (lines between blank lines), cell, or all the text.
    #[cfg_attr(feature = "clap", arg(long, value_name = "line|paragraph|text|cell"))]
    #[cfg_attr(feature = "clap", arg(help_heading = "Where"))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    /// Only the cells of these columns: `berth,3,5..7`; in JSON Lines `/ship/name,/crew/-/name`.
    #[cfg_attr(
        feature = "clap",
        arg(long, value_name = "LIST", help_heading = "Where")
    )]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub columns: Option<String>,
    /// Only rows in which COLUMN holds a match of PATTERN; may be repeated.
    #[cfg_attr(feature = "clap", arg(long, num_args = 2, value_names = ["COLUMN", "PATTERN"]))]
    #[cfg_attr(
        feature = "clap",
        arg(allow_hyphen_values = true, help_heading = "Where")
    )]
    #[serde(with = "pairs", skip_serializing_if = "Vec::is_empty")]
    pub where_in: Vec<String>,
    /// Only rows in which COLUMN holds no match of PATTERN; may be repeated.
    #[cfg_attr(feature = "clap", arg(long, num_args = 2, value_names = ["COLUMN", "PATTERN"]))]
    #[cfg_attr(
        feature = "clap",
        arg(allow_hyphen_values = true, help_heading = "Where")
    )]
    #[serde(with = "pairs", skip_serializing_if = "Vec::is_empty")]
    pub unless_in: Vec<String>,
    /// Only rows whose COLUMN is listed in FILE: a table with that column, or a value on each line; may be repeated.
    #[cfg_attr(feature = "clap", arg(long, num_args = 2, value_names = ["COLUMN", "FILE"]))]
    #[cfg_attr(feature = "clap", arg(help_heading = "Where"))]
    #[serde(with = "pairs", skip_serializing_if = "Vec::is_empty")]
    pub where_listed: Vec<String>,
    /// Only rows whose COLUMN is not listed in FILE; may be repeated.
    #[cfg_attr(feature = "clap", arg(long, num_args = 2, value_names = ["COLUMN", "FILE"]))]
    #[cfg_attr(feature = "clap", arg(help_heading = "Where"))]
    #[serde(with = "pairs", skip_serializing_if = "Vec::is_empty")]
    pub unless_listed: Vec<String>,
    /// Only rows of the table, or sheet, NAME of a database or a workbook.
    #[cfg_attr(
        feature = "clap",
        arg(long, value_name = "NAME", help_heading = "Where")
    )]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub table: Option<String>,
    /// Compare listed values and cells without the blanks at their ends.
    #[cfg_attr(feature = "clap", arg(long, help_heading = "Where"))]
    #[serde(skip_serializing_if = "is_default")]
    pub trimmed: bool,
    /// Only these lines: `3`, `2..9`, `last-4..`, `1.. by 2`, joined by commas.
    #[cfg_attr(feature = "clap", arg(long, value_name = "SPEC"))]
    #[cfg_attr(
        feature = "clap",
        arg(allow_hyphen_values = true, help_heading = "Where")
    )]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lines: Option<String>,
    /// Only lines (or rows, or larger units) that also hold a match of PATTERN; may be repeated.
    #[cfg_attr(feature = "clap", arg(long = "where", value_name = "PATTERN"))]
    #[cfg_attr(
        feature = "clap",
        arg(allow_hyphen_values = true, help_heading = "Where")
    )]
    #[serde(rename = "where", deserialize_with = "lists::one_or_more")]
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub contains: Vec<String>,
    /// Only lines (or rows, or larger units) without a match of PATTERN; may be repeated.
    #[cfg_attr(feature = "clap", arg(long, value_name = "PATTERN"))]
    #[cfg_attr(
        feature = "clap",
        arg(allow_hyphen_values = true, help_heading = "Where")
    )]
    #[serde(deserialize_with = "lists::one_or_more")]
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub unless: Vec<String>,
    /// Only blocks of lines from one that matches START to the next that matches END.
    #[cfg_attr(feature = "clap", arg(long, num_args = 2, value_names = ["START", "END"]))]
    #[cfg_attr(
        feature = "clap",
        arg(allow_hyphen_values = true, help_heading = "Where")
    )]
    #[serde(with = "pairs", skip_serializing_if = "Vec::is_empty")]
    pub between: Vec<String>,
    /// Only lines outside of such blocks.
    #[cfg_attr(feature = "clap", arg(long, num_args = 2, value_names = ["START", "END"]))]
    #[cfg_attr(
        feature = "clap",
        arg(allow_hyphen_values = true, help_heading = "Where")
    )]
    #[serde(with = "pairs", skip_serializing_if = "Vec::is_empty")]
    pub outside: Vec<String>,
    /// The lines with START and END are not part of the block.
    #[cfg_attr(feature = "clap", arg(long, help_heading = "Where"))]
    #[serde(skip_serializing_if = "is_default")]
    pub inner: bool,
    /// The line with END is not part of the block, and may begin the next one.
    #[cfg_attr(feature = "clap", arg(long, help_heading = "Where"))]
    #[serde(skip_serializing_if = "is_default")]
    pub open_end: bool,
    /// Only lines at most N lines away from one that matches PATTERN; may be repeated.
    #[cfg_attr(feature = "clap", arg(long, num_args = 2, value_names = ["PATTERN", "N"]))]
    #[cfg_attr(
        feature = "clap",
        arg(allow_hyphen_values = true, help_heading = "Where")
    )]
    #[serde(with = "near_pairs", skip_serializing_if = "Vec::is_empty")]
    pub near: Vec<String>,

    /// Only these matches of each line or cell: `first`, `last`, `2`, `2..4`, `last-1..`.
    #[cfg_attr(feature = "clap", arg(long, value_name = "SPEC"))]
    #[cfg_attr(
        feature = "clap",
        arg(allow_hyphen_values = true, help_heading = "Which")
    )]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pick: Option<String>,
    /// Count picks in each line (or other unit), row, file, or through all files.
    #[cfg_attr(feature = "clap", arg(long, value_name = "unit|row|file|run"))]
    #[cfg_attr(feature = "clap", arg(help_heading = "Which"))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub per: Option<String>,
    /// At most N matches in all.
    #[cfg_attr(feature = "clap", arg(long, value_name = "N", help_heading = "Which"))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub limit: Option<u64>,

    /// Replace each match by TEMPLATE: `$1`, `${name}`, `$0` write groups back.
    #[cfg_attr(feature = "clap", arg(long, value_name = "TEMPLATE"))]
    #[cfg_attr(feature = "clap", arg(allow_hyphen_values = true, help_heading = "Do"))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub with: Option<String>,
    /// Delete each match.
    #[cfg_attr(feature = "clap", arg(long, help_heading = "Do"))]
    #[serde(skip_serializing_if = "is_default")]
    pub remove: bool,
    /// Delete the lines, or in columns the rows, with a match.
    #[cfg_attr(feature = "clap", arg(long, help_heading = "Do"))]
    #[serde(skip_serializing_if = "is_default")]
    pub drop_lines: bool,
    /// Keep only the lines, or in columns the rows, with a match: delete the others in scope.
    #[cfg_attr(feature = "clap", arg(long, help_heading = "Do"))]
    #[serde(skip_serializing_if = "is_default")]
    pub keep_lines: bool,
    /// Insert a line above each line with a match.
    #[cfg_attr(feature = "clap", arg(long, value_name = "TEMPLATE"))]
    #[cfg_attr(feature = "clap", arg(allow_hyphen_values = true, help_heading = "Do"))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub above: Option<String>,
    /// Insert a line below each line with a match.
    #[cfg_attr(feature = "clap", arg(long, value_name = "TEMPLATE"))]
    #[cfg_attr(feature = "clap", arg(allow_hyphen_values = true, help_heading = "Do"))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub below: Option<String>,
    /// Insert text at the start of each line (or larger unit) with a match.
    #[cfg_attr(feature = "clap", arg(long, value_name = "TEMPLATE"))]
    #[cfg_attr(feature = "clap", arg(allow_hyphen_values = true, help_heading = "Do"))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lead: Option<String>,
    /// Insert text at the end of each line (or larger unit) with a match.
    #[cfg_attr(feature = "clap", arg(long, value_name = "TEMPLATE"))]
    #[cfg_attr(feature = "clap", arg(allow_hyphen_values = true, help_heading = "Do"))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub trail: Option<String>,
    /// Swap characters one for one: `a-z A-Z`, `'[:lower:]' '[:upper:]'`; takes no PATTERN.
    #[cfg_attr(feature = "clap", arg(long, num_args = 2, action = clap::ArgAction::Set))]
    #[cfg_attr(feature = "clap", arg(value_names = ["FROM", "TO"]))]
    #[cfg_attr(feature = "clap", arg(allow_hyphen_values = true, help_heading = "Do"))]
    #[serde(with = "one_pair", skip_serializing_if = "Vec::is_empty")]
    pub swap_chars: Vec<String>,
    /// Remove every character of SET; takes no PATTERN.
    #[cfg_attr(feature = "clap", arg(long, value_name = "SET"))]
    #[cfg_attr(feature = "clap", arg(allow_hyphen_values = true, help_heading = "Do"))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub remove_chars: Option<String>,
    /// Replace each text in the first column of TABLE by the one beside it; takes no PATTERN.
    #[cfg_attr(feature = "clap", arg(long, value_name = "TABLE", help_heading = "Do"))]
    #[cfg_attr(feature = "clap", arg(value_hint = clap::ValueHint::FilePath))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pairs: Option<String>,
    /// Replace COLUMN in each row with a match: `--set status '${1 | lower}'`; may be repeated.
    #[cfg_attr(feature = "clap", arg(long, num_args = 2, value_names = ["COLUMN", "TEMPLATE"]))]
    #[cfg_attr(feature = "clap", arg(allow_hyphen_values = true, help_heading = "Do"))]
    #[serde(with = "pairs", skip_serializing_if = "Vec::is_empty")]
    pub set: Vec<String>,
    /// Add a column NAME at the end, empty in rows without a match; may be repeated.
    #[cfg_attr(feature = "clap", arg(long, num_args = 2, value_names = ["NAME", "TEMPLATE"]))]
    #[cfg_attr(feature = "clap", arg(allow_hyphen_values = true, help_heading = "Do"))]
    #[serde(with = "pairs", skip_serializing_if = "Vec::is_empty")]
    pub add_column: Vec<String>,

    /// Put the new text of the cell into COLUMN, which is added where it is not there; the cell itself stays.
    #[cfg_attr(
        feature = "clap",
        arg(long, value_name = "COLUMN", help_heading = "Do")
    )]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub into: Option<String>,
    /// With `--into`: in an added column, leave rows that are not changed empty.
    #[cfg_attr(feature = "clap", arg(long, help_heading = "Do"))]
    #[serde(skip_serializing_if = "is_default")]
    pub into_empty: bool,

    /// Name each row by its value of these columns wherever it is shown: `id`, `ship,date`.
    #[cfg_attr(
        feature = "clap",
        arg(long, value_name = "COLUMNS", help_heading = "Output")
    )]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// The format of files with columns; on the command line an option of all steps.
    #[cfg_attr(feature = "clap", arg(skip))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub format: Option<String>,
    /// The character between two cells; on the command line an option of all steps.
    #[cfg_attr(feature = "clap", arg(skip))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub delimiter: Option<String>,
    /// The character around a cell; on the command line an option of all steps.
    #[cfg_attr(feature = "clap", arg(skip))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub quote: Option<String>,
    /// The first row holds values too; on the command line an option of all steps.
    #[cfg_attr(feature = "clap", arg(skip))]
    #[serde(skip_serializing_if = "is_default")]
    pub no_header: bool,
    /// Rows may be shorter or longer than the first; on the command line an option of all steps.
    #[cfg_attr(feature = "clap", arg(skip))]
    #[serde(skip_serializing_if = "is_default")]
    pub ragged: bool,
    /// The number of matches the step must change; on the command line an option of the rewrite.
    #[cfg_attr(feature = "clap", arg(skip))]
    #[serde(deserialize_with = "lists::one_or_more")]
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub expect: Vec<String>,
    /// Patterns that each unit must match afterwards; on the command line an option of the rewrite.
    #[cfg_attr(feature = "clap", arg(skip))]
    #[serde(deserialize_with = "lists::one_or_more")]
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub ensure: Vec<String>,
    /// Worked examples.
    #[cfg_attr(feature = "clap", arg(skip))]
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub example: Vec<Example>,
}

impl StepSpec {
    /// The place alone: which units or cells the step looks at. Without the pattern, what units must hold, and the action.
    #[must_use]
    pub fn place(&self) -> Self {
        let of = self.clone();
        Self {
            unit: of.unit,
            columns: of.columns,
            where_in: of.where_in,
            unless_in: of.unless_in,
            where_listed: of.where_listed,
            unless_listed: of.unless_listed,
            table: of.table,
            trimmed: of.trimmed,
            lines: of.lines,
            between: of.between,
            outside: of.outside,
            inner: of.inner,
            open_end: of.open_end,
            near: of.near,
            label: of.label,
            format: of.format,
            delimiter: of.delimiter,
            quote: of.quote,
            no_header: of.no_header,
            ragged: of.ragged,
            ..Self::default()
        }
    }
}

fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}
