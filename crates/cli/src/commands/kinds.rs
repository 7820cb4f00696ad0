//! `preview --kinds`: which changes there are, each once.

use crate::output::Output;
use crate::render::grid::{Align, Grid};
use crate::render::highlight::one_line_of;
use crate::render::numbers::{counted, number};
use brisk_quill_core::escape::visible;
use brisk_quill_core::inventory::Inventory;
use brisk_quill_core::span::Span;
use brisk_quill_files::discover::Source;
use brisk_quill_files::evaluate::FileHunk;

/// Kinds that are told apart.
const KINDS_MOST: usize = 100_000;
/// Bytes shown around a match that touches a letter or a digit.
const AROUND: usize = 16;

/// Collects kinds.
pub struct KindSink {
    seen: Inventory<(Vec<u8>, Vec<u8>), First>,
}

/// The first change of a kind, and those of it that look odd.
struct First {
    path: String,
    line: u64,
    cell: Option<String>,
    /// Changes that touch a letter or a digit, and the first of them in its line.
    touching: u64,
    odd: Option<Vec<u8>>,
}

impl KindSink {
    pub fn new() -> Self {
        Self {
            seen: Inventory::new(KINDS_MOST),
        }
    }

    /// Tells all kinds apart, to be taken in by another.
    pub fn without_limit(self) -> Self {
        let seen = self.seen.without_limit();
        Self { seen }
    }

    /// Takes in the kinds of what follows: the next file, or the next part of one.
    pub fn absorb(&mut self, next: Self) {
        self.seen.absorb(next.seen, |first, behind| {
            first.touching += behind.touching;
            first.odd = first.odd.take().or(behind.odd);
        });
    }

    pub fn hunk(&mut self, source: &Source, found: &FileHunk<'_>) {
        for edit in &found.edits {
            let text = &edit.text;
            let kind = (text.before.to_vec(), text.after.to_vec());
            self.seen.add(kind.clone(), || First {
                path: crate::render::preview::file_name(source),
                line: text.line,
                cell: text.cell.map(|cell| cell.name.to_string()),
                touching: 0,
                odd: None,
            });
            let was = found.hunk.was;
            if text.cell.is_none()
                && touches(was, text.span)
                && let Some(first) = self.seen.first_mut(&kind)
            {
                first.touching += 1;
                first.odd.get_or_insert_with(|| around(was, text.span));
            }
        }
    }

    /// The kinds, the most frequent first; at most `show` of them.
    pub fn print(self, show: usize, output: &mut Output) {
        let others = self.seen.others;
        let changes = counted(self.seen.total, "change");
        let mut rows = self.seen.into_order();
        // Those that are as frequent stay in the order in which they were met.
        rows.sort_by_key(|(_, count, _)| std::cmp::Reverse(*count));
        let cells = rows.iter().any(|(_, _, first)| first.cell.is_some());
        let mut heads = vec![("kind", Align::Right), ("count", Align::Right)];
        if cells {
            heads.push(("column", Align::Left));
        }
        heads.extend([
            ("was", Align::Left),
            ("now", Align::Left),
            ("first", Align::Left),
        ]);
        heads.push(("look at", Align::Left));
        let mut grid = Grid::new(heads);
        for (index, ((before, after), count, first)) in rows.iter().take(show).enumerate() {
            let mut row = vec![(index + 1).to_string(), number(*count)];
            if cells {
                row.push(visible(
                    first.cell.as_deref().unwrap_or_default().as_bytes(),
                ));
            }
            row.extend([quoted(before), quoted(after)]);
            row.push(format!("{}, line {}", first.path, first.line));
            row.push(match &first.odd {
                Some(odd) => {
                    let touching = number(first.touching);
                    format!("{touching} within a word: {}", visible(odd))
                }
                None => String::new(),
            });
            grid.add(row);
        }
        output.print(b"\n");
        output.print(grid.text(output.paint(), output.width()).as_bytes());
        if let Some(more) = rows.len().checked_sub(show).filter(|more| *more > 0) {
            let more = counted(more as u64, "more kind");
            output.print(format!("\n{more} not shown; add `--show all`.\n").as_bytes());
        }
        let kinds = rows.len() as u64;
        output.print(format!("\n{} in {changes}.\n", counted(kinds, "kind")).as_bytes());
        if others > 0 {
            let text = format!("{} of further kinds are not told apart.\n", number(others));
            output.print(text.as_bytes());
        }
    }
}

fn quoted(text: &[u8]) -> String {
    match text {
        b"" => "(nothing)".into(),
        text => one_line_of(text, 60),
    }
}

/// Whether a letter or a digit goes on beyond an end of the match.
fn touches(line: &[u8], span: Span) -> bool {
    let word = |c: Option<char>| c.is_some_and(char::is_alphanumeric);
    let own = &line[span.range()];
    (word(last_char(&line[..span.from])) && word(first_char(own)))
        || (word(last_char(own)) && word(first_char(&line[span.to..])))
}

/// The bytes of the longest character.
const CHAR: usize = 4;

fn first_char(text: &[u8]) -> Option<char> {
    let head = &text[..text.len().min(CHAR)];
    String::from_utf8_lossy(head).chars().next()
}

fn last_char(text: &[u8]) -> Option<char> {
    let tail = &text[text.len().saturating_sub(CHAR)..];
    String::from_utf8_lossy(tail).chars().next_back()
}

/// A match with a little of what stands around it.
fn around(line: &[u8], span: Span) -> Vec<u8> {
    let from = span.from.saturating_sub(AROUND);
    let to = (span.to + AROUND).min(line.len());
    line[from..to].trim_ascii().to_vec()
}
