//! The screen of a draft, drawn from its state.

mod counts;
mod detail;
mod fields;
mod rows;
mod sample;
mod windows;

use crate::draft::action::{Focus, ListView};
use crate::draft::keys::{IN_FIELD, IN_LIST, IN_LIST_NARROW, IN_SAMPLE};
use crate::draft::state::State;
use crate::full_screen::fit::{draw_lines, head};
use crate::full_screen::palette::{Palette, Role};
use crate::full_screen::terminal::LEAST;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::{counted, number};
use ratatui::Frame;
use ratatui::buffer::Buffer;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use std::cell::RefCell;
use std::path::PathBuf;
use unicode_width::UnicodeWidthStr;

/// The least width of a screen whose detail is beside the list, or a result beside its text.
const WIDE: u16 = 110;

/// Facts that are not part of the state.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Facts {
    /// The part that has been counted, in percent.
    pub percent: Option<u8>,
    pub paths: Vec<PathBuf>,
    /// Bytes of standard input so far, and whether that is all.
    pub sample: Option<(u64, bool)>,
}

/// Draws drafts.
pub struct Screen<'s> {
    pub palette: Palette,
    pub facts: &'s Facts,
    /// The list as it was drawn last.
    pub body: &'s Body,
}

/// The list, and what is beside it, as they were drawn last: drawing them takes longer than all
/// else, and what is typed does not change them.
#[derive(Debug, Default)]
pub struct Body(RefCell<Option<(u64, Buffer)>>);

impl Body {
    /// Draws what was drawn last, where it still holds, else what `draw` does.
    fn draw(
        &self,
        frame: &mut Frame<'_>,
        area: Rect,
        drawing: u64,
        draw: impl FnOnce(&mut Frame<'_>),
    ) {
        let mut last = self.0.borrow_mut();
        if let Some((of, buffer)) = &*last
            && (*of, buffer.area) == (drawing, area)
        {
            return frame.buffer_mut().merge(buffer);
        }
        draw(frame);
        let mut buffer = Buffer::empty(area);
        for place in area.positions() {
            buffer[place].clone_from(&frame.buffer_mut()[place]);
        }
        *last = Some((drawing, buffer));
    }
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
        let of_sample = Self::sample_height(state, area.height);
        let [top, of_fields, sample, counts, views, body, foot] = Layout::vertical([
            Constraint::Length(1),
            // There are few.
            Constraint::Length(fields.lines.len() as u16),
            Constraint::Length(of_sample),
            Constraint::Length(1),
            Constraint::Length(1),
            Constraint::Min(1),
            Constraint::Length(2),
        ])
        .areas(area);
        frame.render_widget(self.title(state, top.width), top);
        draw_lines(frame, of_fields, fields.lines);
        let cursor_of_sample = self.sample(frame, sample, state);
        frame.render_widget(self.counts(state, counts.width), counts);
        frame.render_widget(self.views(state, area.width), views);
        self.body.draw(frame, body, state.drawing, |frame| {
            self.list(frame, body, state);
        });
        frame.render_widget(self.foot(state, area.width), foot);
        self.window(frame, body, state);
        if let (Some((column, row)), None) = (fields.cursor, state.window) {
            frame.set_cursor_position((of_fields.x + column, of_fields.y + row));
        }
        if let (Some(place), None) = (cursor_of_sample, state.window) {
            frame.set_cursor_position(place);
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
        let mut paths = paths.collect::<Vec<_>>().join(" ");
        let mut about = String::new();
        if let Some(sample) = state.sample.looked_at() {
            paths = "a sample".to_owned();
            let lines = sample.lines().count() as u64;
            about = format!(
                ", {}: `S` in the list goes back to the files",
                counted(lines, "line")
            );
        } else if let Some((bytes, is_over)) = self.facts.sample {
            let more = if is_over {
                ""
            } else {
                " so far, more may come"
            };
            about = format!(", {}{more}", counted(bytes, "byte"));
        } else if let Some(built) = &state.known.built {
            about = format!(
                ", {}",
                counted(
                    built.draft.texts.sources.listing.sources.len() as u64,
                    "file"
                )
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

    fn views(&self, state: &State, width: u16) -> Line<'static> {
        let views = ListView::ALL.into_iter().enumerate();
        let views = views.filter(|(_, view)| {
            !matches!(view, ListView::Matches | ListView::Result) || state.has_action()
        });
        let shown: Vec<(usize, ListView)> = views.collect();
        let named = |name: &dyn Fn(ListView) -> Option<&'static str>| {
            let views = shown.iter().map(|(index, view)| {
                let name = name(*view).map(|name| match view {
                    ListView::Changes if !state.has_action() => "matches",
                    _ => name,
                });
                let role = match *view == state.view {
                    true => Role::Chosen,
                    false => Role::Quiet,
                };
                let number = index + 1;
                let text = name.map(|name| format!("{number} {name}{}", many(state, *view)));
                (role, text.unwrap_or_else(|| number.to_string()))
            });
            views.collect::<Vec<(Role, String)>>()
        };
        let room = usize::from(width);
        let all = |views: &[(Role, String)]| {
            let widths = views.iter().map(|(_, text)| text.width() + 1);
            widths.sum::<usize>()
        };
        let mut views = named(&|view| Some(view.name()));
        if all(&views) > room {
            views = named(&|view| Some(view.short_name()));
        }
        if all(&views) > room {
            views = named(&|view| (view == state.view).then(|| view.short_name()));
        }
        let is_narrow = all(&views) + views.len() > room;
        let mut spans = Vec::new();
        for (role, text) in views {
            match is_narrow {
                true => spans.extend([self.span(role, text), self.span(Role::Plain, " ")]),
                false => spans.push(self.span(role, format!(" {text} "))),
            }
        }
        let used: usize = spans.iter().map(Span::width).sum();
        let place = place_in_list(state);
        if let Some(fill) = room.checked_sub(used + place.width() + 1) {
            spans.push(self.span(Role::Quiet, format!("{:fill$}{place}", "")));
        }
        Line::from(spans)
    }

    fn list(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        match state.view {
            ListView::Examples => return self.examples(frame, area, state),
            ListView::Tries => return self.tries(frame, area, state),
            ListView::Changes
            | ListView::Matches
            | ListView::Misses
            | ListView::Units
            | ListView::Result
            | ListView::Differences => {}
        }
        if state.list.rows.is_empty() {
            return draw_lines(frame, area, self.rows(state, area));
        }
        if area.width >= WIDE && !Self::is_beside(state, area) {
            let [list, gap, detail] = Layout::horizontal([
                Constraint::Percentage(64),
                Constraint::Length(2),
                Constraint::Min(20),
            ])
            .areas(area);
            let bar = vec![Line::from(self.span(Role::Quiet, "│")); usize::from(gap.height)];
            draw_lines(frame, gap, bar);
            let inner = Rect {
                width: list.width.saturating_sub(1),
                ..list
            };
            draw_lines(frame, inner, self.rows(state, inner));
            draw_lines(frame, detail, self.detail(state, detail));
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
        draw_lines(frame, list, self.rows(state, list));
        let bar = self.span(Role::Quiet, "─".repeat(usize::from(gap.width)));
        frame.render_widget(Line::from(bar), gap);
        draw_lines(frame, detail, self.detail(state, detail));
    }

    /// True if the list has the text and the result beside each other.
    fn is_beside(state: &State, area: Rect) -> bool {
        state.view == ListView::Result && area.width >= WIDE
    }

    fn foot(&self, state: &State, width: u16) -> Paragraph<'static> {
        let message = self.span(Role::Strong, head(&state.message, usize::from(width)));
        let keys = match state.focus {
            Focus::Field(_) => IN_FIELD,
            Focus::Sample => IN_SAMPLE,
            Focus::List if usize::from(width) < IN_LIST.width() => IN_LIST_NARROW,
            Focus::List => IN_LIST,
        };
        Paragraph::new(vec![
            Line::from(message),
            Line::from(self.span(Role::Quiet, keys)),
        ])
    }
}

/// The number of the row at the cursor, and of all rows, where they are known.
fn place_in_list(state: &State) -> String {
    let list = &state.list;
    let Some(first) = list.first.filter(|_| !list.rows.is_empty()) else {
        return String::new();
    };
    let row = number(first + list.cursor as u64 + 1);
    let counted = state.known.counted.as_ref();
    let all = match state.view {
        _ if state.are_rows_counted() => counted.map(|counted| counted.index.len()),
        _ if list.is_end => Some(first + list.rows.len() as u64),
        _ => None,
    };
    match all {
        Some(all) => format!("row {row} of {}", number(all)),
        None => format!("row {row}"),
    }
}

/// The number of examples that hold, or of tries, behind the name of a view.
fn many(state: &State, view: ListView) -> String {
    let examples = &state.steps[state.step].examples;
    match view {
        ListView::Examples if !examples.is_empty() => {
            let outcomes = state.known.outcomes.get(state.step);
            let hold = outcomes.map_or(0, |all| all.iter().filter(|one| one.holds()).count());
            format!(" {hold}/{}", examples.len())
        }
        ListView::Tries if state.tries.len() > 0 => format!(" {}", state.tries.len()),
        _ => String::new(),
    }
}
