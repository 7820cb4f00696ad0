//! `left-out-files`: little matched, and files that were left out do match.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::Example;
use crate::hints::second_look::{SecondLook, spot_of};
use crate::hints::spot::Spot;
use crate::sources::Sources;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_files::read::Reader;
use brisk_quill_files::source::Source;
use std::collections::BTreeSet;
use std::ops::ControlFlow;

/// The name of the hint.
pub const NAME: &str = "left-out-files";
/// When it speaks.
pub const SPEAKS: &str = "fewer than three matches are found, and files left out because they are hidden, ignored \
                          by version control, or look binary, hold more";
/// A request for which it speaks.
pub const EXAMPLE: Example = Example {
    words: &["berth", "--with", "quay", "."],
    file: ".old.txt",
    text: b"berth 4\n",
};
/// From this many matches on, no one wonders about the rest.
const LITTLE: u64 = 3;
/// Files that are searched.
const FILES_MOST: usize = 500;

/// The hint, after a search that found this many `matches`.
pub fn judge(
    reader: &Reader,
    query: &Query,
    sources: &Sources,
    matches: u64,
    binary: &[Source],
) -> Option<Hint> {
    if matches >= LITTLE {
        return None;
    }
    let left_out = sources.left_out(FILES_MOST);
    let others = SecondLook::new(reader, query, &left_out);
    let mut look = SecondLook::new(reader, query, binary);
    look.reader = look.reader.with_binary();
    let (others, of_binary) = (files_with_match(others), files_with_match(look));
    let is_hidden = |spot: &Spot| {
        let mut names = spot.source.path().iter();
        names.any(|name| name.as_encoded_bytes().starts_with(b"."))
    };
    let (why, remedy) = match others.first.as_ref().is_some_and(is_hidden) {
        true => ("it is hidden", Remedy::Hidden),
        false => ("version control ignores it", Remedy::Ignored),
    };
    let all = [
        (others, why, remedy),
        (of_binary, "it looks binary", Remedy::Binary),
    ];
    let (files, why, remedy) = all.into_iter().max_by_key(|(found, ..)| found.files)?;
    let first = files.first?;
    if files.files <= matches {
        return None;
    }
    let message = match files.files {
        1 => format!("1 file with a match is left out, because {why}"),
        n => format!(
            "{} with a match are left out, the first because {why}",
            counted(n, "file")
        ),
    };
    Some(Hint::at(NAME, (files.files, &first), message).cured_by(remedy))
}

/// Files with a match.
#[derive(Default)]
struct Found {
    files: u64,
    first: Option<Spot>,
}

fn files_with_match(look: SecondLook<'_>) -> Found {
    let mut found = Found::default();
    let mut files = BTreeSet::new();
    look.run(RunOptions::default(), &mut |source, unit| {
        if unit.taken > 0 && files.insert(source.clone()) {
            found.first.get_or_insert_with(|| spot_of(source, unit));
        }
        ControlFlow::Continue(())
    });
    found.files = files.len() as u64;
    found
}
