//! One change as large as there is room for.

use crate::full_screen::fit::{head, tail};
use crate::full_screen::marked::{self, Look};
use crate::full_screen::palette::Role;
use crate::review::action::View;
use crate::review::context::Near;
use crate::review::screen::Screen;
use crate::review::screen::signs::sign;
use crate::review::state::State;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::records::field::Ordinal;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_core::span::Span as Range;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use unicode_width::UnicodeWidthStr;

impl Screen<'_> {
    /// The current change.
    pub(super) fn one(&self, state: &State, area: Rect) -> Vec<Line<'static>> {
        let width = usize::from(area.width);
        let Some(index) = state.current() else {
            return Vec::new();
        };
        let Some(change) = self.loaded.change(index) else {
            return vec![Line::from("this change cannot be read from the plan")];
        };
        let mut lines = self.about(state, index, change, width);
        lines.push(Line::default());
        let modifying = state.view == View::Modify;
        match &self.loaded.near {
            Some(found) => lines.extend(self.near(state, found, width, modifying)),
            None => {
                let note =
                    "(its surroundings cannot be shown: the file has changed, or is not UTF-8)";
                lines.push(Line::from(self.span(Role::Quiet, note)));
                let (before, after) = (&*change.before, &*change.after);
                let bytes = before.as_bytes();
                let all = Range::new(0, bytes.len());
                lines.push(self.text("was", bytes, all, Role::Was, width, state.sideways));
                let after = match state.plan.modified.get(&index) {
                    Some(text) => text.clone(),
                    None => after.as_bytes().to_vec(),
                };
                match modifying {
                    true => lines.push(self.modifying(state, width)),
                    false => {
                        let all = Range::new(0, after.len());
                        lines.push(self.text("now", &after, all, Role::Now, width, state.sideways));
                    }
                }
            }
        }
        lines.push(Line::default());
        for group in &change.groups {
            let name = match &group.name {
                Some(name) => format!("${} {name}", group.number.0),
                None => format!("${}", group.number.0),
            };
            let text = match &group.text {
                Some(text) => format!("‹{}›", visible(text.as_bytes())),
                None => "took no part".into(),
            };
            lines.push(Line::from(head(&format!("{name:<8} {text}"), width)));
        }
        lines
    }

    /// The place of a change, and its decision.
    pub(super) fn about(
        &self,
        state: &State,
        index: usize,
        change: &ChangeRecord<'_>,
        width: usize,
    ) -> Vec<Line<'static>> {
        let plan = &state.plan;
        let path = visible(&plan.files[plan.file_of(index)].path);
        let decision = plan.entries[index].decision;
        let mut place = format!("line {}", change.line.0);
        if let Some(cell) = &change.cell {
            place.push_str(&format!(", {}", visible(cell.as_bytes())));
        }
        let id = plan.id(index);
        let steps = match change.steps.as_slice() {
            [] | [Ordinal(1)] => String::new(),
            steps => format!(
                ", steps {}",
                steps
                    .iter()
                    .map(|step| step.0.to_string())
                    .collect::<Vec<_>>()
                    .join(", ")
            ),
        };
        let like = match state.kind() {
            Some(kind) => {
                let count = state.kinds.kinds[kind as usize].count;
                format!("kind {}, {}", kind + 1, counted(count, "change"))
            }
            None => "a kind of its own".into(),
        };
        vec![
            Line::from(self.span(Role::Strong, tail(&path, width))),
            Line::from(vec![
                self.span(Role::Plain, format!("change {id}, {place}{steps}   ")),
                self.span(
                    Role::Strong,
                    format!("{} {}", sign(decision), decision.name()),
                ),
            ]),
            Line::from(self.span(Role::Quiet, head(&like, width))),
        ]
    }

    pub(super) fn near(
        &self,
        state: &State,
        found: &Near,
        width: usize,
        modifying: bool,
    ) -> Vec<Line<'static>> {
        let none = Range::new(0, 0);
        let quiet = |text: &Vec<u8>| self.text("", text, none, Role::Quiet, width, state.sideways);
        let mut lines: Vec<_> = found.before.iter().map(quiet).collect();
        let (was, mark) = &found.was;
        lines.extend(self.texts("was", was, *mark, Role::Was, width, state.sideways));
        if modifying {
            lines.push(self.modifying(state, width));
        } else {
            let (now, mark) = &found.now;
            lines.extend(self.texts("now", now, *mark, Role::Now, width, state.sideways));
        }
        lines.extend(found.after.iter().map(quiet));
        lines
    }

    pub(super) fn modifying(&self, state: &State, width: usize) -> Line<'static> {
        let (before, under, after) = state.editor.parts();
        let mut spans = vec![self.span(Role::Strong, "new  ")];
        spans.extend(self.typed(before, under, after, width.saturating_sub(5)));
        Line::from(spans)
    }

    /// Text being typed, the cursor in sight.
    pub(super) fn typed(
        &self,
        before: &str,
        under: &str,
        after: &str,
        width: usize,
    ) -> Vec<Span<'static>> {
        let before = visible(before.as_bytes());
        let under = match visible(under.as_bytes()) {
            empty if empty.is_empty() => " ".to_owned(),
            text => text,
        };
        let room = width.saturating_sub(under.width() + 1);
        let shown = tail(&before, room.saturating_sub(8).max(room / 2));
        let left = room.saturating_sub(shown.width());
        vec![
            self.span(Role::Now, shown),
            self.span(Role::Chosen, under),
            self.span(Role::Now, head(&visible(after.as_bytes()), left)),
        ]
    }

    /// Several lines, the mark perhaps over more than one.
    pub(super) fn texts(
        &self,
        label: &str,
        text: &[u8],
        mark: Range,
        role: Role,
        width: usize,
        sideways: usize,
    ) -> Vec<Line<'static>> {
        if text.is_empty() {
            let line = format!("{label:<5}(nothing: the line goes, or is empty)");
            return vec![Line::from(self.span(Role::Quiet, line))];
        }
        let mut out = Vec::new();
        for line in brisk_quill_core::unit::lines(text) {
            let (from, to) = (line.content.from, line.content.to);
            let own = Range::new(
                mark.from.clamp(from, to) - from,
                mark.to.clamp(from, to) - from,
            );
            let label = if out.is_empty() { label } else { "" };
            out.push(self.text(label, &text[from..to], own, role, width, sideways));
        }
        out
    }

    /// One line with a marked part, moved so that the part is in sight.
    pub(super) fn text(
        &self,
        label: &str,
        text: &[u8],
        mark: Range,
        role: Role,
        width: usize,
        sideways: usize,
    ) -> Line<'static> {
        let room = width.saturating_sub(5).max(8);
        let quiet = matches!(role, Role::Quiet);
        let look = Look {
            plain: if quiet { Role::Quiet } else { Role::Plain },
            marked: role,
        };
        let marks: &[Range] = if quiet { &[] } else { &[mark] };
        let mut spans = vec![self.span(Role::Quiet, format!("{label:<5}"))];
        let shown = marked::spans(self.palette, (text, marks), look, (room, sideways));
        spans.extend(shown);
        Line::from(spans)
    }
}
