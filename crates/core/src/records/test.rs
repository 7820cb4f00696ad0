//! Records of `test`.

use crate::records::field::Ordinal;
use crate::records::record;
use std::borrow::Cow;

record! {
    /// A worked example.
    ExampleRecord<'a> = "example" {
        /// The path of the rewrite file.
        path: Cow<'a, str>,
        /// The step it belongs to, from 1; `null` for the whole rewrite.
        step: Option<Ordinal>,
        /// The number there, from 1.
        number: Ordinal,
        /// True if it held.
        holds: bool,
        /// The text before.
        was: Cow<'a, str>,
        /// The text that was wanted.
        wanted: Cow<'a, str>,
        /// The text that came out.
        got: Cow<'a, str>,
        /// The problems that came up.
        problems: Vec<String>,
    }
}

record! {
    /// The last record of `test`.
    TestTotalsRecord = "totals" {
        /// Rewrite files.
        files: u64,
        /// Examples in them.
        examples: u64,
        /// The examples that did not hold.
        failed: u64,
    }
}
