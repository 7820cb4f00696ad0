//! Records of `infer`.

use crate::records::field::{Json, Ordinal};
use crate::records::record;
use crate::rewrite_file::RewriteText;
use std::borrow::Cow;

record! {
    /// A proposed rewrite, the likeliest first.
    ProposalRecord<'a> = "proposal" {
        /// The number, from 1.
        number: Ordinal,
        /// The steps, as a rewrite file has them.
        rewrite: Json<Cow<'a, RewriteText>>,
        /// The sentence that says what it does.
        sentence: Cow<'a, str>,
        /// The command line that previews it.
        command: Cow<'a, str>,
        /// Matches in the data.
        matches: u64,
        /// Changes in the data.
        changes: u64,
        /// Units of the data that it cannot work on.
        problems: u64,
    }
}

record! {
    /// A text of the data that proposals make different things of.
    DisputeRecord<'a> = "dispute" {
        /// The text.
        text: Cow<'a, str>,
        /// The line of the first such text, from 1.
        line: Ordinal,
        /// The result of each proposal, in their order; `null` where it stays as it is.
        made: Vec<Option<Cow<'a, str>>>,
        /// The number of such texts in the data.
        count: u64,
    }
}

record! {
    /// A pattern for the values themselves, with `--values`.
    ValuesPatternRecord<'a> = "pattern" {
        /// The pattern that the common values match.
        pattern: Cow<'a, str>,
        /// Values that match.
        matching: u64,
        /// Values that do not.
        others: u64,
    }
}

record! {
    /// A value that does not fit the pattern, with `--values`.
    OddValueRecord<'a> = "odd" {
        /// The value.
        text: Cow<'a, str>,
        /// The line of the first, from 1.
        line: Ordinal,
        /// The number of such values in the data.
        count: u64,
    }
}

record! {
    /// The last record of `infer`.
    InferTotalsRecord<'a> = "totals" {
        /// Files that were read.
        files: u64,
        /// Files that were not read.
        files_skipped: u64,
        /// Units of the data in scope.
        units: u64,
        /// Examples.
        examples: u64,
        /// Proposals.
        proposals: u64,
        /// Different texts that proposals make different things of.
        disputes: u64,
        /// The reason for which nothing is proposed; `null` where something is.
        refused: Option<Cow<'a, str>>,
        /// Units left alone, and files that could not be read.
        problems: u64,
    }
}
