//! The boxes over a draft.

use crate::draft::action::Window;
use crate::draft::keys::KEYS;
use crate::draft::screen::Screen;
use crate::draft::state::State;
use crate::full_screen::boxes::{self, wrapped};
use crate::full_screen::palette::Role;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::counted;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

impl Screen<'_> {
    /// The box that is open.
    pub(super) fn window(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let Some(window) = state.window else { return };
        let width = usize::from(area.width).saturating_sub(6).max(20);
        let (title, lines) = match window {
            Window::Keys => ("keys (↓↑ move, any other key: back)", self.keys(width)),
            Window::Hints => (
                "hints and problems (a number applies the remedy; any other key: back)",
                self.hints(state, width),
            ),
            Window::Leave => ("leave? (any other key: back)", self.leave(state)),
            Window::Save => (
                "save as a rewrite file (Enter saves, Esc does not)",
                self.typed(state, width),
            ),
            Window::WantedText => (
                "the text that is wanted (Enter makes the example, Esc does not)",
                self.typed(state, width),
            ),
        };
        boxes::draw(frame, area, title, lines, state.window_scroll);
    }

    fn keys(&self, width: usize) -> Vec<Line<'static>> {
        let mut lines = Vec::new();
        for (keys, does) in KEYS {
            if keys.is_empty() {
                lines.push(Line::from(self.span(Role::Strong, *does)));
                continue;
            }
            for (number, text) in wrapped(does, width.saturating_sub(9))
                .into_iter()
                .enumerate()
            {
                let keys = if number == 0 { *keys } else { "" };
                lines.push(Line::from(vec![
                    self.span(Role::Match, format!("  {keys:<7}")),
                    self.span(Role::Plain, text),
                ]));
            }
        }
        lines
    }

    fn hints(&self, state: &State, width: usize) -> Vec<Line<'static>> {
        let mut lines = Vec::new();
        let Some(counted_of) = &state.known.counted else {
            return vec![Line::from(
                self.span(Role::Quiet, "they are known once all is counted"),
            )];
        };
        for (number, hint) in counted_of.hints.shown.iter().enumerate() {
            let text = format!("{}  {}: {}.", number + 1, hint.name, hint.message);
            for line in wrapped(&text, width) {
                lines.push(Line::from(self.span(Role::Plain, line)));
            }
            if let Some(remedy) = &hint.remedy {
                for line in wrapped(&remedy.to_string(), width.saturating_sub(3)) {
                    lines.push(Line::from(self.span(Role::Hint, format!("   {line}"))));
                }
            }
        }
        if let Some(others) = counted_of.hints.others() {
            lines.push(Line::from(self.span(Role::Quiet, others)));
        }
        for (file, problem) in &counted_of.problems {
            let name = super::fields::name_of_file(state, *file);
            let line = problem
                .line
                .map_or_else(String::new, |line| format!(", line {line}"));
            let text = format!("problem  {name}{line}: {}", problem.kind);
            for line in wrapped(&visible(text.as_bytes()), width) {
                lines.push(Line::from(self.span(Role::Problem, line)));
            }
        }
        if lines.is_empty() {
            lines.push(Line::from(
                self.span(Role::Plain, "nothing looks like a mistake"),
            ));
        }
        lines
    }

    fn leave(&self, state: &State) -> Vec<Line<'static>> {
        let changes = state.known.counts.map_or(0, |counts| counts.changes);
        let review = match state.known.counted.is_some() {
            true => format!("review the {}, then apply them", counted(changes, "change")),
            false => "review the changes, then apply them".to_owned(),
        };
        let rows = [
            ("r", review),
            ("s", "save as a rewrite file, with the examples".to_owned()),
            ("p", "print the command line that says the same".to_owned()),
            ("c", "close; nothing is kept".to_owned()),
        ];
        let row = |(key, does): (&str, String)| {
            Line::from(vec![
                self.span(Role::Strong, format!("{key}  ")),
                self.span(Role::Plain, does),
            ])
        };
        rows.into_iter().map(row).collect()
    }

    fn typed(&self, state: &State, width: usize) -> Vec<Line<'static>> {
        let (before, under, after) = state.input.parts();
        let under = match under.is_empty() || under == "\n" {
            true => " ".to_owned(),
            false => visible(under.as_bytes()),
        };
        let before = crate::full_screen::fit::tail(&visible(before.as_bytes()), width * 2 / 3);
        let after = crate::full_screen::fit::head(&visible(after.as_bytes()), width / 3);
        vec![Line::from(vec![
            self.span(Role::Now, before),
            self.span(Role::Chosen, under),
            self.span(Role::Now, after),
        ])]
    }
}
