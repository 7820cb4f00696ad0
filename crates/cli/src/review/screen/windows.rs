//! The windows that lie over the list of changes.

use crate::full_screen::boxes::{self, wrapped};
use crate::full_screen::fit::{head, tail};
use crate::full_screen::palette::Role;
use crate::render::decisions::what_is_written;
use crate::review::action::Group;
use crate::review::keys::KEYS;
use crate::review::loaded::SAMPLES;
use crate::review::screen::Screen;
use crate::review::screen::signs::sign_role;
use crate::review::state::State;
use crate::review::state::kind_list::KindRow;
use brisk_quill_core::escape::{visible, visible_blanks};
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::plan::decision::{Decision, DecisionCounts};
use brisk_quill_core::records::plan::ChangeRecord;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use unicode_width::UnicodeWidthStr;

/// A row of the list of kinds: what it holds, as text.
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
        // The samples stand below, with a line of their own above them.
        let listed = height.saturating_sub(SAMPLES + 3).max(3);
        let first = state.kind_cursor.saturating_sub(listed / 2);
        let decided = state.decided_by_kind();
        let rows = list.rows.iter().enumerate().skip(first).take(listed);
        let rows: Vec<_> = rows
            .map(|(number, row)| {
                let kinds = list.kinds_of(*row);
                (
                    number,
                    kind_row(state, *row),
                    self.state_of(state, &kinds, &decided),
                )
            })
            .collect();
        let states = rows
            .iter()
            .map(|(_, _, state)| Line::from(state.clone()).width());
        let texts = rows.iter().map(|(_, text, _)| text.width());
        let left = width.saturating_sub(states.max().unwrap_or(0));
        let room = texts.max().unwrap_or(0).min(left);
        for (number_of, text, state_of) in rows {
            let role = match number_of == state.kind_cursor {
                true => Role::Chosen,
                false => Role::Plain,
            };
            let text = head(&text, room);
            let blanks = " ".repeat(room.saturating_sub(text.width()));
            let mut line = Line::from(self.span(role, text + &blanks));
            line.extend(state_of);
            lines.push(line);
        }
        lines.push(Line::default());
        lines.push(Line::from(self.span(Role::Quiet, "examples")));
        let samples = self.loaded.samples.iter();
        lines.extend(samples.map(|sample| self.sample(state, sample, width)));
        frame.render_widget(Paragraph::new(lines), area);
    }

    /// A change of a kind in its line, and where it stands.
    fn sample(
        &self,
        state: &State,
        (index, change, (before, after)): &(usize, ChangeRecord<'static>, (String, String)),
        width: usize,
    ) -> Line<'static> {
        let path = visible(&state.plan.files[state.plan.file_of(*index)].path);
        let place = tail(&format!("{path}, line {}", change.line.0), width / 3);
        let or_nothing = |text: String| {
            if text.is_empty() {
                "‹›".to_owned()
            } else {
                text
            }
        };
        let old = or_nothing(visible_blanks(change.before.as_bytes()));
        let new = or_nothing(visible_blanks(change.after.as_bytes()));
        let (old, new) = (head(&old, width / 4), head(&new, width / 4));
        let left = width.saturating_sub(place.width() + old.width() + new.width() + 7);
        let before = tail(&visible(before.as_bytes()), left / 2);
        let after = head(&visible(after.as_bytes()), left - before.width().min(left));
        Line::from(vec![
            self.span(Role::Quiet, format!("{place}  ")),
            self.span(Role::Plain, before),
            self.span(Role::Was, old),
            self.span(Role::Quiet, " → "),
            self.span(Role::Now, new),
            self.span(Role::Plain, after),
        ])
    }

    /// The decisions about some kinds, and a warning where changes of theirs lie within words.
    fn state_of(
        &self,
        state: &State,
        kinds: &[usize],
        decided: &[DecisionCounts],
    ) -> Vec<Span<'static>> {
        let counts = kinds.iter().map(|kind| decided[*kind]);
        let counts = counts.fold(DecisionCounts::default(), DecisionCounts::plus);
        let within: u64 = kinds.iter().map(|kind| state.within_words[*kind]).sum();
        let mut spans = self.decided(counts);
        if within > 0 {
            let warning = format!("  {} within a word", number(within));
            spans.push(self.span(Role::Hint, warning));
        }
        spans
    }

    /// "  A 12  R 1  · 4"
    fn decided(&self, counts: DecisionCounts) -> Vec<Span<'static>> {
        let all = [
            (Decision::Accepted, counts.accepted),
            (Decision::Modified, counts.modified),
            (Decision::Refused, counts.refused),
            (Decision::Open, counts.open),
        ];
        let some = all.into_iter().filter(|(_, n)| *n > 0);
        some.map(|(decision, n)| {
            let text = format!("  {} {}", self.palette.sign(decision), number(n));
            self.span(sign_role(decision), text)
        })
        .collect()
    }

    pub(super) fn file(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let (width, height) = (usize::from(area.width), usize::from(area.height));
        let Some(file) = &self.loaded.file else {
            return;
        };
        let lines = match file {
            Err(error) => vec![Line::from(error.to_string())],
            Ok((rows, at)) => {
                let last = rows.len().saturating_sub(1);
                let top = (at.saturating_sub(height / 3)).saturating_add_signed(state.scroll);
                self.whole_file(rows, (top.min(last), *at), (width, height))
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
        let counts = &state.counts;
        let undecided = state.plan.is_undecided(counts);
        let apply = match undecided {
            true => format!(
                "apply all {}: nothing is decided",
                counted(counts.total(), "change")
            ),
            false => match counts.modified {
                0 => format!("apply the {}", counted(counts.accepted, "accepted change")),
                modified => format!(
                    "apply the {} accepted and {} modified",
                    number(counts.accepted),
                    number(modified)
                ),
            },
        };
        let mut rows = vec![("1", apply)];
        if !undecided && counts.open > 0 {
            let open = counted(counts.open, "open one");
            rows.push(("2", format!("accept the {open} too, and apply")));
        }
        rows.push(("3", "save the decisions, and go on later".to_owned()));
        let made = counted(state.made() as u64, "decision");
        rows.push(("4", format!("drop the {made} of this review")));
        let row = |(key, does): (&str, String)| {
            Line::from(vec![
                self.span(Role::Strong, format!("{key}  ")),
                self.span(Role::Plain, does),
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
        let rows = vec![
            Line::from(self.span(Role::Strong, format!("Write {write} in {files}?"))),
            Line::from(self.span(Role::Plain, what_is_written(&state.plan))),
            Line::default(),
            Line::from(self.span(Role::Strong, "y writes them; any other key: back")),
        ];
        boxes::draw(frame, area, "apply", rows, 0);
    }

    pub(super) fn ask_drop(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let made = counted(state.made() as u64, "decision");
        let rows = vec![
            Line::from(self.span(Role::Strong, format!("Drop the {made} of this review?"))),
            Line::from(self.span(
                Role::Plain,
                "Those that were made before stay, and nothing is written.",
            )),
            Line::default(),
            Line::from(self.span(Role::Strong, "y drops them; any other key: back")),
        ];
        boxes::draw(frame, area, "drop", rows, 0);
    }
}
