//! `other-encoding`: nothing matches letters that a text writes in another encoding.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::Example;
use crate::hints::second_look::{SecondLook, spot_of};
use crate::hints::spot::Spot;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_files::encoding::TextEncoding;
use brisk_quill_files::fs::open::open_regular;
use brisk_quill_files::read::Reader;
use brisk_quill_files::source::Source;
use std::io::Read;
use std::ops::ControlFlow;

/// The name of the hint.
pub const NAME: &str = "other-encoding";
/// When it speaks.
pub const SPEAKS: &str = "nothing matches letters beyond ASCII, and files that are not UTF-8 hold such matches when they are \
                          read in another encoding";
/// A request for which it speaks.
pub const EXAMPLE: Example = Example {
    words: &["Søren", "--with", "Soren"],
    file: "notice.txt",
    text: b"pilot: S\xf8ren\n",
};
/// Encodings that are tried, by the labels of `--encoding`; the first in which something matches is named.
const TRIED: [&str; 6] = [
    "windows-1252",
    "windows-1250",
    "windows-1251",
    "windows-1253",
    "shift_jis",
    "gbk",
];
/// Bytes of a file that are looked at, to know that it is not UTF-8.
const LOOKED_AT: u64 = 1 << 20;

/// The hint, after a search that found this many `matches`.
pub fn judge(reader: &Reader, query: &Query, sources: &[Source], matches: u64) -> Option<Hint> {
    if matches > 0 || query.pattern.source().is_ascii() || reader.has_encoding() {
        return None;
    }
    let others: Vec<Source> = sources
        .iter()
        .filter(|one| !is_utf8(one))
        .cloned()
        .collect();
    TRIED.into_iter().find_map(|label| {
        let encoding = TextEncoding::of_label(label).ok()?;
        let (lines, first) = found(reader, query, &others, encoding)?;
        let lines_match = match lines {
            1 => "1 line matches".to_owned(),
            lines => format!("{} match", counted(lines, "line")),
        };
        let message = format!("the text is not UTF-8; read as {label}, {lines_match}");
        Some(Hint::at(NAME, (lines, &first), message).cured_by(Remedy::Encoding(label)))
    })
}

/// True if a file is UTF-8 as far as it is looked at, or cannot be read.
fn is_utf8(source: &Source) -> bool {
    let Ok(file) = open_regular(&source.place()) else {
        return true;
    };
    let mut head = Vec::new();
    if source.is_stdin() || file.take(LOOKED_AT).read_to_end(&mut head).is_err() {
        return true;
    }
    // A character may be cut off at the end.
    std::str::from_utf8(&head).map_or_else(|fault| fault.error_len().is_none(), |_| true)
}

/// The units with a match, read in an encoding, and the first place.
fn found(
    reader: &Reader,
    query: &Query,
    sources: &[Source],
    encoding: TextEncoding,
) -> Option<(u64, Spot)> {
    let mut look = SecondLook::new(reader, query, sources);
    look.reader = look.reader.in_encoding(encoding);
    let (mut units, mut first) = (0, None);
    look.run(RunOptions::default(), &mut |source, unit| {
        if unit.taken > 0 {
            units += 1;
            first.get_or_insert_with(|| spot_of(source, unit));
        }
        ControlFlow::Continue(())
    });
    Some((units, first?))
}
