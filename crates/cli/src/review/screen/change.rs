//! One change as large as there is room for.

use crate::full_screen::boxes::wrapped;
use crate::full_screen::fit::{head, tail};
use crate::full_screen::palette::Role;
use crate::render::decisions::opinion_text;
use crate::review::action::View;
use crate::review::screen::Screen;
use crate::review::screen::signs::{role_of, sign_role};
use crate::review::state::State;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::plan::opinion::Opinions;
use brisk_quill_core::records::field::Ordinal;
use brisk_quill_core::records::plan::{ChangeRecord, GroupText};
use brisk_quill_engine::context::PieceOf;
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
        if change.cell.is_some() {
            self.table(&mut lines, state, (index, change), width);
        } else if self.loaded.row.is_some() {
            // Its cells stand below.
            match change.after.is_empty() && !modifying {
                true => lines.push(Line::from(self.span(Role::Was, "the row goes"))),
                false => self.pair(&mut lines, state, (index, change), width),
            }
            lines.push(Line::default());
        }
        let groups = self.groups(change, width);
        let room = usize::from(area.height).saturating_sub(lines.len() + groups.len() + 1);
        match (&self.loaded.row, &self.loaded.near) {
            (Some(row), _) => {
                let shown = self.rest_of_row(row, width).into_iter();
                let top = state.scroll.max(0).unsigned_abs();
                lines.extend(shown.skip(top).take(room));
            }
            (None, Some(found)) => {
                let is_typed = modifying && change.cell.is_none();
                let (shown, first) = self.in_file(state, found, (width, is_typed));
                // The change stands in the upper middle, unless all of it fits.
                let top = first
                    .saturating_sub(room / 3)
                    .min(shown.len().saturating_sub(room));
                let top = top
                    .saturating_add_signed(state.scroll)
                    .min(shown.len().saturating_sub(1));
                lines.extend(shown.into_iter().skip(top).take(room));
            }
            (None, None) => {
                let note =
                    "(its surroundings cannot be shown: the file has changed, or is not UTF-8)";
                lines.push(Line::from(self.span(Role::Quiet, note)));
                if change.cell.is_none() {
                    self.pair(&mut lines, state, (index, change), width);
                }
            }
        }
        lines.push(Line::default());
        lines.extend(groups);
        lines
    }

    /// The groups of its match.
    fn groups(&self, change: &ChangeRecord<'_>, width: usize) -> Vec<Line<'static>> {
        let line = |group: &GroupText<'_>| {
            let name = match &group.name {
                Some(name) => format!("${} {name}", group.number.0),
                None => format!("${}", group.number.0),
            };
            let text = match &group.text {
                Some(text) => format!("‹{}›", visible(text.as_bytes())),
                None => "took no part".into(),
            };
            Line::from(head(&format!("{name:<8} {text}"), width))
        };
        change.groups.iter().map(line).collect()
    }

    /// A cell: its row and column, as it is and as it becomes.
    fn table(
        &self,
        lines: &mut Vec<Line<'static>>,
        state: &State,
        (index, change): (usize, &ChangeRecord<'_>),
        width: usize,
    ) {
        let cell = change.cell.as_deref().unwrap_or_default();
        let what = if cell.starts_with('/') {
            "pointer"
        } else {
            "column"
        };
        lines.push(Line::from(vec![
            self.span(Role::Quiet, format!("{what:<9}")),
            self.span(
                Role::Strong,
                head(&visible(cell.as_bytes()), width.saturating_sub(9)),
            ),
        ]));
        self.pair(lines, state, (index, change), width);
        lines.push(Line::default());
    }

    /// The other columns of its row, as they are.
    fn rest_of_row(&self, row: &[(String, Vec<u8>)], width: usize) -> Vec<Line<'static>> {
        let names = || row.iter().map(|(name, _)| visible(name.as_bytes()));
        let widest = names().map(|name| name.width()).max().unwrap_or_default();
        let room = widest.max(7).min(width / 3) + 2;
        let line = |(name, (_, value)): (String, &(String, Vec<u8>))| {
            let name = head(&name, room - 2);
            let fill = room.saturating_sub(name.width());
            let value = match value.is_empty() {
                true => "(empty)".to_owned(),
                false => visible(value),
            };
            let mut parts = wrapped(&value, width.saturating_sub(room).max(8)).into_iter();
            let first = parts.next().unwrap_or_default();
            let mut lines = vec![Line::from(vec![
                self.span(Role::Quiet, format!("{name}{:fill$}", "")),
                self.span(Role::Plain, first),
            ])];
            lines.extend(parts.map(|part| Line::from(format!("{:room$}{part}", ""))));
            lines
        };
        names().zip(row).flat_map(line).collect()
    }

    /// The old and the new text, or the one that is typed.
    fn pair(
        &self,
        lines: &mut Vec<Line<'static>>,
        state: &State,
        (index, change): (usize, &ChangeRecord<'_>),
        width: usize,
    ) {
        self.whole_text(
            lines,
            ("was", PieceOf::Was),
            change.before.as_bytes(),
            width,
        );
        let after = match state.plan.modified.get(&index) {
            Some(modified) => &modified.text,
            None => change.after.as_bytes(),
        };
        match state.view == View::Modify {
            true => lines.push(self.modifying(state, width)),
            false => self.whole_text(lines, ("now", PieceOf::Now), after, width),
        }
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
        if let Some(label) = &change.label.0 {
            place.push_str(&format!(" of {}", visible(label.as_bytes())));
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
        let mut lines = vec![
            Line::from(self.span(Role::Strong, tail(&path, width))),
            Line::from(vec![
                self.span(Role::Plain, format!("change {id}, {place}{steps}   ")),
                self.span(
                    sign_role(decision),
                    format!("{} {}", self.palette.sign(decision), decision.name()),
                ),
            ]),
            Line::from(self.span(Role::Quiet, head(&like, width))),
        ];
        let opinions = plan.opinions.get(&index).map_or(&[][..], Opinions::all);
        for opinion in opinions {
            for line in wrapped(&opinion_text(opinion), width) {
                lines.push(Line::from(self.span(role_of(opinion.decision), line)));
            }
        }
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
}
