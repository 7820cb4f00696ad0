//! The changes of a file on the page.

use crate::render::highlight::shortened;
use brisk_quill_core::common_ends::common_ends;
use brisk_quill_core::escape::{visible, visible_blanks};
use brisk_quill_core::numbers::counted;
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::plan::opinion::Opinion;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_engine::cell_values::CellValues;
use brisk_quill_engine::context::excerpt::{Excerpt, Excerpts};
use brisk_quill_engine::context::row::rest_of_row;
use brisk_quill_engine::context::{FileRow, PieceOf};
use brisk_quill_files::plan_file::{PlanDoc, PlanKinds};
use maud::{Markup, html};

/// Without script, files are unfolded on a page of at most this many changes.
const UNFOLDED_MOST: usize = 2000;
/// Changes in one `noscript`.
const TOGETHER: usize = 500;
/// Characters of old or new text that stay on one line.
const UNBROKEN_MOST: usize = 24;
/// Characters shown of a line beside a change.
const LINE_MOST: usize = 240;

/// The changes of one file.
pub struct FileChanges<'p> {
    pub doc: &'p PlanDoc,
    pub plan: &'p PlanIndex,
    pub kinds: &'p PlanKinds,
    pub values: &'p CellValues,
    /// The number of the file, from 0.
    pub number: usize,
    pub changes: &'p [ChangeRecord<'static>],
}

impl FileChanges<'_> {
    /// All of them; counts those within words by their kinds.
    pub fn html(&self, within_words: &mut [u64]) -> String {
        let file = &self.plan.files[self.number];
        let excerpts = Excerpts::new(self.doc, self.number, self.changes);
        let mut parts: Vec<String> = Vec::new();
        for (place, change) in self.changes.iter().enumerate() {
            let index = file.first + place;
            let excerpt = excerpts.at(self.plan, place, change);
            let kind = self.kinds.of[index] as usize;
            if let (Some(excerpt), Some(within)) = (&excerpt, within_words.get_mut(kind)) {
                *within += u64::from(excerpt.is_within_word);
            }
            if place % TOGETHER == 0 {
                parts.push(String::new());
            }
            if let Some(part) = parts.last_mut() {
                part.push('\n');
                part.push_str(&self.change(index, change, excerpt.as_ref()).into_string());
            }
        }
        let is_open = self.plan.entries.len() <= UNFOLDED_MOST;
        let count = counted(self.changes.len() as u64, "change");
        let markup = html! {
            details.file open[is_open] {
                summary { h3 { bdi { (visible(&file.path)) } } " " small { (count) } }
                @for part in &parts { noscript { (maud::PreEscaped(part)) } }
            }
        };
        markup.into_string() + "\n"
    }

    fn change(&self, index: usize, change: &ChangeRecord<'_>, excerpt: Option<&Excerpt>) -> Markup {
        let decision = self.plan.entries[index].decision;
        let id = self.plan.id(index);
        let kind = self.kinds.of[index];
        let opinions = self.plan.opinions.get(&index);
        let within = excerpt.is_some_and(|excerpt| excerpt.is_within_word);
        html! {
            article id=(format!("c{id}")) data-k=[(kind != u32::MAX).then_some(kind)] data-d=(decision.letter()) {
                header { h4 {
                    (state(decision)) " "
                    a href=(format!("#c{id}")) { "line " (change.line.0) }
                    @if let Some(cell) = &change.cell { ", " (cell_name(cell)) }
                    @if let Some(label) = &change.label.0 { " of " bdi { (visible(label.as_bytes())) } }
                    " " small { "change " (id) }
                    @if within { " " em.warn { "within a word" } }
                } }
                @match (&change.cell, excerpt) {
                    (Some(_), _) => (self.cell(index, change)),
                    (None, Some(excerpt)) => (lines(excerpt)),
                    (None, None) => (self.pair(index, change)),
                }
                @if let Some(opinions) = opinions {
                    @if opinions.differ() { p.warn { "Reviewers disagree; still open." } }
                    @for opinion in opinions.all() { (said(opinion)) }
                }
            }
        }
    }

    /// The value of a cell, before and after.
    fn cell(&self, index: usize, change: &ChangeRecord<'_>) -> Markup {
        let Ok(written) = self.plan.written(index, change) else {
            return self.pair(index, change);
        };
        let value = |bytes: &[u8]| self.values.value(self.number, change, bytes);
        let (was, now) = (value(&written.before), value(&written.after));
        let rest = rest_of_row(self.doc, self.plan, self.values, (index, change));
        html! { div.record {
            table {
                tr { th scope="row" { "was" } td { (differing(&was, &now, true)) } }
                tr { th scope="row" { "now" } td { (differing(&now, &was, false)) } }
            }
            @if let Some(rest) = rest.filter(|rest| !rest.is_empty()) { dl { @for (name, value) in &rest {
                div { dt { bdi { (visible(name.as_bytes())) } } dd {
                    @if value.is_empty() { span.quiet { "(empty)" } } @else { (visible(value)) }
                } }
            } } }
        } }
    }

    /// A change whose surroundings cannot be shown.
    fn pair(&self, index: usize, change: &ChangeRecord<'_>) -> Markup {
        let now = match self.plan.modified.get(&index) {
            Some(modified) => visible_blanks(&modified.text),
            None => visible_blanks(change.after.as_bytes()),
        };
        html! {
            p.row.was { i { (change.line.0) } b { "was" } code { (old(&visible_blanks(change.before.as_bytes()))) } }
            p.row.now { i {} b { "now" } code { (new(&now)) } }
            p.quiet { "The lines around it cannot be shown: the file has changed, or is not UTF-8." }
        }
    }
}

/// The name of a decision; the style puts its sign before it.
fn state(decision: Decision) -> Markup {
    html! { strong.d data-d=(decision.letter()) { (decision.name()) } }
}

fn cell_name(cell: &str) -> Markup {
    let what = match cell.starts_with('/') {
        true => "pointer",
        false => "column",
    };
    html! { (what) " " bdi { (visible(cell.as_bytes())) } }
}

/// A decision of a reviewer, with the remark.
fn said(opinion: &Opinion) -> Markup {
    html! { p.said {
        bdi { (visible(opinion.by.as_bytes())) } ": " (state(opinion.decision))
        @if let Some(text) = &opinion.text { " " code { (visible_blanks(&text.text)) } }
        @if !opinion.remark.is_empty() { " — " bdi { (visible(opinion.remark.as_bytes())) } }
    } }
}

/// A text with what differs from another marked: old, or new.
fn differing(text: &str, other: &str, is_old: bool) -> Markup {
    let chars = |text: &str| text.chars().collect::<Vec<char>>();
    let (text, other) = (chars(text), chars(other));
    let (head, tail) = common_ends(&text, &other);
    let part = |chars: &[char]| chars.iter().collect::<String>();
    let middle = visible_blanks(part(&text[head..text.len() - tail]).as_bytes());
    html! {
        code {
            (visible(part(&text[..head]).as_bytes()))
            @if is_old { (old(&middle)) } @else { (new(&middle)) }
            (visible(part(&text[text.len() - tail..]).as_bytes()))
        }
        @if text.is_empty() { span.quiet { "(empty)" } }
    }
}

/// Old text; only a long one is broken into lines.
pub(super) fn old(text: &str) -> Markup {
    html! { @if is_long(text) { del.l { (text) } } @else { del { (text) } } }
}

/// New text.
pub(super) fn new(text: &str) -> Markup {
    html! { @if is_long(text) { ins.l { (text) } } @else { ins { (text) } } }
}

fn is_long(text: &str) -> bool {
    text.chars().nth(UNBROKEN_MOST).is_some()
}

/// A change in its lines.
fn lines(excerpt: &Excerpt) -> Markup {
    let is_empty = |rows: &[FileRow]| {
        rows.iter()
            .all(|row| row.pieces.iter().all(|p| p.text.is_empty()))
    };
    let cut = (excerpt.is_cut_before, excerpt.is_cut_after);
    html! {
        @for line in &excerpt.before { (row("near", "", line, (false, false))) }
        (rows("was", &excerpt.was, cut))
        @if is_empty(&excerpt.now) {
            p.row.now { i {} b { "now" } span.quiet { "(nothing: the line goes, or is empty)" } }
        } @else {
            (rows("now", &excerpt.now, cut))
        }
        @for line in &excerpt.after { (row("near", "", line, (false, false))) }
    }
}

fn rows(label: &str, rows: &[FileRow], cut: (bool, bool)) -> Markup {
    let last = rows.len().saturating_sub(1);
    html! { @for (number, line) in rows.iter().enumerate() {
        @let label_here = if number == 0 { label } else { "" };
        (row(label, label_here, line, (cut.0 && number == 0, cut.1 && number == last)))
    } }
}

fn row(class: &str, label: &str, row: &FileRow, (cut_before, cut_after): (bool, bool)) -> Markup {
    let line = row.line.filter(|_| class != "now");
    html! {
        p class=(format!("row {class}")) {
            i { @if let Some(line) = line { (line) } }
            b { (label) }
            code {
                @if cut_before { "…" }
                @for piece in &row.pieces { (self::piece(piece.of, &piece.text)) }
                @if cut_after { "…" }
            }
        }
    }
}

fn piece(of: PieceOf, text: &[u8]) -> Markup {
    let other = |class: &str, decision: Decision| {
        let title = format!("another change, {}", decision.name());
        html! { span class=(class) data-d=(decision.letter()) title=(title) { (visible(text)) } }
    };
    match of {
        PieceOf::Text => html! { (shortened(&visible(text), LINE_MOST, LINE_MOST)) },
        PieceOf::Was | PieceOf::Replaced => old(&visible_blanks(text)),
        PieceOf::Now => new(&visible_blanks(text)),
        PieceOf::Old(decision) => other("old", decision),
        PieceOf::New(decision) => other("new", decision),
    }
}
