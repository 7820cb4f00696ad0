//! The sample, while it is typed.

use crate::draft::action::Focus;
use crate::draft::screen::Screen;
use crate::draft::screen::fields::in_sight_of;
use crate::draft::state::State;
use crate::full_screen::fit::{draw_lines, head};
use crate::full_screen::palette::Role;
use brisk_quill_core::escape::visible;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// Columns before the text: the number of the line.
const MARGIN: usize = 6;
/// The least number of lines that are in sight, with the title above them.
const LEAST: u16 = 4;

impl Screen<'_> {
    /// The rows of the screen that the sample takes: a third, or less where it is short.
    pub(super) fn sample_height(state: &State, height: u16) -> u16 {
        if state.focus != Focus::Sample {
            return 0;
        }
        let lines = state.sample.field.text().split('\n').count() + 1;
        let wanted = u16::try_from(lines).unwrap_or(u16::MAX);
        wanted.clamp(LEAST, (height / 3).max(LEAST))
    }

    /// Draws the sample; gives the place of the cursor on the screen.
    pub(super) fn sample(
        &self,
        frame: &mut Frame<'_>,
        area: Rect,
        state: &State,
    ) -> Option<(u16, u16)> {
        let rows = usize::from(area.height.checked_sub(2)?) + 1;
        let field = &state.sample.field;
        let (text, cursor) = (field.text(), field.cursor());
        let width = usize::from(area.width);
        let room = width.saturating_sub(MARGIN + 1);
        let current = text[..cursor].matches('\n').count();
        let all = text.split('\n').count();
        let first = current
            .saturating_sub(rows / 2)
            .min(all.saturating_sub(rows));
        let title = match text.is_empty() {
            true => " the sample: type a text, or paste one",
            false => " the sample",
        };
        let mut lines = vec![Line::from(self.span(Role::Strong, head(title, width)))];
        let mut place = None;
        for (number, line) in text.split('\n').enumerate().skip(first).take(rows) {
            let margin = self.span(Role::Quiet, format!("{:>4}  ", number + 1));
            if number != current {
                let text = head(&visible(line.as_bytes()), room);
                lines.push(Line::from(vec![margin, self.span(Role::Plain, text)]));
                continue;
            }
            let start = text[..cursor].rfind('\n').map_or(0, |at| at + 1);
            let (before, after) = line.split_at(cursor - start);
            let under = after.graphemes(true).next().unwrap_or_default();
            let seen = in_sight_of((before, under, &after[under.len()..]), room);
            let cut = if seen.is_cut { "…" } else { "" };
            let column = MARGIN + cut.width() + visible(&before.as_bytes()[seen.from..]).width();
            // There are few rows.
            let row = lines.len() as u16;
            place = Some((
                area.x + u16::try_from(column).unwrap_or(u16::MAX),
                area.y + row,
            ));
            lines.push(Line::from(vec![
                margin,
                self.span(Role::Quiet, cut),
                self.span(Role::Plain, seen.text),
            ]));
        }
        draw_lines(frame, area, lines);
        place
    }
}
