//! Whole files as they would be, changed lines marked in the margin.

use crate::render::highlight::{self, Fit, LineRoom, Look};
use crate::render::labelled::{Labelled, Role};
use crate::render::names::file_name;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::span::Span;
use brisk_quill_core::unit::{Line, lines};
use brisk_quill_engine::kept_hunk::{FileReport, KeptHunk};

/// Stands before a line that is new or changed.
const CHANGED: &str = "▌";

/// The text of a file, `was`, with the changes of a report made.
pub fn whole_file(report: &FileReport<'_>, was: &[u8]) -> Labelled {
    let mut out = Labelled::from("\n");
    out.put(Role::Path, &file_name(report.source));
    out.push('\n');
    let mut page = Page {
        digits: lines(was).count().to_string().len().max(4),
        line: 1,
        gone: 0,
        out,
    };
    let mut hunks = report.hunks.iter().peekable();
    let mut number = 1;
    let mut old = lines(was);
    while let Some(line) = old.next() {
        match hunks.next_if(|hunk| hunk.line == number) {
            None => {
                page.line(&was[line.content.range()], &[], false);
                number += 1;
            }
            Some(hunk) => {
                page.hunk(hunk);
                let height = hunk.height().max(1);
                number += height;
                for _ in 1..height {
                    old.next();
                }
            }
        }
    }
    page.tell_gone();
    page.out
}

struct Page {
    digits: usize,
    /// Lines deleted before the next one.
    gone: u64,
    /// The number of the next line, as it would be, from 1.
    line: u64,
    out: Labelled,
}

impl Page {
    fn hunk(&mut self, hunk: &KeptHunk) {
        let (now, marks) = hunk.now();
        for line in lines(&now) {
            let span = line.content;
            let within = |mark: &&Span| mark.from <= span.to && mark.to >= span.from;
            let own = marks.iter().filter(within).map(|mark| {
                let (from, to) = (mark.from.max(span.from), mark.to.min(span.to));
                Span::new(from - span.from, to.max(from) - span.from)
            });
            let own: Vec<Span> = own.filter(|mark| !mark.is_empty()).collect();
            let text = &now[span.range()];
            // A line beside one that is inserted stays as it is.
            let was = &hunk.was;
            let is_old = |old: Line| was[old.content.range()] == *text;
            let is_changed = !own.is_empty() || !lines(was).any(is_old);
            self.line(text, &own, is_changed);
        }
        self.gone += hunk.height().saturating_sub(lines(&now).count() as u64);
    }

    /// Tells of the lines that are deleted before the next one.
    fn tell_gone(&mut self) {
        let gone = std::mem::take(&mut self.gone);
        if gone > 0 {
            let digits = self.digits;
            let gone = counted(gone, "line");
            let text = format!("{CHANGED} {:digits$}  ({gone} deleted here)\n", "");
            self.out.put(Role::Quiet, &text);
        }
    }

    fn line(&mut self, text: &[u8], marks: &[Span], is_changed: bool) {
        self.tell_gone();
        let sign = if is_changed { CHANGED } else { " " };
        let digits = self.digits;
        let role = if is_changed { Role::Guide } else { Role::Quiet };
        self.out
            .put(role, &format!("{sign} {:>digits$}  ", self.line));
        let look = Look {
            role: Role::Now,
            // Lines are shown whole.
            room: LineRoom::ENDLESS,
            fit: Fit::Own,
            blanks: false,
        };
        if let Some(first) = highlight::lines(text, marks, look).first() {
            self.out.append(first);
        }
        self.out.push('\n');
        self.line += 1;
    }
}
