//! Records of `shapes`.

use crate::records::field::{Base64, Optional, Ordinal};
use crate::records::record;
use std::borrow::Cow;

record! {
    /// A shape that values have.
    ShapeRecord<'a> = "shape" {
        /// The column, where values are cells.
        cell: Option<Cow<'a, str>>,
        /// The shape.
        shape: Cow<'a, str>,
        /// A pattern that matches values of this shape; `null` where there is none.
        pattern: Option<Cow<'a, str>>,
        /// Values of this shape.
        count: u64,
        /// The first value of the shape.
        example: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        example_b64: Optional<Base64<'a>>,
        /// The path of its file.
        path: Cow<'a, str>,
        /// The bytes of the path, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line the first one lies in, from 1.
        line: Ordinal,
    }
}

record! {
    /// An unusual character that values hold.
    CharRecord<'a> = "char" {
        /// The column, where values are cells.
        cell: Option<Cow<'a, str>>,
        /// `U+` and its number in hexadecimal, or the number of a byte.
        code: Cow<'a, str>,
        /// The name in Unicode.
        name: Cow<'a, str>,
        /// The number of its occurrences.
        count: u64,
        /// The first value with it.
        example: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        example_b64: Optional<Base64<'a>>,
        /// The path of its file.
        path: Cow<'a, str>,
        /// The bytes of the path, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line the first one lies in, from 1.
        line: Ordinal,
    }
}

record! {
    /// The last record of `shapes`.
    ShapesTotalsRecord = "totals" {
        /// Files that were read.
        files: u64,
        /// Files that were not read.
        files_skipped: u64,
        /// Values.
        values: u64,
        /// Shapes or characters that are distinguished.
        shapes: u64,
        /// Units left alone, and files that could not be read.
        problems: u64,
    }
}
