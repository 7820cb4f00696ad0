//! A table for a reader: columns side by side, as wide as what they hold.

use crate::render::highlight::shortened;
use crate::render::labelled::{Labelled, Role};
use unicode_width::UnicodeWidthStr;

/// Blanks between two columns.
const GAP: usize = 3;
/// The least that a column is cut to.
const LEAST: usize = 8;

/// The alignment of a column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Align {
    Left,
    Right,
}

/// Rows under their heads. What is put in must be fit to be shown.
pub struct Grid {
    heads: Vec<(String, Align)>,
    rows: Vec<Vec<String>>,
}

impl Grid {
    pub fn new(heads: impl IntoIterator<Item = (impl Into<String>, Align)>) -> Self {
        let heads = heads.into_iter().map(|(name, align)| (name.into(), align));
        Self {
            heads: heads.collect(),
            rows: Vec::new(),
        }
    }

    pub fn add(&mut self, row: Vec<String>) {
        self.rows.push(row);
    }

    /// The rows as lines of at most `width` columns; the widest cells are cut first. A last column
    /// without anything in it is left out.
    pub fn text(&self, width: usize) -> Labelled {
        let widths = self.widths(width);
        let mut out = Labelled::default();
        let heads = self.heads.iter().map(|(name, _)| name.as_str());
        let mut line = self.line(heads, &widths);
        line.push('\n');
        out.put(Role::Quiet, &line);
        for row in &self.rows {
            out.push_str(&self.line(row.iter().map(String::as_str), &widths));
            out.push('\n');
        }
        out
    }

    fn widths(&self, width: usize) -> Vec<usize> {
        let widest = |index: usize| {
            let cells = self.rows.iter().filter_map(|row| row.get(index));
            let cells = cells.map(|cell| cell.width()).max();
            cells.unwrap_or(0).max(self.heads[index].0.width())
        };
        let last = self.heads.len().saturating_sub(1);
        let is_empty = |row: &Vec<String>| row.get(last).is_none_or(String::is_empty);
        let shown = match last > 0 && self.rows.iter().all(is_empty) {
            true => last,
            false => self.heads.len(),
        };
        let mut widths: Vec<usize> = (0..shown).map(widest).collect();
        let gaps = 2 + GAP * widths.len().saturating_sub(1);
        loop {
            let too_much = (widths.iter().sum::<usize>() + gaps).saturating_sub(width);
            let Some(most) = widths.iter_mut().max().filter(|most| **most > LEAST) else {
                return widths;
            };
            if too_much == 0 {
                return widths;
            }
            *most = (*most - 1).max(LEAST);
        }
    }

    fn line<'c>(&self, cells: impl Iterator<Item = &'c str>, widths: &[usize]) -> String {
        let mut line = String::from("  ");
        for ((cell, (_, align)), width) in cells.zip(&self.heads).zip(widths) {
            let cell = match cell.width() > *width {
                true => shortened(cell, width.saturating_sub(1), 0),
                false => cell.to_owned(),
            };
            let blanks = " ".repeat(width.saturating_sub(cell.width()));
            match align {
                Align::Left => line.extend([cell, blanks]),
                Align::Right => line.extend([blanks, cell]),
            }
            line.push_str(&" ".repeat(GAP));
        }
        line.truncate(line.trim_end().len());
        line
    }
}
