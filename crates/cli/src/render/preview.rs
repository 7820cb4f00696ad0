//! Changes for a reader: each changed line as it was and as it becomes.

use super::highlight;
use crate::render::beside::{Beside, rest_of_row};
use crate::render::columns::Columns;
use crate::render::highlight::{Canvas, Fit, Look};
use crate::render::labelled::{Labelled, Role};
use crate::render::names::file_name;
use brisk_quill_core::span::Span;
use brisk_quill_engine::kept_hunk::{FileReport, KeptCell, KeptEdit, KeptHunk};

/// Draws the changes of files.
pub struct PreviewView {
    canvas: Canvas,
    /// True if to name the steps of each change.
    steps: bool,
    /// Blanks in what changes are drawn: a person is looking.
    blanks: bool,
    fit: Fit,
}

impl PreviewView {
    pub fn new(canvas: Canvas, steps: bool) -> Self {
        Self {
            canvas,
            steps,
            blanks: canvas.wraps,
            fit: Fit::Own,
        }
    }

    /// The changes of one file that are given.
    pub fn file(&self, report: &FileReport<'_>) -> Labelled {
        let mut out = Labelled::default();
        if report.hunks.is_empty() {
            return out;
        }
        let name = file_name(report.source);
        out.push('\n');
        out.put(Role::Path, &name);
        out.push('\n');
        let mut gutter = Gutter::new(report.hunks);
        for (index, hunk) in report.hunks.iter().enumerate() {
            let next = report.hunks.get(index + 1);
            self.hunk(&mut out, hunk, next, &mut gutter);
        }
        out
    }

    fn hunk(
        &self,
        out: &mut Labelled,
        hunk: &KeptHunk,
        next: Option<&KeptHunk>,
        gutter: &mut Gutter,
    ) {
        let before = &hunk.around.before;
        let first = hunk.line - before.len() as u64;
        for (line, text) in (first..).zip(before) {
            if line > gutter.shown {
                self.neighbour(out, gutter, line, text);
            }
        }
        if hunk.is_cells() {
            for (index, edit) in hunk.edits.iter().enumerate() {
                if let Some(cell) = &edit.cell {
                    self.cell(out, edit, cell, gutter);
                    self.rest_of_row(out, &hunk.edits, index, gutter);
                }
            }
        } else {
            self.lines(out, hunk, gutter);
        }
        let after = hunk.line + hunk.height();
        gutter.shown = after - 1;
        for (line, text) in (after..).zip(&hunk.around.after) {
            if next.is_none_or(|next| line < next.line) {
                self.neighbour(out, gutter, line, text);
            }
        }
    }

    /// The value of a cell, before and after.
    fn cell(&self, out: &mut Labelled, edit: &KeptEdit, cell: &KeptCell, gutter: &Gutter) {
        let name = gutter.columns.shown(Some(&cell.name));
        let blank = gutter.columns.shown(None);
        let texts = [(&cell.was, &cell.was_marks), (&cell.now, &cell.now_marks)];
        let view = self.of_all(texts.map(|(text, marks)| (&text[..], &marks[..])), gutter);
        let mut rows = |label: &str, line: Option<u64>, text: &[u8], marks: &[Span], role| {
            let mut shown = view.marked(text, marks, role, gutter);
            if shown.is_empty() {
                // An empty value has no line.
                shown.push(if text.is_empty() {
                    "(empty)".into()
                } else {
                    Labelled::default()
                });
            }
            for (index, text) in shown.iter().enumerate() {
                let first = index == 0;
                let of_row = edit.label().filter(|_| first && line.is_some());
                gutter.labelled(
                    out,
                    line.filter(|_| first),
                    of_row,
                    if first { label } else { "" },
                );
                let name = if first && line.is_some() {
                    &name
                } else {
                    &blank
                };
                out.put(Role::Quiet, name);
                out.append(text);
                if first && label == "now" && self.steps {
                    out.put(Role::Quiet, &steps_of(edit.steps.iter()));
                }
                out.push('\n');
            }
        };
        rows(
            "was",
            Some(edit.line),
            &cell.was,
            &cell.was_marks,
            Role::Was,
        );
        let mut last = &cell.was;
        for (index, stage) in cell.stages.iter().enumerate() {
            if stage != last && *stage != cell.now {
                rows(&format!("{:>3}", index + 1), None, stage, &[], Role::Quiet);
                last = stage;
            }
        }
        rows("now", None, &cell.now, &cell.now_marks, Role::Now);
    }

    /// The other columns of the row of a change, below the last change in it.
    fn rest_of_row(&self, out: &mut Labelled, edits: &[KeptEdit], index: usize, gutter: &Gutter) {
        let edit = &edits[index];
        let same = |other: &&KeptEdit| other.line == edit.line && other.row == edit.row;
        let Some(row) = &edit.row else { return };
        if edits.get(index + 1).as_ref().is_some_and(same) {
            return;
        }
        let of_row = edits[..=index].iter().rev().take_while(same);
        let cells = of_row.filter_map(|edit| Some(edit.cell.as_ref()?.name.as_str()));
        let beside = Beside {
            indent: gutter.width() - gutter.columns.shown(None).len(),
            columns: &gutter.columns,
            width: self.canvas.width,
        };
        rest_of_row(out, row, &cells.collect::<Vec<_>>(), &beside);
    }

    /// Whole lines, before and after.
    fn lines(&self, out: &mut Labelled, hunk: &KeptHunk, gutter: &Gutter) {
        let was: Vec<Span> = hunk.edits.iter().map(|edit| edit.span).collect();
        let (text, now) = hunk.now();
        if text.is_empty() && hunk.stages.is_empty() {
            return self.gone(out, hunk, &was, gutter);
        }
        let view = self.of_all([(&hunk.was, &was), (&text, &now)], gutter);
        let shown = view.marked(&hunk.was, &was, Role::Was, gutter);
        let of_row = hunk.edits.iter().find_map(KeptEdit::label);
        for (line, text) in (hunk.line..).zip(shown) {
            let first = line == hunk.line;
            let word = if first { "was" } else { "" };
            gutter.labelled(out, Some(line), of_row.filter(|_| first), word);
            out.append(&text);
            out.push('\n');
        }
        self.stages(out, hunk, &text, gutter);
        let mut shown = view.marked(&text, &now, Role::Now, gutter);
        if text.is_empty() {
            shown = vec!["(nothing)".into()];
        }
        for (index, text) in shown.iter().enumerate() {
            gutter.put(out, None, if index == 0 { "now" } else { "" });
            out.append(text);
            if index == 0 && self.steps {
                let steps = hunk.edits.iter().flat_map(|edit| edit.steps.iter());
                out.put(Role::Quiet, &steps_of(steps));
            }
            out.push('\n');
        }
    }

    /// Lines that go: there is no other side to show.
    fn gone(&self, out: &mut Labelled, hunk: &KeptHunk, was: &[Span], gutter: &Gutter) {
        let mut note = match hunk.height() {
            0 | 1 => "   (the line goes)".to_owned(),
            lines => format!("   (these {lines} lines go)"),
        };
        if self.steps {
            note.push_str(&steps_of(
                hunk.edits.iter().flat_map(|edit| edit.steps.iter()),
            ));
        }
        let narrower = Self {
            canvas: Canvas {
                width: self.canvas.width.saturating_sub(note.len()),
                ..self.canvas
            },
            // All of it goes, so its blanks are not what there is to see.
            blanks: false,
            ..*self
        };
        let shown = narrower.marked(&hunk.was, was, Role::Was, gutter);
        for (line, text) in (hunk.line..).zip(shown) {
            let is_first = line == hunk.line;
            let of_row = hunk.edits.iter().find_map(KeptEdit::label);
            let word = if is_first { "was" } else { "" };
            gutter.labelled(out, Some(line), of_row.filter(|_| is_first), word);
            out.append(&text);
            if is_first {
                out.put(Role::Quiet, &note);
            }
            out.push('\n');
        }
    }

    /// The lines after each step that left them other than they are in the end.
    fn stages(&self, out: &mut Labelled, hunk: &KeptHunk, now: &[u8], gutter: &Gutter) {
        let mut last = &hunk.was[..];
        for (index, stage) in hunk.stages.iter().enumerate() {
            if stage == last || stage == now {
                continue;
            }
            last = stage;
            let shown = self.marked(stage, &[], Role::Quiet, gutter);
            for (line, text) in shown.iter().enumerate() {
                let label = if line == 0 {
                    format!("{:>3}", index + 1)
                } else {
                    String::new()
                };
                gutter.put(out, None, &label);
                out.append(text);
                out.push('\n');
            }
        }
    }

    fn neighbour(&self, out: &mut Labelled, gutter: &mut Gutter, line: u64, text: &[u8]) {
        gutter.put(out, Some(line), "");
        let shown = self.marked(text, &[], Role::Quiet, gutter);
        if let Some(first) = shown.first() {
            out.append(first);
        }
        out.push('\n');
        gutter.shown = line;
    }

    /// The view of texts that stand below each other, which are made to fit alike.
    fn of_all(&self, texts: [(&[u8], &[Span]); 2], gutter: &Gutter) -> Self {
        let look = self.look(Role::Was, gutter);
        Self {
            fit: highlight::common_fit(texts, look),
            ..*self
        }
    }

    fn look(&self, role: Role, gutter: &Gutter) -> Look {
        Look {
            role,
            room: self.canvas.beside(gutter.width()),
            fit: self.fit,
            blanks: self.blanks && role != Role::Quiet,
        }
    }

    fn marked(&self, text: &[u8], marks: &[Span], role: Role, gutter: &Gutter) -> Vec<Labelled> {
        highlight::lines(text, marks, self.look(role, gutter))
    }
}

fn steps_of(steps: impl Iterator<Item = usize>) -> String {
    let mut steps: Vec<usize> = steps.collect();
    steps.sort_unstable();
    steps.dedup();
    let names: Vec<String> = steps.iter().map(|step| (step + 1).to_string()).collect();
    let noun = if names.len() == 1 { "step" } else { "steps" };
    format!("   [{noun} {}]", names.join(", "))
}

/// Line numbers and labels to the left of the text.
struct Gutter {
    digits: usize,
    /// The names of rows.
    labels: Columns,
    columns: Columns,
    /// The last line shown.
    shown: u64,
}

impl Gutter {
    fn new(hunks: &[KeptHunk]) -> Self {
        let last = hunks.last();
        let cells = hunks.iter().filter(|hunk| hunk.is_cells());
        let cells = cells.flat_map(|hunk| &hunk.edits);
        let names = cells.flat_map(|edit| {
            let own = edit.cell.as_ref().map(|cell| cell.name.as_str());
            let others = edit.row.iter().flat_map(|row| &row.fields);
            std::iter::once(own).chain(others.map(|(name, _)| Some(&**name)))
        });
        let edits = hunks.iter().flat_map(|hunk| &hunk.edits);
        let greatest = last.map_or(0, |p| p.line + p.height() + p.around.after.len() as u64);
        Self {
            digits: greatest.to_string().len().max(4),
            labels: Columns::of_labels(edits.map(KeptEdit::label)),
            columns: Columns::of(names),
            shown: 0,
        }
    }

    fn width(&self) -> usize {
        self.digits + 7 + self.labels.shown(None).len() + self.columns.shown(None).len()
    }

    fn put(&self, out: &mut Labelled, line: Option<u64>, label: &str) {
        self.labelled(out, line, None, label);
    }

    /// The same with the name of a row.
    fn labelled(&self, out: &mut Labelled, line: Option<u64>, of_row: Option<&str>, word: &str) {
        let line = line.map(|n| n.to_string()).unwrap_or_default();
        let (digits, of_row) = (self.digits, self.labels.shown(of_row));
        out.put(Role::Quiet, &format!("{line:>digits$}  {of_row}{word:3}  "));
    }
}
