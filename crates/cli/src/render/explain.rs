//! A pattern with the meaning of each part under it.

use crate::render::highlight::shortened;
use crate::render::labelled::{Labelled, Role};
use brisk_quill_core::escape::visible;
use brisk_quill_core::explain::{Explained, explain_pattern, explain_template, signs};
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::template::Template;
use unicode_width::UnicodeWidthStr;

/// Columns that a pattern may take for its parts to be aligned under it.
const ALIGNED_MOST: usize = 60;

/// Columns for the text of a part of a longer pattern. A group holds the text of all groups in it, so
/// texts in full would make the explanation quadratic.
const LABEL_COLUMNS: usize = 28;

/// The least columns for the words about a part.
const WORDS_LEAST: usize = 20;

/// Deeper parts are set in no further.
const DEPTH_MOST: usize = 12;

/// Draws explanations.
pub struct ExplainView {
    /// The columns of a line.
    pub width: usize,
}

impl ExplainView {
    /// A pattern, and the template that goes with it.
    pub fn step<'t>(
        &self,
        pattern: &Pattern,
        templates: impl IntoIterator<Item = &'t Template>,
    ) -> Labelled {
        let mut out = self.pattern(pattern);
        for template in templates {
            out.push('\n');
            out.append(&self.template(template));
        }
        out
    }

    fn pattern(&self, pattern: &Pattern) -> Labelled {
        let source = pattern.source();
        if pattern.is_of_texts() {
            let table = visible(source.as_bytes());
            let words = format!("  any text in the first column of the table {table}\n");
            return Labelled::from(words.as_str());
        }
        let parts = explain_pattern(pattern);
        let mut out = Labelled::from("  ");
        out.put(Role::Match, &visible(source.as_bytes()));
        out.push('\n');
        let columns = visible(source.as_bytes()).width();
        for part in &parts {
            let label = if columns <= ALIGNED_MOST {
                underline(source, part, columns)
            } else {
                cut_to(&source[part.span.range()], LABEL_COLUMNS)
            };
            let drawn = label.trim();
            let before = label.width() - label.trim_start().width();
            let after = label.width() - label.trim_end().width();
            out.push_str(&format!("  {:before$}", ""));
            out.put(Role::Guide, drawn);
            let indent = 2 * part.depth.min(DEPTH_MOST);
            out.push_str(&format!("{:after$}   {:indent$}", "", ""));
            out.append(&self.beside(2 + label.width() + 3 + indent, &part.words));
            out.push('\n');
        }
        if pattern.backtracks() {
            out.push_str("  It runs on the backtracking engine, which may take many steps.\n");
        }
        out
    }

    fn template(&self, template: &Template) -> Labelled {
        let mut out = Labelled::from("  ");
        let source = visible(template.source().as_bytes());
        out.put(Role::Now, &source);
        out.push('\n');
        out.append(&self.rows(&explain_template(template)));
        if template.source().is_empty() {
            out.push_str("  nothing: the match is deleted\n");
        }
        out
    }

    /// The table of signs.
    pub fn signs(&self) -> Labelled {
        let mut out = Labelled::default();
        for (title, table) in signs() {
            if !out.is_empty() {
                out.push('\n');
            }
            out.put(Role::Path, title);
            out.push('\n');
            out.append(&self.rows(&table));
        }
        out
    }

    /// Words to the right of a column; what finds no room there goes on below, beside it.
    fn beside(&self, column: usize, words: &str) -> Labelled {
        let room = self.width.saturating_sub(column).max(WORDS_LEAST);
        Labelled::from(words).hanging(room, column)
    }

    /// Two columns.
    fn rows(&self, table: &[(String, String)]) -> Labelled {
        let signs = table.iter().map(|(sign, _)| visible(sign.as_bytes()));
        let widest = signs
            .clone()
            .map(|sign| sign.width())
            .max()
            .unwrap_or(0)
            .min(40);
        let mut out = Labelled::default();
        for (sign, (_, words)) in signs.zip(table) {
            let fill = widest.saturating_sub(sign.width());
            out.push_str(&format!("  {sign}{:fill$}   ", ""));
            out.append(&self.beside(2 + sign.width() + fill + 3, words));
            out.push('\n');
        }
        out
    }
}

/// The start of a part's text, filled or cut to this many columns.
fn cut_to(text: &str, columns: usize) -> String {
    // More characters than fit, so that only the start of a long text is drawn at all.
    let start: String = text.chars().take(2 * columns).collect();
    let shown = shortened(&visible(start.as_bytes()), columns - 1, 0);
    let fill = columns.saturating_sub(shown.width());
    format!("{shown}{:fill$}", "")
}

/// The pattern's columns, those of one part underlined.
fn underline(source: &str, part: &Explained, columns: usize) -> String {
    let width = |text: &str| visible(text.as_bytes()).width();
    let before = width(&source[..part.span.from]);
    let length = width(&source[part.span.range()]);
    let rest = columns.saturating_sub(before + length);
    format!("{:before$}{}{:rest$}", "", "─".repeat(length), "")
}
