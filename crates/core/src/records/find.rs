//! Records of `find`, `check` and `tally`.

use crate::records::field::{Base64, Optional, Ordinal};
use crate::records::plan::{GroupText, LeftOutRecord};
use crate::records::record;
use std::borrow::Cow;

record! {
    /// A match that was taken.
    MatchRecord<'a> = "match" {
        /// The path of the file.
        path: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line its unit begins in, from 1.
        line: Ordinal,
        /// The column it begins in, in characters of its line, from 1.
        #[serde(default)]
        column: Optional<Ordinal>,
        /// The column, where the unit is a cell.
        cell: Option<Cow<'a, str>>,
        /// The name of its row, with `--label`.
        #[serde(default)]
        label: Optional<Cow<'a, str>>,
        /// The first byte on disk, from 0.
        from: u64,
        /// One past the last byte.
        to: u64,
        /// The text.
        text: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        text_b64: Optional<Base64<'a>>,
        /// The groups.
        groups: Vec<GroupText<'a>>,
    }
}

record! {
    /// A unit in scope without a match.
    MissingRecord<'a> = "missing" {
        /// The path of the file.
        path: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line it begins in, from 1.
        line: Ordinal,
        /// The column, where the unit is a cell.
        cell: Option<Cow<'a, str>>,
        /// The name of its row, with `--label`.
        #[serde(default)]
        label: Optional<Cow<'a, str>>,
        /// The text.
        text: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        text_b64: Optional<Base64<'a>>,
        /// The reason for which it does not match, with `--why`.
        #[serde(default)]
        why: Optional<Cow<'a, str>>,
    }
}

record! {
    /// A reason for which units do not match, with `--why`.
    WhyRecord<'a> = "why" {
        /// The reason.
        message: Cow<'a, str>,
        /// The number of units.
        count: u64,
        /// The path of the file of the first of them.
        path: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line it begins in, from 1.
        line: Ordinal,
        /// The text that would match there, or does as far as the pattern goes.
        text: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        text_b64: Optional<Base64<'a>>,
    }
}

record! {
    /// A unit that is not as `check` asks.
    OffenderRecord<'a> = "offender" {
        /// The path of the file.
        path: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line it begins in, from 1.
        line: Ordinal,
        /// The column, where the unit is a cell.
        cell: Option<Cow<'a, str>>,
        /// The name of its row, with `--label`.
        #[serde(default)]
        label: Optional<Cow<'a, str>>,
        /// The text.
        text: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        text_b64: Optional<Base64<'a>>,
    }
}

record! {
    /// The last record of `find`.
    FindTotalsRecord = "totals" {
        /// Files that were read.
        files: u64,
        /// Files with at least one match.
        files_matching: u64,
        /// Files that were not read.
        files_skipped: u64,
        /// Matches that were taken.
        matches: u64,
        /// Matches that were not taken.
        left_out: LeftOutRecord,
        /// Units left alone, and files that could not be read.
        problems: u64,
    }
}

record! {
    /// The last record of `check`.
    CheckTotalsRecord = "totals" {
        /// Files that were read.
        files: u64,
        /// Files that were not read.
        files_skipped: u64,
        /// Units in scope.
        checked: u64,
        /// The units that are not as they must be.
        offenders: u64,
        /// Units left alone, and files that could not be read.
        problems: u64,
    }
}

record! {
    /// A value that `tally` counts.
    ValueRecord<'a> = "value" {
        /// The path of the file, with `--by file` and `--by row`.
        path: Option<Cow<'a, str>>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The number of the row, or of the line, from 1, with `--by row`.
        row: Option<u64>,
        /// The value of the column, with `--by COLUMN`.
        by: Option<Cow<'a, str>>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        by_b64: Optional<Base64<'a>>,
        /// The value; `null` where its group took no part.
        value: Option<Cow<'a, str>>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        value_b64: Optional<Base64<'a>>,
        /// The number of its occurrences.
        count: u64,
        /// The sum of the numbers beside it, in decimal digits, with `--sum`.
        sum: Option<Cow<'a, str>>,
    }
}

record! {
    /// The last record of `tally`.
    TallyTotalsRecord = "totals" {
        /// Files that were read.
        files: u64,
        /// Files that were not read.
        files_skipped: u64,
        /// Matches that were taken.
        matches: u64,
        /// Values that are distinguished.
        values: u64,
        /// Texts that are not numbers, with `--sum`.
        no_numbers: u64,
        /// Units left alone, and files that could not be read.
        problems: u64,
    }
}
