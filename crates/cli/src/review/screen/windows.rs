//! The windows that lie over the list of changes.

use crate::full_screen::boxes::{self, wrapped};
use crate::full_screen::fit::head;
use crate::full_screen::palette::Role;
use crate::review::action::Group;
use crate::review::keys::KEYS;
use crate::review::screen::Screen;
use crate::review::state::State;
use crate::review::state::kind_list::KindRow;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::{counted, number};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use unicode_width::UnicodeWidthStr;

/// A row of the list of kinds.
fn kind_row(state: &State, row: KindRow) -> String {
    let list = &state.kind_list;
    let shown = |text: &[u8]| match visible(text) {
        empty if empty.is_empty() => "(nothing)".to_owned(),
        text => text,
    };
    match row {
        KindRow::Group(number_of) => {
            let group = &list.groups[number_of];
            let sign = if list.is_unfolded(number_of) {
                "▾"
            } else {
                "▸"
            };
            let (kinds, count) = (number(group.kinds.len() as u64), number(group.count));
            let (before, after) = &list.shown[number_of];
            let example = &state.kinds.kinds[group.kinds[0]];
            let example = format!("{} → {}", shown(&example.before), shown(&example.after));
            let (before, after) = (shown(before.as_bytes()), shown(after.as_bytes()));
            format!("{sign}{kinds:>5} {count:>8}  {before} → {after}   as {example}")
        }
        KindRow::Kind(kind_number) => {
            let kind = &state.kinds.kinds[kind_number];
            // Below its group it stands further right.
            let (sign, indent) = match list.groups.is_empty() {
                true => ("", ""),
                false => (" ", "    "),
            };
            let (count, before, after) =
                (number(kind.count), shown(&kind.before), shown(&kind.after));
            format!(
                "{sign}{:>5} {count:>8}  {indent}{before} → {after}",
                kind_number + 1
            )
        }
    }
}

impl Screen<'_> {
    pub(super) fn kinds(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let (width, height) = (usize::from(area.width), usize::from(area.height));
        let list = &state.kind_list;
        let title = match list.groups.is_empty() {
            true => " kind    count  was → now",
            false => {
                " kinds   count  shape before → shape after; Enter unfolds a pair into its kinds"
            }
        };
        let mut lines = vec![Line::from(self.span(Role::Quiet, head(title, width)))];
        let first = state.kind_cursor.saturating_sub(height / 2);
        for (number, row) in list
            .rows
            .iter()
            .enumerate()
            .skip(first)
            .take(height.saturating_sub(1))
        {
            let text = kind_row(state, *row);
            let role = match number == state.kind_cursor {
                true => Role::Chosen,
                false => Role::Plain,
            };
            let text = head(&text, width);
            let blanks = " ".repeat(width.saturating_sub(text.width()));
            lines.push(Line::from(self.span(role, text + &blanks)));
        }
        frame.render_widget(Paragraph::new(lines), area);
    }

    pub(super) fn file(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let (width, height) = (usize::from(area.width), usize::from(area.height));
        let Some(file) = &self.loaded.file else {
            return;
        };
        let lines = match file {
            Err(error) => vec![Line::from(error.to_string())],
            Ok((lines, at)) => {
                let last = lines.len().saturating_sub(1);
                let top = (at.saturating_sub(height / 3)).saturating_add_signed(state.file_scroll);
                let numbered = lines.iter().enumerate().skip(top.min(last)).take(height);
                let line = |(number, text): (usize, &Vec<u8>)| {
                    let role = if number == *at {
                        Role::Strong
                    } else {
                        Role::Plain
                    };
                    Line::from(vec![
                        self.span(Role::Quiet, format!("{:>6}  ", number + 1)),
                        self.span(role, head(&visible(text), width.saturating_sub(8))),
                    ])
                };
                numbered.map(line).collect()
            }
        };
        frame.render_widget(Paragraph::new(lines), area);
    }

    pub(super) fn keys(&self, frame: &mut Frame<'_>, area: Rect) {
        let row = |(keys, does): &(&str, &str)| {
            Line::from(vec![
                self.span(Role::Strong, format!("{keys:<5}")),
                self.span(Role::Plain, (*does).to_owned()),
            ])
        };
        boxes::draw(
            frame,
            area,
            "keys (any key: back)",
            KEYS.iter().map(row).collect(),
            0,
        );
    }

    pub(super) fn hints(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let width = usize::from(area.width).saturating_sub(6).max(20);
        let mut rows = Vec::new();
        for hint in &state.plan.hints {
            for line in wrapped(hint, width) {
                rows.push(Line::from(self.span(Role::Plain, line)));
            }
        }
        if rows.is_empty() {
            rows.push(Line::from(
                self.span(Role::Plain, "nothing looks like a mistake".to_owned()),
            ));
        }
        boxes::draw(frame, area, "hints (any key: back)", rows, 0);
    }

    pub(super) fn every(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let rows = [
            (Group::Kind, "of this kind", "1", "2"),
            (Group::File, "of this file", "3", "4"),
            (Group::Rest, "that is open", "5", "6"),
        ];
        let row = |(group, what, accept, refuse): (Group, &str, &str, &str)| {
            let open = counted(state.open_in(group) as u64, "open change");
            Line::from(vec![
                self.span(Role::Strong, accept.to_owned()),
                self.span(Role::Plain, " accept  ".to_owned()),
                self.span(Role::Strong, refuse.to_owned()),
                self.span(Role::Plain, format!(" refuse  all {what}: {open} ")),
            ])
        };
        let rows = rows.into_iter().map(row).collect();
        boxes::draw(frame, area, "every… (any other key: back)", rows, 0);
    }

    pub(super) fn leave(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let write = counted(state.would_write(), "change");
        let rows = [
            ("a", format!("apply now: {write}")),
            ("s", "save the decisions, and go on later".to_owned()),
            ("d", "drop what was decided in this review".to_owned()),
        ];
        let row = |(key, does): (&str, String)| {
            Line::from(vec![
                self.span(Role::Strong, format!("{key}  ")),
                self.span(Role::Plain, format!("{does} ")),
            ])
        };
        let rows = rows.into_iter().map(row).collect();
        boxes::draw(frame, area, "leave? (any other key: back)", rows, 0);
    }

    pub(super) fn ask(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let counts = &state.counts;
        let undecided = state.plan.is_undecided(counts);
        let files = state.plan.files.iter();
        let writes = |file: &&brisk_quill_core::plan::PlanFile| {
            let entries = &state.plan.entries[file.first..file.end];
            undecided && !entries.is_empty() || entries.iter().any(|e| e.decision.writes())
        };
        let files = counted(files.filter(writes).count() as u64, "file");
        let write = counted(state.would_write(), "change");
        let mut rows = vec![Line::from(
            self.span(Role::Strong, format!("Write {write} in {files}?")),
        )];
        for (name, n) in [
            ("accepted", counts.accepted),
            ("modified", counts.modified),
            ("refused: not written", counts.refused),
            (
                if undecided {
                    "open: nothing is decided, so all are written"
                } else {
                    "open: not written"
                },
                counts.open,
            ),
        ] {
            if n > 0 {
                rows.push(Line::from(
                    self.span(Role::Plain, format!("{:>8} {name} ", number(n))),
                ));
            }
        }
        rows.push(Line::default());
        rows.push(Line::from(
            self.span(Role::Strong, "y writes them; any other key: back "),
        ));
        boxes::draw(frame, area, "apply", rows, 0);
    }
}
