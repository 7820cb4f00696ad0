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
/// Bytes of all files that are looked at, to know which are not UTF-8.
const LOOKED_AT: u64 = 16 << 20;
/// The same of one file.
const OF_A_FILE: u64 = 1 << 20;

/// The hint, after a search that found this many `matches`.
pub fn judge(reader: &Reader, query: &Query, sources: &[Source], matches: u64) -> Option<Hint> {
    if matches > 0 || query.pattern.source().is_ascii() || reader.has_encoding() {
        return None;
    }
    let others = not_utf8(sources);
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

/// The files that are not UTF-8, among those that are looked at; standard input is not.
fn not_utf8(sources: &[Source]) -> Vec<Source> {
    let (mut others, mut left) = (Vec::new(), LOOKED_AT);
    for source in sources.iter().filter(|source| !source.is_stdin()) {
        let mut head = Vec::new();
        let file = open_regular(&source.place());
        let read = file.and_then(|file| file.take(left.min(OF_A_FILE)).read_to_end(&mut head));
        // A character may be cut off at the end.
        let fault = std::str::from_utf8(&head).err();
        if read.is_ok() && fault.is_some_and(|fault| fault.error_len().is_some()) {
            others.push(source.clone());
        }
        left = left.saturating_sub(head.len() as u64);
        if left == 0 {
            break;
        }
    }
    others
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
