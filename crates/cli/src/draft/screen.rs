//! The screen of a draft, drawn from its state.

mod detail;
mod fields;
mod rows;
mod windows;

use crate::draft::action::{Focus, ListView};
use crate::draft::keys::{IN_FIELD, IN_LIST, IN_LIST_NARROW};
use crate::draft::state::State;
use crate::full_screen::fit::head;
use crate::full_screen::palette::{Palette, Role};
use crate::full_screen::terminal::LEAST;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::{counted, number};
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use std::path::PathBuf;
use unicode_width::UnicodeWidthStr;

/// The least width of a screen whose detail stands beside the list.
const WIDE: u16 = 110;

/// Facts that are not part of the state.
#[derive(Debug, Default)]
pub struct Facts {
    /// How far counting has come.
    pub percent: Option<u8>,
    pub paths: Vec<PathBuf>,
    /// Bytes of standard input so far, and whether that is all.
    pub sample: Option<(u64, bool)>,
}

/// Draws drafts.
pub struct Screen<'s> {
    pub palette: Palette,
    pub facts: &'s Facts,
}

impl Screen<'_> {
    pub fn draw(&self, frame: &mut Frame<'_>, state: &State) {
        let area = frame.area();
        if area.width < LEAST.0 || area.height < LEAST.1 {
            let text = format!(
                "too small: {}x{}\nat least {}x{}\n(Ctrl-C leaves)",
                area.width, area.height, LEAST.0, LEAST.1
            );
            frame.render_widget(Paragraph::new(text), area);
            return;
        }
        let fields = self.fields(state, area.width, area.height);
        let [top, of_fields, counts, views, body, foot] = Layout::vertical([
            Constraint::Length(1),
            // There are few.
            Constraint::Length(fields.lines.len() as u16),
            Constraint::Length(1),
            Constraint::Length(1),
            Constraint::Min(1),
            Constraint::Length(2),
        ])
        .areas(area);
        frame.render_widget(self.title(state, top.width), top);
        frame.render_widget(Paragraph::new(fields.lines), of_fields);
        frame.render_widget(self.counts(state, counts.width), counts);
        frame.render_widget(self.views(state), views);
        self.body(frame, body, state);
        frame.render_widget(self.foot(state, area.width), foot);
        self.window(frame, body, state);
        if let (Some((column, row)), None) = (fields.cursor, state.window) {
            frame.set_cursor_position((of_fields.x + column, of_fields.y + row));
        }
    }

    fn span(&self, role: Role, text: impl Into<String>) -> Span<'static> {
        self.palette.span(role, text)
    }

    fn title(&self, state: &State, width: u16) -> Line<'static> {
        let mut spans = vec![self.span(Role::Strong, "draft  ")];
        let paths = self
            .facts
            .paths
            .iter()
            .map(|path| match path.as_os_str() == "-" {
                true => "standard input".to_owned(),
                false => visible_path(path),
            });
        let paths = paths.collect::<Vec<_>>().join(" ");
        let mut about = String::new();
        if let Some((bytes, is_over)) = self.facts.sample {
            let more = if is_over {
                ""
            } else {
                " so far, more may come"
            };
            about = format!(", {}{more}", counted(bytes, "byte"));
        } else if let Some(built) = &state.known.built {
            about = format!(
                ", {}",
                counted(built.sources.listing.sources.len() as u64, "file")
            );
        }
        let steps = match state.steps.len() {
            1 => String::new(),
            all => format!("   step {} of {all}", state.step + 1),
        };
        let room = usize::from(width).saturating_sub(7 + about.width() + steps.width());
        spans.push(self.span(Role::Plain, head(&paths, room.max(8))));
        spans.push(self.span(Role::Quiet, about));
        spans.push(self.span(Role::Strong, steps));
        Line::from(spans)
    }

    /// The counts, and how they differ from those of the last try.
    fn counts(&self, state: &State, width: u16) -> Line<'static> {
        let mut spans = Vec::new();
        let mut push = |role: Role, text: String| spans.push(self.palette.span(role, text));
        let known = &state.known;
        if let Some(failed) = &known.failed {
            push(Role::Problem, format!("{} ", failed.message));
        }
        let has_step = known
            .built
            .as_ref()
            .is_some_and(|built| built.step().is_some());
        match known.counts.filter(|_| has_step) {
            None if has_step => push(Role::Quiet, "counting".to_owned()),
            None => push(
                Role::Quiet,
                "nothing is matched yet: all text is shown".to_owned(),
            ),
            Some(counts) => {
                let hints = known.counted.as_ref().map_or(0, |counted| {
                    counted.hints.shown.len() as u64 + counted.hints.more
                });
                let left_out = counts.left_out.total();
                for (n, thing, role, always) in [
                    (counts.matches, "match", Role::Strong, true),
                    (counts.changes, "change", Role::Strong, true),
                    (counts.files, "file", Role::Strong, true),
                    (counts.kinds, "kind", Role::Plain, counts.changes > 0),
                    (left_out, "left out", Role::Plain, false),
                    (counts.problems, "problem", Role::Problem, true),
                    (hints, "hint", Role::Hint, true),
                ] {
                    if n == 0 && !always {
                        continue;
                    }
                    let role = if n == 0 { Role::Quiet } else { role };
                    let text = match thing {
                        "left out" => format!("{} left out", number(n)),
                        thing => counted(n, thing),
                    };
                    push(role, format!("{text}  "));
                }
            }
        }
        let unmet = known.counted.as_ref().map_or(0, |counted| counted.unmet);
        if unmet > 0 {
            push(Role::Problem, format!("{} not as ensured  ", number(unmet)));
        }
        if let Some(Some(compared)) = known.compared {
            let text = format!(
                "+{} −{} ~{} ",
                number(compared.only_this),
                number(compared.only_last),
                number(compared.different)
            );
            push(Role::Strong, text);
            let base = match state.tries.chosen() {
                Some(number) => format!("to try {}  ", number + 1),
                None => "to the last try  ".to_owned(),
            };
            push(Role::Quiet, base);
        }
        if let Some(percent) = self.facts.percent.filter(|_| !known.is_done) {
            push(Role::Quiet, format!("counting {percent} %  "));
        }
        if state.is_stale() && (known.fault.is_some() || known.failed.is_some()) {
            push(
                Role::Problem,
                "(of the last words that were understood)".to_owned(),
            );
        }
        let _ = width;
        Line::from(spans)
    }

    fn views(&self, state: &State) -> Line<'static> {
        let mut spans = Vec::new();
        let examples = &state.steps[state.step].examples;
        for (index, view) in ListView::ALL.into_iter().enumerate() {
            let many = match view {
                ListView::Examples if !examples.is_empty() => {
                    let outcomes = state.known.outcomes.get(state.step);
                    let hold =
                        outcomes.map_or(0, |all| all.iter().filter(|one| one.holds()).count());
                    format!(" {hold}/{}", examples.len())
                }
                ListView::Tries if state.tries.len() > 0 => format!(" {}", state.tries.len()),
                _ => String::new(),
            };
            let name = match view {
                ListView::Changes if !has_action(state) => "matches",
                view => view.name(),
            };
            if view == ListView::Matches && !has_action(state) {
                continue;
            }
            let role = if view == state.view {
                Role::Chosen
            } else {
                Role::Quiet
            };
            spans.push(self.span(role, format!(" {} {name}{many} ", index + 1)));
        }
        Line::from(spans)
    }

    fn body(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        match state.view {
            ListView::Examples => return self.examples(frame, area, state),
            ListView::Tries => return self.tries(frame, area, state),
            ListView::Changes
            | ListView::Matches
            | ListView::Misses
            | ListView::Units
            | ListView::Differences => {}
        }
        if area.width >= WIDE {
            let [list, gap, detail] = Layout::horizontal([
                Constraint::Percentage(64),
                Constraint::Length(2),
                Constraint::Min(20),
            ])
            .areas(area);
            let bar = vec![Line::from(self.span(Role::Quiet, "│")); usize::from(gap.height)];
            frame.render_widget(Paragraph::new(bar), gap);
            frame.render_widget(Paragraph::new(self.rows(state, list)), list);
            frame.render_widget(Paragraph::new(self.detail(state, detail)), detail);
            return;
        }
        let below = match area.height {
            0..=9 => 0,
            10..=17 => 4,
            _ => 7,
        };
        let [list, gap, detail] = Layout::vertical([
            Constraint::Min(1),
            Constraint::Length(u16::from(below > 0)),
            Constraint::Length(below),
        ])
        .areas(area);
        frame.render_widget(Paragraph::new(self.rows(state, list)), list);
        let bar = self.span(Role::Quiet, "─".repeat(usize::from(gap.width)));
        frame.render_widget(Paragraph::new(Line::from(bar)), gap);
        frame.render_widget(Paragraph::new(self.detail(state, detail)), detail);
    }

    fn foot(&self, state: &State, width: u16) -> Paragraph<'static> {
        let message = self.span(Role::Strong, head(&state.message, usize::from(width)));
        let keys = match state.focus {
            Focus::Field(_) => IN_FIELD,
            Focus::List if usize::from(width) < IN_LIST.width() => IN_LIST_NARROW,
            Focus::List => IN_LIST,
        };
        Paragraph::new(vec![
            Line::from(message),
            Line::from(self.span(Role::Quiet, keys)),
        ])
    }
}

/// True if something becomes of what is matched.
fn has_action(state: &State) -> bool {
    use brisk_quill_engine::draft::evaluator::DraftStep;
    let built = state.known.built.as_ref();
    let step = built.and_then(|built| built.step());
    matches!(step, Some(DraftStep::Rewrite(_)))
}
