//! The list of rows, and those of examples and tries.

use crate::draft::action::{Focus, ListView};
use crate::draft::screen::Screen;
use crate::draft::screen::fields::name_of_file;
use crate::draft::state::State;
use crate::full_screen::fit::{draw_lines, head, tail};
use crate::full_screen::marked::{self, Look};
use crate::full_screen::palette::Role;
use crate::render::why::reason_words;
use brisk_quill_core::escape::visible;
use brisk_quill_core::near_miss::NearMisses;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::rewrite_file::examples::ExampleOutcome;
use brisk_quill_core::unit::lines;
use brisk_quill_engine::draft::row::{Excerpt, Row, RowKind};
use brisk_quill_engine::why::Reason;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use unicode_width::UnicodeWidthStr;

/// Columns before the text of a row: the sign of the cursor, the line, and the label.
const MARGIN: usize = 10;
/// Columns that the reason for a miss takes at most.
const REASON_MOST: usize = 36;
/// Rows that a line takes at most where it is wrapped; of a longer one, a part is shown.
const ROWS_MOST: usize = 6;
/// Lines that one text takes at most.
const LINES_MOST: usize = 6;

impl Screen<'_> {
    /// The rows around the cursor, under the names of their files.
    pub(super) fn rows(&self, state: &State, area: Rect) -> Vec<Line<'static>> {
        let (width, height) = (usize::from(area.width), usize::from(area.height));
        let list = &state.list;
        if list.rows.is_empty() {
            let text = match (state.known.is_done, &state.known.fault) {
                (false, None) => "reading…",
                (true, None) => empty_words(state),
                (_, Some(_)) => "",
            };
            return vec![Line::from(self.span(Role::Quiet, text))];
        }
        let wanted = self.wanted_parts(state);
        let drawn = Drawn {
            screen: self,
            state,
            width,
            wanted: wanted.as_ref(),
            is_beside: Self::is_beside(state, area),
        };
        // From the cursor back, until a third of the height is full.
        let mut before: Vec<Vec<Line<'static>>> = Vec::new();
        let mut rows = 0;
        let mut first = list.cursor;
        while first > 0 && rows < height / 3 {
            first -= 1;
            let lines = drawn.row(first, true);
            rows += lines.len();
            before.push(lines);
        }
        let mut lines: Vec<Line<'static>> = Vec::new();
        if state.is_text_instead() {
            lines.push(Line::from(self.span(Role::Hint, head(NOTHING, width))));
        }
        if first < list.cursor && drawn.has_header(first) {
            // Its own lines begin with the name.
        } else {
            lines.push(drawn.header(first));
        }
        lines.extend(before.into_iter().rev().flatten());
        for place in list.cursor..list.rows.len() {
            if lines.len() >= height {
                break;
            }
            let with_header = place > first || lines.len() > 1;
            let mut more = drawn.row(place, with_header);
            if place == list.cursor && place == first {
                more = drawn.row(place, false);
            }
            lines.extend(more);
        }
        if lines.len() < height {
            lines.extend(self.end_of_list(state));
        }
        lines.truncate(height);
        lines
    }

    fn end_of_list(&self, state: &State) -> Vec<Line<'static>> {
        let list = &state.list;
        let text = match (list.looked_at_most, list.is_end, state.known.is_done) {
            (Some(most), ..) => format!("(of the first {} looked at)", number(most)),
            (None, true, _) => "(end)".to_owned(),
            (None, false, false) => "reading…".to_owned(),
            (None, false, true) => String::new(),
        };
        vec![Line::from(self.span(Role::Quiet, text))]
    }

    /// The parts of the pattern, for the reasons of misses.
    fn wanted_parts(&self, state: &State) -> Option<NearMisses> {
        if state.view != ListView::Misses {
            return None;
        }
        let built = state.known.built.as_ref()?;
        NearMisses::new(&built.step()?.query().pattern)
    }

    pub(super) fn examples(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let examples = &state.steps[state.step].examples;
        if examples.is_empty() {
            let text = "no examples yet: in a list, `b` takes a text as it now becomes, `l` one that is left \
                        alone, `m` asks for the text that is wanted";
            let lines: Vec<Line<'static>> =
                crate::full_screen::boxes::wrapped(text, usize::from(area.width))
                    .into_iter()
                    .map(|line| Line::from(self.span(Role::Quiet, line)))
                    .collect();
            draw_lines(frame, area, lines);
            return;
        }
        let width = usize::from(area.width);
        let outcomes = state.known.outcomes.get(state.step);
        let mut lines = Vec::new();
        for (row, index) in state.example_order().into_iter().enumerate() {
            let is_current = row == state.other_cursor && state.focus == Focus::List;
            let sign = if is_current { "▸" } else { " " };
            let example = &examples[index];
            let outcome = outcomes.and_then(|all| all.get(index));
            let holds = outcome.is_some_and(ExampleOutcome::holds);
            let (word, role) = match holds {
                true => ("holds", Role::Good),
                false => ("fails", Role::Problem),
            };
            let Some((was, wanted)) = example.pair() else {
                continue;
            };
            let was = visible(was.as_bytes());
            let text = match example.untouched {
                Some(_) => format!("{was}   is left alone"),
                None => format!("{was} → {}", visible(wanted.as_bytes())),
            };
            lines.push(Line::from(vec![
                self.span(Role::Strong, sign),
                self.span(role, format!("{word}  ")),
                self.span(Role::Plain, head(&text, width.saturating_sub(8))),
            ]));
            if let Some(outcome) = outcome.filter(|outcome| !outcome.holds()) {
                let got = visible(&outcome.got);
                let text = format!("        becomes  {got}");
                lines.push(Line::from(self.span(Role::Quiet, head(&text, width))));
            }
        }
        let height = usize::from(area.height);
        let skip = (2 * state.other_cursor)
            .saturating_sub(height / 2)
            .min(lines.len().saturating_sub(height));
        draw_lines(frame, area, lines.split_off(skip));
    }

    pub(super) fn tries(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let (width, height) = (usize::from(area.width), usize::from(area.height));
        if state.tries.len() == 0 {
            let text = "no tries yet: what is left standing for a moment becomes one";
            frame.render_widget(Line::from(self.span(Role::Quiet, text)), area);
            return;
        }
        let first = state.other_cursor.saturating_sub(height / 2);
        let all = state.tries.all().iter().enumerate();
        let lines = all.skip(first).take(height).map(|(number_of, one)| {
            let is_current = number_of == state.other_cursor;
            let shown = if state.tries.is_at(&one.text) && number_of == state.tries.at() {
                "●"
            } else {
                " "
            };
            let chosen = if state.tries.chosen() == Some(number_of) {
                "="
            } else {
                " "
            };
            let counts = one.counts.map_or_else(String::new, |counts| {
                format!(
                    "{:>9} {:>9}",
                    number(counts.matches),
                    number(counts.changes)
                )
            });
            let step = one.text.steps.get(one.text.step);
            let mut words = step.map_or_else(String::new, |step| step.quoted());
            if one.text.steps.len() > 1 {
                words = format!("step {}: {words}", one.text.step + 1);
            }
            let text = format!(
                "{shown}{chosen}{:>4} {counts:>19}  {}",
                number_of + 1,
                visible(words.as_bytes())
            );
            let text = head(&text, width);
            let role = if is_current {
                Role::Chosen
            } else {
                Role::Plain
            };
            let fill = " ".repeat(width.saturating_sub(text.width()));
            Line::from(self.span(role, text + &fill))
        });
        let mut lines: Vec<Line<'static>> = lines.collect();
        let title = format!(
            "  {:>4} {:>9} {:>9}  words   (Enter goes back to one, = compares with it)",
            "try", "matches", "changes"
        );
        lines.insert(0, Line::from(self.span(Role::Quiet, head(&title, width))));
        draw_lines(frame, area, lines);
    }
}

const NOTHING: &str = "nothing matches: view 3 shows what nearly does";

/// The reason for which a list is empty.
fn empty_words(state: &State) -> &'static str {
    match state.view {
        ListView::Changes if state.known.counts.is_some_and(|counts| counts.matches > 0) => {
            "no match would change: view 2 shows the matches"
        }
        ListView::Changes | ListView::Matches => NOTHING,
        ListView::Misses => "every unit in scope matches",
        ListView::Units | ListView::Result => {
            "there is no text: `s` takes one that is typed or pasted"
        }
        ListView::Differences => match state.known.compared {
            Some(Some(_)) => {
                "no difference to the try that this is compared with: view 7 lists all, and `=` takes another"
            }
            Some(None) => {
                "this cannot be compared: the earlier steps differ, or there are too many places"
            }
            None => "there is no earlier try to compare with",
        },
        ListView::Examples | ListView::Tries => "",
    }
}

/// Rows being drawn.
struct Drawn<'d> {
    screen: &'d Screen<'d>,
    state: &'d State,
    width: usize,
    wanted: Option<&'d NearMisses>,
    /// The text stands as it is on the left, as it becomes on the right.
    is_beside: bool,
}

/// Columns between a text and its result.
const BETWEEN: &str = " │ ";

impl Drawn<'_> {
    /// True if a row is the first of its file.
    fn has_header(&self, place: usize) -> bool {
        let rows = &self.state.list.rows;
        place == 0 || rows[place - 1].place.file != rows[place].place.file
    }

    fn header(&self, place: usize) -> Line<'static> {
        let row = &self.state.list.rows[place];
        let name = name_of_file(self.state, row.place.file);
        if !self.is_beside {
            let text = tail(&name, self.width);
            return Line::from(self.screen.span(Role::Strong, text));
        }
        let (left, right) = self.halves();
        let title = head("as it becomes", right);
        let name = Line::from(self.screen.span(Role::Strong, tail(&name, left)));
        self.joined(name, Line::from(self.screen.span(Role::Quiet, title)))
    }

    /// The columns of a text, and those of its result beside it.
    fn halves(&self) -> (usize, usize) {
        let both = self.width.saturating_sub(BETWEEN.width());
        (both / 2, both - both / 2)
    }

    /// A line of a text, and one of its result.
    fn joined(&self, left: Line<'static>, right: Line<'static>) -> Line<'static> {
        let fill = self.halves().0.saturating_sub(left.width());
        let mut line = left;
        line.push_span(self.screen.span(Role::Plain, " ".repeat(fill)));
        line.push_span(self.screen.span(Role::Quiet, BETWEEN));
        line.extend(right);
        line
    }

    /// The lines of a row of the result, beside those of its text.
    fn beside(&self, row: &Row, before: &Before) -> Vec<Line<'static>> {
        let (left, right) = self.halves();
        let gone = Excerpt::default();
        let now = match row.kind {
            RowKind::Kept => &row.was,
            _ => row.now.as_ref().unwrap_or(&gone),
        };
        let side = |text: &Excerpt, width: usize, marked: Role| {
            let (mut lines, narrower) = (Vec::new(), Drawn { width, ..*self });
            narrower.text(&mut lines, (before, ""), None, text, marked);
            lines
        };
        let mut was = side(&row.was, left, Role::Was).into_iter();
        let mut now = side(now, right + MARGIN, Role::Now)
            .into_iter()
            .map(without_margin);
        let rows = was.len().max(now.len());
        let lines = (0..rows).map(|_| {
            let left = was.next().unwrap_or_default();
            self.joined(left, now.next().unwrap_or_default())
        });
        lines.collect()
    }

    /// The lines of a row, with the name of its file where it is the first of it.
    fn row(&self, place: usize, header: bool) -> Vec<Line<'static>> {
        let row = &self.state.list.rows[place];
        let mut lines = Vec::new();
        if header && self.has_header(place) {
            lines.push(self.header(place));
        }
        let is_current = place == self.state.list.cursor;
        let sign = match row.kind {
            RowKind::OnlyLast => "−",
            RowKind::OnlyThis => "+",
            RowKind::Different => "~",
            RowKind::Becomes => "+",
            RowKind::Gone(_) => "−",
            RowKind::Match
            | RowKind::Change
            | RowKind::NoMatch
            | RowKind::Miss(_)
            | RowKind::Kept => " ",
        };
        let before = Before {
            is_current,
            sign,
            line: row.line,
            mark: is_current.then_some(self.state.list.mark),
            empty: match row.kind {
                RowKind::Gone(1) => "(the line goes)".to_owned(),
                RowKind::Gone(lines) => format!("({} go)", counted(lines, "line")),
                _ => "(empty)".to_owned(),
            },
        };
        if self.is_beside {
            lines.extend(self.beside(row, &before));
            return lines;
        }
        let look = match row.kind {
            RowKind::Match => Role::Match,
            RowKind::NoMatch | RowKind::Miss(_) | RowKind::Kept => Role::Strong,
            RowKind::Becomes | RowKind::Gone(_) => Role::Now,
            RowKind::Change | RowKind::OnlyLast | RowKind::OnlyThis | RowKind::Different => {
                if row.now.is_some() || row.last.is_some() {
                    Role::Was
                } else {
                    Role::Match
                }
            }
        };
        let name = row.cell.as_ref().map(|cell| {
            let label = row.label.iter().map(|label| label.as_bytes());
            let words = label.chain([cell.as_bytes()]).map(visible);
            words.collect::<Vec<_>>().join("  ") + "  "
        });
        let reason = match (&row.kind, &self.wanted) {
            (RowKind::Miss(Reason::Nothing), _) => None,
            (RowKind::Miss(reason), Some(wanted)) => {
                let words = reason_words(reason, wanted.parts());
                Some(format!("  {}", head(&words, REASON_MOST)))
            }
            _ => None,
        };
        let of_reason = reason.as_ref().map_or(0, |reason| reason.width());
        let narrower = Drawn {
            width: self.width.saturating_sub(of_reason),
            ..*self
        };
        let gone = Excerpt::default();
        let text = match row.kind {
            RowKind::Becomes | RowKind::Gone(_) => row.now.as_ref().unwrap_or(&gone),
            _ => &row.was,
        };
        narrower.text(&mut lines, (&before, ""), name.as_deref(), text, look);
        if let (Some(reason), Some(last)) = (reason, lines.last_mut()) {
            let fill = self.width.saturating_sub(last.width() + reason.width());
            let text = format!("{:fill$}{reason}", "");
            last.push_span(self.screen.span(Role::Hint, text));
        }
        if row.kind == RowKind::Becomes {
            return lines;
        }
        let labels = (&row.last, &row.now);
        let several = matches!(
            row.kind,
            RowKind::OnlyLast | RowKind::OnlyThis | RowKind::Different
        );
        let empty = Before {
            is_current: false,
            sign: " ",
            line: 0,
            mark: before.mark,
            empty: "(nothing is left)".to_owned(),
        };
        for (text, label) in [
            (labels.0, "last"),
            (labels.1, if several { "this" } else { "now" }),
        ] {
            if let Some(text) = text {
                self.text(&mut lines, (&empty, label), None, text, Role::Now);
            }
        }
        lines
    }

    /// A text of a row, line by line.
    fn text(
        &self,
        out: &mut Vec<Line<'static>>,
        (before, label): (&Before, &str),
        name: Option<&str>,
        text: &Excerpt,
        marked: Role,
    ) {
        let screen = self.screen;
        let room = self
            .width
            .saturating_sub(MARGIN + name.map_or(0, UnicodeWidthStr::width));
        let all: Vec<_> = lines(&text.text).collect();
        let mut first = true;
        let head_of = |first: bool| -> Vec<Span<'static>> {
            let sign = if before.is_current && first {
                "▸"
            } else {
                " "
            };
            let line = match (first, before.line) {
                (true, line @ 1..) => format!("{}{line:>6}  ", before.sign),
                (true, 0) => format!("{label:>7}  "),
                (false, _) => " ".repeat(9),
            };
            let role = match before.is_current && before.line > 0 {
                true => Role::Strong,
                false => Role::Quiet,
            };
            let mut spans = vec![screen.span(Role::Strong, sign), screen.span(role, line)];
            spans.extend(
                name.filter(|_| first)
                    .map(|name| screen.span(Role::Quiet, name.to_owned())),
            );
            spans
        };
        if all.is_empty() {
            let mut spans = head_of(true);
            spans.push(screen.span(Role::Quiet, before.empty.clone()));
            return out.push(Line::from(spans));
        }
        for line in all.iter().take(LINES_MOST) {
            let (from, to) = (line.content.from, line.content.to);
            let in_line = text.marks.iter().enumerate().filter(|(_, mark)| {
                mark.from <= to && mark.to >= from && (mark.from < line.next || mark.is_empty())
            });
            let (numbers, marks): (Vec<_>, Vec<_>) = in_line
                .map(|(number, mark)| {
                    let (a, b) = (mark.from.clamp(from, to), mark.to.clamp(from, to));
                    (
                        number,
                        brisk_quill_core::span::Span::new(a - from, b - from),
                    )
                })
                .unzip();
            let mark = before.mark.filter(|_| text.marks.len() > 1);
            let look = Look {
                plain: Role::Plain,
                marked,
                at_cursor: mark.and_then(|mark| numbers.iter().position(|one| *one == mark)),
            };
            let mut spans = head_of(first);
            if text.cut_before && first {
                spans.push(screen.span(Role::Quiet, "…"));
            }
            let content = (&text.text[from..to], &marks[..]);
            let rows = match self.state.wraps {
                true => marked::wrapped(screen.palette, content, look, (room, ROWS_MOST)),
                false => None,
            };
            let shown =
                || marked::spans(screen.palette, content, look, (room, self.state.sideways));
            let mut rows = rows.unwrap_or_else(|| vec![shown()]).into_iter();
            spans.extend(rows.next().unwrap_or_default());
            first = false;
            out.push(Line::from(spans));
            let indent = self.width - room;
            out.extend(rows.map(|row| {
                let mut spans = vec![screen.span(Role::Plain, " ".repeat(indent))];
                spans.extend(row);
                Line::from(spans)
            }));
        }
        if let Some(more) = all.len().checked_sub(LINES_MOST).filter(|more| *more > 0) {
            let text = format!("{:MARGIN$}… {}", "", counted(more as u64, "more line"));
            out.push(Line::from(screen.span(Role::Quiet, text)));
        }
    }
}

/// A line of a text without the columns before it.
fn without_margin(line: Line<'static>) -> Line<'static> {
    let mut left = MARGIN;
    let behind = line.spans.into_iter().skip_while(|span| {
        let is_before = left > 0;
        left = left.saturating_sub(span.width());
        is_before
    });
    behind.collect()
}

/// The signs before a text.
struct Before {
    is_current: bool,
    sign: &'static str,
    /// 0 where the line is not said again.
    line: u64,
    /// The mark at the cursor.
    mark: Option<usize>,
    /// The words for a text without anything in it.
    empty: String,
}

/// The row at the cursor, with its file.
pub(super) fn place_words(state: &State, row: &Row) -> String {
    let name = name_of_file(state, row.place.file);
    match &row.cell {
        Some(cell) => {
            let label = row
                .label
                .as_deref()
                .map(|label| format!(" of {}", visible(label.as_bytes())));
            let (cell, label) = (visible(cell.as_bytes()), label.unwrap_or_default());
            format!("{name}, line {}, {cell}{label}", row.line)
        }
        None => format!("{name}, line {}", row.line),
    }
}
