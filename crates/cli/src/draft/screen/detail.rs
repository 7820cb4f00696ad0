//! The row at the cursor in detail: the groups of its matches, and what the template makes of them.

use crate::draft::screen::Screen;
use crate::draft::screen::rows::place_words;
use crate::draft::state::State;
use crate::full_screen::boxes::wrapped;
use crate::full_screen::fit::{head, tail};
use crate::full_screen::palette::Role;
use crate::render::why::reason_words;
use brisk_quill_core::escape::visible;
use brisk_quill_core::near_miss::NearMisses;
use brisk_quill_engine::draft::detail::MatchDetail;
use brisk_quill_engine::draft::row::RowKind;
use ratatui::layout::Rect;
use ratatui::text::Line;

/// The least height of a pane in which groups come before what is made of them.
const ROOMY: u16 = 7;

impl Screen<'_> {
    pub(super) fn detail(&self, state: &State, area: Rect) -> Vec<Line<'static>> {
        let width = usize::from(area.width);
        let Some(row) = state.list.current() else {
            return Vec::new();
        };
        let mut lines = vec![Line::from(
            self.span(Role::Strong, tail(&place_words(state, row), width)),
        )];
        if let RowKind::Miss(reason) = &row.kind {
            let built = state.known.built.as_ref().and_then(|built| built.step());
            let wanted = built.and_then(|step| NearMisses::new(&step.query().pattern));
            if let Some(wanted) = wanted {
                let words = reason_words(reason, wanted.parts());
                lines.extend(wrapped(&words, width).into_iter().map(Line::from));
            }
        }
        let mut at_cursor = 0..0;
        for (number, found) in state.detail.iter().flatten().enumerate() {
            let from = lines.len();
            let names_cell = row.cell.is_none();
            self.one_match(&mut lines, (number, found, names_cell), area);
            if number == state.list.mark {
                at_cursor = from..lines.len();
            }
        }
        let height = usize::from(area.height);
        if at_cursor.end >= height && at_cursor.start > 1 {
            // The match at the cursor is in sight, under the place.
            lines.drain(1..at_cursor.start);
        }
        if lines.len() > height && height > 0 {
            lines.truncate(height - 1);
            lines.push(Line::from(self.span(Role::Quiet, "…")));
        }
        lines
    }

    fn one_match(
        &self,
        lines: &mut Vec<Line<'static>>,
        (number, found, names_cell): (usize, &MatchDetail, bool),
        area: Rect,
    ) {
        let width = usize::from(area.width);
        let shown = |text: &[u8]| format!("‹{}›", visible(text));
        let cell = found.cell.as_ref().filter(|_| names_cell);
        let cell = cell.map(|cell| format!("   in {}", visible(cell.as_bytes())));
        let left_out = if found.is_taken { "" } else { "   left out" };
        lines.push(Line::from(vec![
            self.span(Role::Quiet, format!("match {:<3}", number + 1)),
            self.span(
                Role::Match,
                head(&shown(&found.text), width.saturating_sub(9)),
            ),
            self.span(Role::Quiet, cell.unwrap_or_default() + left_out),
        ]));
        let first = lines.len();
        for group in &found.groups {
            let name = match &group.name {
                Some(name) => format!("  ${} {name}", group.number),
                None => format!("  ${}", group.number),
            };
            let name = format!("{name:<8} ");
            let text = match &group.text {
                Some(text) => head(&shown(text), width.saturating_sub(name.len())),
                None => "took no part".to_owned(),
            };
            lines.push(Line::from(vec![
                self.span(Role::Quiet, name),
                self.span(Role::Plain, text),
            ]));
        }
        let groups = lines.len() - first;
        for (reference, written) in &found.written {
            let name = format!("  {} ", visible(reference.as_bytes()));
            let (role, text) = match written {
                Ok(text) => (Role::Now, shown(text)),
                Err(why) => (Role::Problem, why.clone()),
            };
            let text = head(&text, width.saturating_sub(name.len() + 2));
            lines.push(Line::from(vec![
                self.span(Role::Quiet, name),
                self.span(Role::Quiet, "→ "),
                self.span(role, text),
            ]));
        }
        if area.height < ROOMY {
            // The result goes first where not all of it can be shown.
            lines[first..].rotate_left(groups);
        }
    }
}
