//! Matches for a reader: each line that holds one, the matches marked, and their groups.

use super::highlight;
use crate::args::definitions::Context;
use crate::render::beside::{Beside, rest_of_row};
use crate::render::columns::Columns;
use crate::render::highlight::{Canvas, Fit, Look, one_line_of};
use crate::render::labelled::{Labelled, Role};
use crate::render::names::file_name;
use crate::render::positions::{self, Position};
use brisk_quill_core::edits::RowFacts;
use brisk_quill_core::pattern::groups::Groups;
use brisk_quill_core::query::findings::Findings;
use brisk_quill_core::query::unit_view::UnitView;
use brisk_quill_core::span::Span;
use brisk_quill_engine::kept_hunk::Neighbours;
use brisk_quill_files::source::Source;
use unicode_width::UnicodeWidthStr;

/// One unit with matches.
#[derive(Clone)]
pub struct FoundUnit {
    /// The line, from 1.
    pub line: u64,
    /// The column, where it is a cell.
    pub cell: Option<String>,
    /// The row, where it is a cell.
    pub row: RowFacts,
    pub text: Vec<u8>,
    /// The matches in it.
    pub spans: Vec<Span>,
    /// The groups of each match in `text`, the whole match first; `None` took no part.
    pub groups: Vec<Vec<Option<Span>>>,
    /// The places where the matches begin.
    pub places: Vec<Position>,
    /// The reason for which it does not match, where that is reported.
    pub why: Option<String>,
    /// The neighbours without a match.
    pub around: Neighbours,
}

impl FoundUnit {
    /// The columns that are shown of it.
    fn columns(&self) -> impl Iterator<Item = Option<&str>> {
        let others = self.row.fields.iter().map(|(name, _)| Some(&**name));
        std::iter::once(self.cell.as_deref()).chain(others)
    }

    /// The texts of the groups of a match.
    pub fn texts_of(&self, groups: &[Option<Span>]) -> impl Iterator<Item = Option<&[u8]>> {
        let text = |group: &Option<Span>| Some(&self.text[group.as_ref()?.range()]);
        groups.iter().map(text)
    }

    /// The same with the places where the matches begin.
    #[must_use]
    pub fn placed(mut self, unit: &UnitView<'_>) -> Self {
        self.places = positions::of_matches(unit, &self.spans);
        self
    }

    /// The matches that were taken, with at most `context` neighbours on either side.
    pub fn new(unit: &UnitView<'_>, found: &Findings<'_>, context: Context) -> Self {
        let bytes = unit.bytes();
        let place = match unit.cell {
            Some(cell) => cell.row().whole_lines(),
            None => Span::new(unit.span.from, unit.ending.to),
        };
        Self {
            line: unit.line,
            cell: unit.cell.map(|cell| cell.name().to_string()),
            row: unit.cell.map_or_else(RowFacts::default, |cell| {
                cell.row()
                    .facts(Some(&cell.name()), context == Context::Row)
            }),
            text: bytes.to_vec(),
            spans: found.picked().map(|f| f.span).collect(),
            groups: found.picked().map(|f| f.groups.iter().collect()).collect(),
            places: Vec::new(),
            why: None,
            around: Neighbours::of(unit.text, place, context.lines()),
        }
    }
}

/// The gutter to the left of a line.
struct Gutter {
    digits: usize,
    label: String,
    column: String,
}

impl Gutter {
    fn width(&self) -> usize {
        self.digits + 2 + self.label.width() + self.column.width()
    }

    fn text(&self, line: u64) -> String {
        let (digits, label, column) = (self.digits, &self.label, &self.column);
        format!("{line:>digits$}  {label}{column}")
    }
}

/// Draws matches.
#[derive(Clone, Copy)]
pub struct FindView<'a> {
    pub canvas: Canvas,
    pub groups: &'a Groups,
}

/// Lines that a unit may have to be shown as a whole.
const WHOLE_MOST: usize = 12;

/// True for each line of a unit that is shown: all of them, or, of many, those with a match and their neighbours.
fn kept_lines(text: &[u8], spans: &[Span], count: usize) -> Vec<bool> {
    if count <= WHOLE_MOST || spans.is_empty() {
        return vec![true; count];
    }
    let ends = memchr::memchr_iter(b'\n', text).map(|end| end + 1);
    let starts: Vec<usize> = [0].into_iter().chain(ends).collect();
    let line_of = |at: usize| starts.partition_point(|start| *start <= at) - 1;
    let mut kept = vec![false; count];
    for span in spans {
        let (first, last) = (
            line_of(span.from),
            line_of(span.to.saturating_sub(1).max(span.from)),
        );
        let near = first.saturating_sub(1)..(last + 2).min(count);
        kept[near].fill(true);
    }
    kept
}

impl FindView<'_> {
    /// The matches of one file that are given.
    pub fn file(&self, source: &Source, units: &[FoundUnit]) -> Labelled {
        let mut out = Labelled::default();
        let Some(last) = units.last() else {
            return out;
        };
        out.push('\n');
        out.put(Role::Path, &file_name(source));
        out.push('\n');
        let greatest = last.line + last.around.after.len() as u64;
        let digits = greatest.to_string().len().max(4);
        let mut shown = 0;
        let columns = Columns::of(units.iter().flat_map(FoundUnit::columns));
        let labels = Columns::of_labels(units.iter().map(|unit| unit.row.label.as_deref()));
        let bare = Gutter {
            digits,
            label: String::new(),
            column: String::new(),
        };
        for (index, unit) in units.iter().enumerate() {
            let next = units.get(index + 1).map_or(u64::MAX, |next| next.line);
            let first = unit.line - unit.around.before.len() as u64;
            for (line, text) in (first..)
                .zip(&unit.around.before)
                .filter(|(n, _)| *n > shown)
            {
                self.line(&mut out, &bare, line, text, &[]);
            }
            let gutter = Gutter {
                digits,
                label: labels.shown(unit.row.label.as_deref()),
                column: columns.shown(unit.cell.as_deref()),
            };
            match unit.text.is_empty() && unit.spans.is_empty() {
                true => {
                    let empty = format!("{}(empty)\n", gutter.text(unit.line));
                    out.put(Role::Quiet, &empty);
                }
                false => self.line(&mut out, &gutter, unit.line, &unit.text, &unit.spans),
            }
            self.groups(&mut out, gutter.width(), unit);
            if let Some(why) = &unit.why {
                let indent = gutter.width();
                out.put(Role::Quiet, &format!("{:indent$}{why}", ""));
                out.push('\n');
            }
            let next_row = units.get(index + 1).map(|next| (next.line, &next.row));
            if next_row != Some((unit.line, &unit.row)) {
                let mut here = units[..=index].iter().rev();
                let of_row = here
                    .by_ref()
                    .take_while(|u| (u.line, &u.row) == (unit.line, &unit.row));
                let cells: Vec<&str> = of_row.filter_map(|unit| unit.cell.as_deref()).collect();
                let beside = Beside {
                    indent: digits + 2 + gutter.label.width(),
                    columns: &columns,
                    width: self.canvas.width,
                };
                rest_of_row(&mut out, &unit.row, &cells, &beside);
            }
            shown = unit.line;
            let after = (unit.line + 1..).zip(&unit.around.after);
            for (line, text) in after.take_while(|(n, _)| *n < next) {
                self.line(&mut out, &bare, line, text, &[]);
                shown = line;
            }
        }
        out
    }

    fn line(&self, out: &mut Labelled, gutter: &Gutter, line: u64, text: &[u8], spans: &[Span]) {
        let look = Look {
            role: Role::Match,
            room: self.canvas.beside(gutter.width()),
            fit: Fit::Own,
            blanks: false,
        };
        let lines = highlight::lines(text, spans, look);
        if lines.is_empty() {
            out.put(Role::Quiet, &gutter.text(line));
            out.push('\n');
        }
        let kept = kept_lines(text, spans, lines.len());
        for (index, text) in lines.iter().enumerate() {
            if kept[index] {
                out.put(Role::Quiet, &gutter.text(line + index as u64));
                out.append(text);
                out.push('\n');
            } else if index == 0 || kept[index - 1] {
                out.put(Role::Quiet, &format!("{:>1$}\n", "…", gutter.digits));
            }
        }
    }

    /// A line for each match: its groups by number and name, behind the number of the match in its
    /// unit, from 1, where there are several.
    fn groups(&self, out: &mut Labelled, indent: usize, unit: &FoundUnit) {
        if self.groups.len() == 1 {
            return;
        }
        let width = self.canvas.width.saturating_sub(indent);
        let digits = unit.groups.len().to_string().len();
        for (number, groups) in (1..).zip(&unit.groups) {
            let each = unit.texts_of(groups).enumerate().skip(1);
            let said: Vec<String> = each.map(|(n, text)| self.group(n, text)).collect();
            let of_match = match unit.groups.len() {
                1 => String::new(),
                _ => format!("{number:>digits$}. "),
            };
            let text = one_line_of((of_match + &said.join("  ")).as_bytes(), width);
            out.put(Role::Quiet, &format!("{:indent$}{text}", ""));
            out.push('\n');
        }
    }

    fn group(&self, number: usize, text: Option<&[u8]>) -> String {
        let name = match self.groups.name(number) {
            Some(name) => format!("${number} {name}"),
            None => format!("${number}"),
        };
        match text {
            Some(text) => format!("{name} ‹{}›", one_line_of(text, 60)),
            None => format!("{name} (took no part)"),
        }
    }
}
