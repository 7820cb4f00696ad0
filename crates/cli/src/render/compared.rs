//! Two tries beside each other.

use super::highlight;
use crate::render::columns::Columns;
use crate::render::highlight::{Canvas, Fit, Look};
use crate::render::labelled::{Labelled, Role};
use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::span::Span;
use brisk_quill_engine::compare::{Compared, ComparedChange, Difference};
use unicode_width::UnicodeWidthStr;

/// The differences, and the counts.
pub fn text(found: &Compared, canvas: Canvas) -> Labelled {
    let mut out = Labelled::default();
    let sides = |of: &Difference| [of.last.clone(), of.this.clone()];
    let changes: Vec<ComparedChange> = found.differences.iter().flat_map(sides).flatten().collect();
    let view = View {
        canvas,
        labels: Columns::of_labels(changes.iter().map(|change| change.label.as_deref())),
        columns: Columns::of(changes.iter().map(|change| change.cell.as_deref())),
    };
    let mut path = None;
    for difference in &found.differences {
        if path.replace(&difference.path) != Some(&difference.path) {
            out.push('\n');
            out.put(Role::Path, &visible(&difference.path));
            out.push('\n');
        }
        view.difference(&mut out, difference);
    }
    let hidden = found.total() - found.differences.len() as u64;
    if hidden > 0 {
        let more = counted(hidden, "more difference");
        out.push_str(&format!("\n{more} not shown; add `--show all`.\n"));
    }
    out.push('\n');
    for (name, count) in [
        ("the same", found.same),
        ("only last time", found.only_last),
        ("only this time", found.only_this),
        ("different", found.different),
    ] {
        out.push_str(&format!("  {name:<14} {:>8}\n", number(count)));
    }
    for path in &found.other_files {
        let path = visible_path(path);
        out.push_str(&format!(
            "\nnote: {path} has changed since, and is not compared\n"
        ));
    }
    out
}

/// The room for names beside the texts.
struct View {
    canvas: Canvas,
    labels: Columns,
    columns: Columns,
}

impl View {
    /// A line or a cell as it is, as it became last time, and as it becomes this time.
    fn difference(&self, out: &mut Labelled, difference: &Difference) {
        let Difference { last, this, .. } = difference;
        let Some(at) = this.as_ref().or(last.as_ref()) else {
            return;
        };
        let line = at.line.to_string();
        self.row(out, (&line, "was"), at, &at.before, Role::Was);
        for (word, side) in [("last", last), ("this", this)] {
            match side {
                Some(change) => self.row(out, ("", word), change, &change.after, Role::Now),
                None => {
                    out.put(Role::Quiet, &self.gutter("", word, at));
                    out.put(Role::Quiet, "(stays as it is)");
                    out.push('\n');
                }
            }
        }
    }

    fn row(
        &self,
        out: &mut Labelled,
        (line, word): (&str, &str),
        of: &ComparedChange,
        text: &[u8],
        role: Role,
    ) {
        let (before, after) = &of.beside;
        let gutter = self.gutter(line, word, of);
        let look = Look {
            role,
            room: self.canvas.beside(gutter.width()),
            fit: Fit::Own,
            blanks: false,
        };
        let all = [&before[..], text, after].concat();
        let marked = Span::new(before.len(), before.len() + text.len());
        let shown = highlight::lines(&all, &[marked], look);
        let blank = " ".repeat(gutter.width());
        for (number, text) in shown.iter().enumerate() {
            out.put(Role::Quiet, if number == 0 { &gutter } else { &blank });
            out.append(text);
            out.push('\n');
        }
        if shown.is_empty() {
            out.put(Role::Quiet, &format!("{gutter}(empty)\n"));
        }
    }

    /// The line number, the name of the row, the word and the column; the names only beside the first word.
    fn gutter(&self, line: &str, word: &str, of: &ComparedChange) -> String {
        let first = word == "was";
        let label = self.labels.shown(of.label.as_deref().filter(|_| first));
        let column = self.columns.shown(of.cell.as_deref().filter(|_| first));
        format!("{line:>4}  {label}{word:4}  {column}")
    }
}
