//! The screen of a review, drawn from its state.

mod change;
mod in_file;
mod signs;
mod windows;

use crate::full_screen::fit::{draw_lines, head, keys_that_fit, tail};
use crate::full_screen::palette::{Palette, Role};
use crate::full_screen::terminal::LEAST;
use crate::render::highlight::shortened;
use crate::review::action::View;
use crate::review::keys::{HINTS, HINTS_NARROW};
use crate::review::loaded::Loaded;
use crate::review::screen::signs::sign_role;
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
        let hints = u16::from(!state.plan.hints.is_empty());
        let [title, hint, counts, body, foot] = Layout::vertical([
            Constraint::Length(1),
            Constraint::Length(hints),
            Constraint::Length(1),
            Constraint::Min(3),
            Constraint::Length(2),
        ])
        .areas(area);
        let width = usize::from(area.width);
        let words = head(self.title, width);
        frame.render_widget(Line::from(self.span(Role::Strong, words)), title);
        frame.render_widget(self.hint(state, width), hint);
        frame.render_widget(self.counts(state, width), counts);
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
            | View::Ask
            | View::AskDrop => self.changes(frame, body, state),
        }
        frame.render_widget(self.foot(state, area.width), foot);
        match state.view {
            View::Keys => self.keys(frame, body),
            View::Hints => self.hints(frame, body, state),
            View::Every => self.every(frame, body, state),
            View::Leave => self.leave(frame, body, state),
            View::Ask => self.ask(frame, body, state),
            View::AskDrop => self.ask_drop(frame, body, state),
            View::Changes | View::Kinds | View::File | View::Modify | View::Find => {}
        }
    }

    /// The number of hints, and the first of them as far as it fits.
    fn hint(&self, state: &State, width: usize) -> Line<'static> {
        let Some(first) = state.plan.hints.first() else {
            return Line::default();
        };
        let hints = counted(state.plan.hints.len() as u64, "hint");
        let text = head(&format!("{hints}, h: {}", visible(first.as_bytes())), width);
        Line::from(self.span(Role::Hint, text))
    }

    fn span(&self, role: Role, text: impl Into<String>) -> Span<'static> {
        self.palette.span(role, text)
    }

    fn counts(&self, state: &State, width: usize) -> Line<'static> {
        let counts = &state.counts;
        let mut spans = Vec::new();
        for (decision, n) in [
            (Decision::Open, counts.open),
            (Decision::Accepted, counts.accepted),
            (Decision::Refused, counts.refused),
            (Decision::Modified, counts.modified),
        ] {
            let text = format!("{} {} ", self.palette.sign(decision), number(n));
            spans.push(self.span(sign_role(decision), text));
            spans.push(self.span(Role::Quiet, format!("{}   ", decision.name())));
        }
        if !state.listed.is_empty() {
            let at = number(state.cursor as u64 + 1);
            let place = format!("change {at} of {}   ", number(state.listed.len() as u64));
            let used: usize = spans.iter().map(Span::width).sum();
            if used + place.trim_end().width() <= width {
                spans.push(self.span(Role::Plain, place));
            }
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
            spans.push(self.span(Role::Hint, filters.join(", ")));
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
                let text = "Enter takes it, Esc does not; ← → at its ends widen the change; Ctrl-J: line end";
                Line::from(self.span(Role::Strong, text))
            }
            _ => Line::from(self.span(Role::Strong, state.message.clone())),
        };
        let hints = match state.view {
            View::Kinds if state.kind_list.groups.is_empty() => {
                "↓↑ move  A accept all  R refuse all  u undo  Enter its changes  Esc back"
            }
            View::Kinds => {
                "↓↑ move  A accept all  R refuse all  u undo  Enter unfold, or open  Esc back"
            }
            View::File => {
                "↓↑ next change  ← → scroll  a accept  r refuse  u undo  f file  d old text  w back"
            }
            View::Modify | View::Find => "",
            _ if usize::from(width) < HINTS.width() => HINTS_NARROW,
            _ => HINTS,
        };
        let hints = keys_that_fit(hints, usize::from(width));
        Paragraph::new(vec![message, Line::from(self.span(Role::Quiet, hints))])
    }

    fn changes(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let side = (area.width * 2 / 5).clamp(20, 64);
        let [list, gap, one] = Layout::horizontal([
            Constraint::Length(side),
            Constraint::Length(2),
            Constraint::Min(18),
        ])
        .areas(area);
        draw_lines(frame, gap, self.scroll_mark(state, gap));
        draw_lines(frame, list, self.list(state, list));
        draw_lines(frame, one, self.one(state, one));
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

    /// A line between the list and the change, thick where the list stands.
    fn scroll_mark(&self, state: &State, area: Rect) -> Vec<Line<'static>> {
        let (height, all) = (usize::from(area.height), state.listed.len());
        let thumb = (height * height / all.max(1)).clamp(1, height.max(1));
        let top = match all {
            0 | 1 => 0,
            all => (height - thumb.min(height)) * state.cursor / (all - 1),
        };
        let row = |row: usize| {
            let is_thumb = all > height && (top..top + thumb).contains(&row);
            let (role, sign) = match is_thumb {
                true => (Role::Strong, "┃"),
                false => (Role::Quiet, "│"),
            };
            Line::from(self.span(role, sign))
        };
        (0..height).map(row).collect()
    }

    fn row(&self, state: &State, place: usize, width: usize) -> Line<'static> {
        let index = state.listed[place];
        let entry = state.plan.entries[index];
        let is_current = place == state.cursor;
        let role = |role: Role| if is_current { Role::Chosen } else { role };
        let mut spans = vec![
            self.span(
                role(sign_role(entry.decision)),
                format!("{} ", self.palette.sign(entry.decision)),
            ),
            self.span(role(Role::Quiet), format!("{:>5}  ", entry.line)),
        ];
        let room = width.saturating_sub(9);
        match self.loaded.change(index) {
            None => spans.push(self.span(role(Role::Quiet), head("(cannot be read)", room))),
            Some(change) => {
                let modified = state.plan.modified.get(&index);
                let new = match modified {
                    Some(modified) => visible(&modified.text),
                    None => visible(change.after.as_bytes()),
                };
                let wider = modified.and_then(|modified| modified.wider.as_ref());
                let old = match wider {
                    Some(wider) => visible(&wider.before),
                    None => visible(change.before.as_bytes()),
                };
                let or_nothing = |text: String| match text.is_empty() {
                    true => "(nothing)".to_owned(),
                    false => text,
                };
                let goes = change.cell.is_none() && new.is_empty();
                let label = change
                    .label
                    .0
                    .as_deref()
                    .map(|label| visible(label.as_bytes()));
                let old = match (&label, goes) {
                    (Some(label), true) => label.clone(),
                    _ => or_nothing(old),
                };
                let new = or_nothing(new);
                let (old, new) = fit_pair(&old, &new, room);
                let left = room.saturating_sub(old.width() + new.width() + 3);
                let (before, after) = self.loaded.words(index);
                let before = match label {
                    Some(_) if goes => String::new(),
                    Some(label) => format!("{label}  "),
                    None => visible(before.as_bytes()),
                };
                let after = visible(after.as_bytes());
                let has_room = before.width() + after.width() <= left;
                let beside = |text: &str| {
                    if has_room {
                        text.to_owned()
                    } else {
                        String::new()
                    }
                };
                spans.push(self.span(role(Role::Quiet), beside(&before)));
                spans.push(self.span(role(Role::Was), old));
                spans.push(self.span(role(Role::Quiet), " → "));
                spans.push(self.span(role(Role::Now), new));
                spans.push(self.span(role(Role::Quiet), beside(&after)));
            }
        }
        if is_current {
            let used: usize = spans.iter().map(Span::width).sum();
            spans.push(self.span(Role::Chosen, " ".repeat(width.saturating_sub(used))));
        }
        Line::from(spans)
    }
}

/// The old and the new text cut in their middle to this many columns, the old one first.
fn fit_pair(old: &str, new: &str, room: usize) -> (String, String) {
    let room = room.saturating_sub(3);
    let cut = |text: &str, most: usize| shortened(text, most.saturating_sub(1) / 2, most / 2);
    if old.width() + new.width() <= room {
        return (old.to_owned(), new.to_owned());
    }
    let for_old = room
        .saturating_sub(new.width())
        .max(room / 3)
        .min(old.width());
    let new = cut(new, room.saturating_sub(for_old));
    let old = cut(old, room.saturating_sub(new.width()));
    (old, new)
}
