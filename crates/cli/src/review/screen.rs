//! The screen of a review, drawn from its state.

mod change;
mod signs;
mod windows;

use crate::full_screen::fit::{head, tail};
use crate::full_screen::palette::{Palette, Role};
use crate::full_screen::terminal::LEAST;
use crate::review::action::View;
use crate::review::keys::{HINTS, HINTS_NARROW};
use crate::review::loaded::Loaded;
use crate::review::screen::signs::sign;
use crate::review::state::State;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::plan::decision::Decision;
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use unicode_width::UnicodeWidthStr;

/// Draws reviews.
pub struct Screen<'s> {
    pub loaded: &'s Loaded,
    /// The subject of a review, in a few words.
    pub title: &'s str,
    pub palette: Palette,
}

impl Screen<'_> {
    pub fn draw(&self, frame: &mut Frame<'_>, state: &State) {
        let area = frame.area();
        if area.width < LEAST.0 || area.height < LEAST.1 {
            let text = format!(
                "too small: {}x{}\nat least {}x{}\n(q leaves)",
                area.width, area.height, LEAST.0, LEAST.1
            );
            frame.render_widget(Paragraph::new(text), area);
            return;
        }
        let [head, counts, body, foot] = Layout::vertical([
            Constraint::Length(1),
            Constraint::Length(1),
            Constraint::Min(3),
            Constraint::Length(2),
        ])
        .areas(area);
        frame.render_widget(Line::from(self.span(Role::Strong, self.title)), head);
        frame.render_widget(self.counts(state), counts);
        match state.view {
            View::Kinds => self.kinds(frame, body, state),
            View::File => self.file(frame, body, state),
            View::Changes
            | View::Modify
            | View::Find
            | View::Keys
            | View::Hints
            | View::Every
            | View::Leave
            | View::Ask => self.changes(frame, body, state),
        }
        frame.render_widget(self.foot(state, area.width), foot);
        match state.view {
            View::Keys => self.keys(frame, body),
            View::Hints => self.hints(frame, body, state),
            View::Every => self.every(frame, body, state),
            View::Leave => self.leave(frame, body, state),
            View::Ask => self.ask(frame, body, state),
            View::Changes | View::Kinds | View::File | View::Modify | View::Find => {}
        }
    }

    fn span(&self, role: Role, text: impl Into<String>) -> Span<'static> {
        self.palette.span(role, text)
    }

    fn counts(&self, state: &State) -> Line<'static> {
        let counts = &state.counts;
        let mut spans = Vec::new();
        for (sign, name, n) in [
            ("·", "open", counts.open),
            ("A", "accepted", counts.accepted),
            ("R", "refused", counts.refused),
            ("M", "modified", counts.modified),
        ] {
            spans.push(self.span(Role::Strong, format!("{sign} {} ", number(n))));
            spans.push(self.span(Role::Quiet, format!("{name}   ")));
        }
        let mut filters = Vec::new();
        if state.only_open {
            filters.push("only open ones (v)".to_owned());
        }
        if let Some(kind) = state.only_kind {
            filters.push(format!("only kind {} (x)", kind + 1));
        }
        if !state.needle.is_empty() {
            filters.push(format!(
                "only with `{}` (/)",
                visible(state.needle.as_bytes())
            ));
        }
        if !filters.is_empty() {
            let listed = counted(state.listed.len() as u64, "change");
            spans.push(self.span(Role::Plain, format!("{}: {listed}", filters.join(", "))));
        }
        Line::from(spans)
    }

    fn foot(&self, state: &State, width: u16) -> Paragraph<'static> {
        let message = match state.view {
            View::Find => {
                let (before, under, after) = state.editor.parts();
                let mut spans = vec![self.span(Role::Strong, "changes that hold: ")];
                spans.extend(self.typed(before, under, after, usize::from(width)));
                Line::from(spans)
            }
            View::Modify => {
                let text = "Enter takes the new text, Esc does not; Ctrl-J is a line end";
                Line::from(self.span(Role::Strong, text))
            }
            _ => Line::from(self.span(Role::Strong, state.message.clone())),
        };
        let hints = match state.view {
            View::Kinds if state.kind_list.groups.is_empty() => {
                "↓↑ move   Enter the changes of this kind   Esc back"
            }
            View::Kinds => "↓↑ move   Enter unfold, or the changes of a kind   Esc back",
            View::File => "↓↑ move   any other key: back",
            View::Modify | View::Find => "",
            _ if usize::from(width) < HINTS.width() => HINTS_NARROW,
            _ => HINTS,
        };
        Paragraph::new(vec![message, Line::from(self.span(Role::Quiet, hints))])
    }

    fn changes(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let side = (area.width / 3).clamp(20, 46);
        let [list, gap, one] = Layout::horizontal([
            Constraint::Length(side),
            Constraint::Length(2),
            Constraint::Min(18),
        ])
        .areas(area);
        let bar = vec![Line::from(self.span(Role::Quiet, "│")); usize::from(gap.height)];
        frame.render_widget(Paragraph::new(bar), gap);
        frame.render_widget(Paragraph::new(self.list(state, list)), list);
        frame.render_widget(Paragraph::new(self.one(state, one)), one);
    }

    /// The changes around the current one, under the names of their files.
    fn list(&self, state: &State, area: Rect) -> Vec<Line<'static>> {
        let (width, height) = (usize::from(area.width), usize::from(area.height));
        let file_at = |place: usize| state.plan.file_of(state.listed[place]);
        let rows_of = |place: usize| match place.checked_sub(1) {
            Some(before) if file_at(before) == file_at(place) => 1,
            _ => 2,
        };
        if state.listed.is_empty() {
            return vec![Line::from("(none)")];
        }
        // From the current one back, until a third of the height is full.
        let (mut first, mut rows) = (state.cursor, 2);
        while first > 0 && rows + rows_of(first - 1) <= height / 2 {
            first -= 1;
            rows += rows_of(first);
        }
        let mut lines = Vec::new();
        for place in first..state.listed.len() {
            if lines.len() >= height {
                break;
            }
            let index = state.listed[place];
            if place == first || rows_of(place) == 2 {
                let path = visible(&state.plan.files[state.plan.file_of(index)].path);
                lines.push(Line::from(self.span(Role::Strong, tail(&path, width))));
            }
            lines.push(self.row(state, place, width));
        }
        lines.truncate(height);
        lines
    }

    fn row(&self, state: &State, place: usize, width: usize) -> Line<'static> {
        let index = state.listed[place];
        let entry = state.plan.entries[index];
        let text = self.loaded.change(index).map_or_else(
            || "(cannot be read)".to_owned(),
            |change| {
                let (before, after) = (&*change.before, &*change.after);
                let new = match state.plan.modified.get(&index) {
                    Some(text) => visible(text),
                    None => visible(after.as_bytes()),
                };
                format!("{} → {new}", visible(before.as_bytes()))
            },
        );
        let row = format!("{} {:>5}  {text}", sign(entry.decision), entry.line);
        let row = head(&row, width);
        let row = match place == state.cursor {
            true => format!("{row}{}", " ".repeat(width.saturating_sub(row.width()))),
            false => row,
        };
        let role = match place == state.cursor {
            true => Role::Chosen,
            false if entry.decision == Decision::Open => Role::Plain,
            false => Role::Quiet,
        };
        Line::from(self.span(role, row))
    }
}
