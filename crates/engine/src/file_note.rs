//! Notes about files that are not mistakes.

use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::query::note::{ColumnNote, Note};
use brisk_quill_files::source::Source;

/// Something worth knowing about a file.
///
/// ```
/// use brisk_quill_engine::file_note::FileNote;
/// use brisk_quill_files::source::Source;
/// let note = FileNote {
///     source: Source::file("gauge.log"),
///     line: 3,
///     message: "this block has no end".into(),
/// };
/// assert_eq!(note.line, 3);
/// ```
#[derive(Clone, Debug)]
pub struct FileNote {
    /// The file.
    pub source: Source,
    /// The line it is about, from 1.
    pub line: u64,
    /// One sentence without its full stop.
    pub message: String,
}

impl FileNote {
    /// A note of the core about `source`.
    pub(crate) fn new(source: &Source, note: &Note) -> Self {
        let (line, message) = sentence(note);
        Self {
            source: source.clone(),
            line,
            message,
        }
    }

    /// Bytes that mean nothing in the encoding, in this many `places`, the first in `line`.
    pub(crate) fn undecodable(source: &Source, line: u64, places: u64, encoding: &str) -> Self {
        let more = match places {
            1 => String::new(),
            n => format!(", and {} more after it,", n - 1),
        };
        Self {
            source: source.clone(),
            line,
            message: format!("a byte here{more} means nothing in {encoding} and stays as it is"),
        }
    }
}

fn sentence(note: &Note) -> (u64, String) {
    match note {
        Note::OpenBlock(block) => {
            let start = visible(block.start.as_bytes());
            let message = format!(
                "the block that `{start}` begins has no end, and runs to the end of the file"
            );
            (block.line, message)
        }
        Note::Column(ColumnNote::Absent { pointer, rows, of }) => {
            let (rows, of) = (number(*rows), counted(*of, "row"));
            (1, format!("{pointer} leads to no text in {rows} of {of}"))
        }
        Note::Column(ColumnNote::Numbers {
            line,
            pointer,
            cells,
        }) => {
            let what = counted(*cells, "number");
            let message = format!("{what}, such as {pointer} here, taken as text");
            (*line, message)
        }
        Note::BareLineFeed { line } => {
            let message = "lines end in CR LF, and the pattern is for a line feed alone: `\\r?\\n` matches both";
            (*line, message.to_owned())
        }
        Note::Thousands { line, matches } => {
            let what = counted(*matches, "number");
            let message = format!(
                "{what}, the first one here, with a comma that is taken as a decimal comma: if it stands \
                 between thousands, remove it first, with `swap , ''`"
            );
            (*line, message)
        }
    }
}
