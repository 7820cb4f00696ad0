//! The lines around a change in its file, read from the disk before it is drawn.

use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_core::span::Span;
use brisk_quill_files::fs::open::open_regular;
use brisk_quill_files::plan_file::PlanDoc;
use memchr::{memchr, memchr_iter, memrchr};
use std::ffi::OsStr;
use std::io::{self, Read};
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::FileExt;
use std::path::Path;

/// Bytes read on either side.
const AROUND: u64 = 8 << 10;
/// Lines shown on either side.
const LINES: usize = 4;
/// Other changes looked at on either side, for those in the same line.
const NEIGHBOURS: usize = 64;
/// The largest file that is shown as a whole, in bytes.
const WHOLE_MOST: u64 = 8 << 20;

/// A change in its lines.
#[derive(Debug, PartialEq, Eq)]
pub struct Near {
    /// The lines before it, and those behind it.
    pub before: Vec<Vec<u8>>,
    pub after: Vec<Vec<u8>>,
    /// Its lines as they are, with its old text.
    pub was: (Vec<u8>, Span),
    /// As they become with it, and with what is accepted beside it.
    pub now: (Vec<u8>, Span),
}

/// The lines around the change at `index`; `None` where its file is not what it was, or is not
/// text in UTF-8.
pub fn near(
    doc: &PlanDoc,
    plan: &PlanIndex,
    index: usize,
    change: &ChangeRecord<'_>,
) -> Option<Near> {
    let of = &plan.files[plan.file_of(index)];
    if !of.encoding.starts_with("UTF-8") {
        return None;
    }
    let file = open_regular(Path::new(OsStr::from_bytes(&of.path))).ok()?;
    let low = change.from.saturating_sub(AROUND);
    let high = (change.to + AROUND).min(of.bytes);
    // At most what is read around one change, which was in memory once.
    let mut text = vec![0; usize::try_from(high - low).ok()?];
    file.read_exact_at(&mut text, low).ok()?;
    let (from, to) = ((change.from - low) as usize, (change.to - low) as usize);
    let new = new_text(plan, index, change)?;
    if text[from..to] != *change.before_bytes()? {
        return None;
    }
    let start = memrchr(b'\n', &text[..from]).map_or(0, |at| at + 1);
    let inner = if to > from && text[to - 1] == b'\n' {
        to - 1
    } else {
        to
    };
    let end = memchr(b'\n', &text[inner..]).map_or(text.len(), |at| inner + at);
    let before = lines(&text[..start]);
    let after = lines(text.get(end + 1..).unwrap_or_default());
    let (now, mark) = with_neighbours(doc, plan, index, low, &text, (start, end), (from, to, new));
    Some(Near {
        before: before[before.len().saturating_sub(LINES)..].to_vec(),
        after: after.into_iter().take(LINES).collect(),
        was: (
            text[start..end].to_vec(),
            Span::new(from - start, to.min(end) - start),
        ),
        now: (now, mark),
    })
}

/// The text that is written for a change, or would be.
pub fn new_text(plan: &PlanIndex, index: usize, change: &ChangeRecord<'_>) -> Option<Vec<u8>> {
    match plan.modified.get(&index) {
        Some(modified) => Some(modified.clone()),
        None => Some(change.after_bytes()?.into_owned()),
    }
}

/// The lines with this change made and with every one beside it that is accepted; and where its
/// new text stands.
fn with_neighbours(
    doc: &PlanDoc,
    plan: &PlanIndex,
    index: usize,
    low: u64,
    text: &[u8],
    (start, end): (usize, usize),
    (from, to, new): (usize, usize, Vec<u8>),
) -> (Vec<u8>, Span) {
    let file = &plan.files[plan.file_of(index)];
    let mut edits = vec![(from, to, new, true)];
    let place = |change: &ChangeRecord| {
        let at = |offset: u64| usize::try_from(offset.checked_sub(low)?).ok();
        Some((at(change.from)?, at(change.to)?))
    };
    let back = (file.first..index).rev().take(NEIGHBOURS);
    let ahead = (index + 1..file.end).take(NEIGHBOURS);
    for other in back.chain(ahead) {
        if !plan.entries[other].decision.writes() {
            continue;
        }
        let Some(change) = doc.change(other).ok() else {
            continue;
        };
        if let (Some((from, to)), Some(new)) = (place(&change), new_text(plan, other, &change))
            && from >= start
            && to <= end
        {
            edits.push((from, to, new, false));
        }
    }
    edits.sort_by_key(|edit| (edit.0, edit.1));
    let (mut out, mut at, mut mark) = (Vec::new(), start, Span::new(0, 0));
    for (from, to, new, own) in edits {
        out.extend_from_slice(&text[at.min(from)..from]);
        if own {
            mark = Span::new(out.len(), out.len() + new.len());
        }
        out.extend_from_slice(&new);
        at = to;
    }
    out.extend_from_slice(text.get(at..end).unwrap_or_default());
    (out, mark)
}

/// All of a file with what is accepted, and the line of the change at `index` in it.
pub fn whole(doc: &PlanDoc, plan: &PlanIndex, index: usize) -> io::Result<(Vec<Vec<u8>>, usize)> {
    let of = &plan.files[plan.file_of(index)];
    if of.bytes > WHOLE_MOST {
        return Err(io::Error::other(
            "the file is too large to be shown as a whole",
        ));
    }
    let mut text = Vec::new();
    open_regular(Path::new(OsStr::from_bytes(&of.path)))?.read_to_end(&mut text)?;
    if blake3::hash(&text).to_hex().as_str() != of.hash {
        return Err(io::Error::other(
            "the file has changed since its changes were computed",
        ));
    }
    let (mut out, mut at, mut line) = (Vec::new(), 0, 0);
    for number in of.first..of.end {
        let change = doc.change(number)?;
        let (from, to) = (change.from as usize, change.to as usize);
        out.extend_from_slice(&text[at..from]);
        if number == index {
            line = memchr_iter(b'\n', &out).count();
        }
        match plan.entries[number].decision.writes() {
            true => out.extend(new_text(plan, number, &change).unwrap_or_default()),
            false => out.extend_from_slice(&text[from..to]),
        }
        at = to;
    }
    out.extend_from_slice(&text[at..]);
    Ok((lines(&out), line))
}

fn lines(text: &[u8]) -> Vec<Vec<u8>> {
    brisk_quill_core::unit::lines(text)
        .map(|line| text[line.content.range()].to_vec())
        .collect()
}
