//! The screen of a review, drawn from its state.

use crate::review::context::{Near, near, whole};
use crate::review::keys::{HINTS, HINTS_NARROW, KEYS};
use crate::review::state::{Group, State, View};
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::records::field::Ordinal;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_core::span::Span as Range;
use brisk_quill_files::plan_file::PlanDoc;
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Clear, Paragraph};
use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// The least that a review can be shown in.
const LEAST: (u16, u16) = (40, 10);

/// The label of a piece of the screen; colour is never the only sign.
#[derive(Clone, Copy)]
enum Role {
    Plain,
    Quiet,
    Strong,
    Was,
    Now,
    Chosen,
}

/// Draws reviews.
pub struct Screen<'s> {
    pub doc: &'s PlanDoc,
    /// The subject of a review, in a few words.
    pub title: &'s str,
    pub color: bool,
}

impl Screen<'_> {
    pub fn draw(&self, frame: &mut Frame<'_>, state: &State) {
        let area = frame.area();
        if area.width < LEAST.0 || area.height < LEAST.1 {
            let text = format!(
                "too small: {}x{}\nat least {}x{}\n(q leaves)",
                area.width, area.height, LEAST.0, LEAST.1
            );
            frame.render_widget(Paragraph::new(text), area);
            return;
        }
        let [head, counts, body, foot] = Layout::vertical([
            Constraint::Length(1),
            Constraint::Length(1),
            Constraint::Min(3),
            Constraint::Length(2),
        ])
        .areas(area);
        frame.render_widget(Line::from(self.span(Role::Strong, self.title)), head);
        frame.render_widget(self.counts(state), counts);
        match state.view {
            View::Kinds => self.kinds(frame, body, state),
            View::File => self.file(frame, body, state),
            _ => self.changes(frame, body, state),
        }
        frame.render_widget(self.foot(state, area.width), foot);
        match state.view {
            View::Keys => self.keys(frame, body),
            View::Every => self.every(frame, body, state),
            View::Leave => self.leave(frame, body, state),
            View::Ask => self.ask(frame, body, state),
            _ => {}
        }
    }

    fn style(&self, role: Role) -> Style {
        let plain = Style::new();
        let (style, color) = match role {
            Role::Plain => (plain, None),
            Role::Quiet => (plain.add_modifier(Modifier::DIM), None),
            Role::Strong => (plain.add_modifier(Modifier::BOLD), None),
            Role::Was => (
                plain.add_modifier(Modifier::UNDERLINED),
                Some(Color::Indexed(214)),
            ),
            Role::Now => (
                plain.add_modifier(Modifier::BOLD | Modifier::UNDERLINED),
                Some(Color::Indexed(75)),
            ),
            Role::Chosen => (plain.add_modifier(Modifier::REVERSED), None),
        };
        match color.filter(|_| self.color) {
            Some(color) => style.fg(color),
            None => style,
        }
    }

    fn span(&self, role: Role, text: impl Into<String>) -> Span<'static> {
        Span::styled(text.into(), self.style(role))
    }

    fn counts(&self, state: &State) -> Line<'static> {
        let counts = &state.counts;
        let mut spans = Vec::new();
        for (sign, name, n) in [
            ("·", "open", counts.open),
            ("A", "accepted", counts.accepted),
            ("R", "refused", counts.refused),
            ("M", "modified", counts.modified),
        ] {
            spans.push(self.span(Role::Strong, format!("{sign} {} ", number(n))));
            spans.push(self.span(Role::Quiet, format!("{name}   ")));
        }
        let mut filters = Vec::new();
        if state.only_open {
            filters.push("only open ones (v)".to_owned());
        }
        if let Some(kind) = state.only_kind {
            filters.push(format!("only kind {} (x)", kind + 1));
        }
        if !state.needle.is_empty() {
            filters.push(format!(
                "only with `{}` (/)",
                visible(state.needle.as_bytes())
            ));
        }
        if !filters.is_empty() {
            let listed = counted(state.listed.len() as u64, "change");
            spans.push(self.span(Role::Plain, format!("{}: {listed}", filters.join(", "))));
        }
        Line::from(spans)
    }

    fn foot(&self, state: &State, width: u16) -> Paragraph<'static> {
        let message = match state.view {
            View::Find => {
                let (before, under, after) = state.editor.parts();
                let mut spans = vec![self.span(Role::Strong, "changes that hold: ")];
                spans.extend(self.typed(before, under, after, usize::from(width)));
                Line::from(spans)
            }
            View::Modify => {
                let text = "Enter takes the new text, Esc does not; Ctrl-J is a line end";
                Line::from(self.span(Role::Strong, text))
            }
            _ => Line::from(self.span(Role::Strong, state.message.clone())),
        };
        let hints = match state.view {
            View::Kinds => "↓↑ move   Enter the changes of this kind   Esc back",
            View::File => "↓↑ move   any other key: back",
            View::Modify | View::Find => "",
            _ if usize::from(width) < HINTS.width() => HINTS_NARROW,
            _ => HINTS,
        };
        Paragraph::new(vec![message, Line::from(self.span(Role::Quiet, hints))])
    }

    fn changes(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let side = (area.width / 3).clamp(20, 46);
        let [list, gap, one] = Layout::horizontal([
            Constraint::Length(side),
            Constraint::Length(2),
            Constraint::Min(18),
        ])
        .areas(area);
        let bar = vec![Line::from(self.span(Role::Quiet, "│")); usize::from(gap.height)];
        frame.render_widget(Paragraph::new(bar), gap);
        frame.render_widget(Paragraph::new(self.list(state, list)), list);
        frame.render_widget(Paragraph::new(self.one(state, one)), one);
    }

    /// The changes around the current one, under the names of their files.
    fn list(&self, state: &State, area: Rect) -> Vec<Line<'static>> {
        let (width, height) = (usize::from(area.width), usize::from(area.height));
        let file_at = |place: usize| state.plan.file_of(state.listed[place]);
        let rows_of = |place: usize| match place.checked_sub(1) {
            Some(before) if file_at(before) == file_at(place) => 1,
            _ => 2,
        };
        if state.listed.is_empty() {
            return vec![Line::from("(none)")];
        }
        // From the current one back, until a third of the height is full.
        let (mut first, mut rows) = (state.cursor, 2);
        while first > 0 && rows + rows_of(first - 1) <= height / 2 {
            first -= 1;
            rows += rows_of(first);
        }
        let mut lines = Vec::new();
        for place in first..state.listed.len() {
            if lines.len() >= height {
                break;
            }
            let index = state.listed[place];
            if place == first || rows_of(place) == 2 {
                let path = visible(&state.plan.files[state.plan.file_of(index)].path);
                lines.push(Line::from(self.span(Role::Strong, tail(&path, width))));
            }
            lines.push(self.row(state, place, width));
        }
        lines.truncate(height);
        lines
    }

    fn row(&self, state: &State, place: usize, width: usize) -> Line<'static> {
        let index = state.listed[place];
        let entry = state.plan.entries[index];
        let text = self.doc.change(index).map_or_else(
            |_| "(cannot be read)".to_owned(),
            |change| {
                let (before, after) = (&*change.before, &*change.after);
                let new = match state.plan.modified.get(&index) {
                    Some(text) => visible(text),
                    None => visible(after.as_bytes()),
                };
                format!("{} → {new}", visible(before.as_bytes()))
            },
        );
        let row = format!("{} {:>5}  {text}", sign(entry.decision), entry.line);
        let row = head(&row, width);
        let row = match place == state.cursor {
            true => format!("{row}{}", " ".repeat(width.saturating_sub(row.width()))),
            false => row,
        };
        let role = match place == state.cursor {
            true => Role::Chosen,
            false if entry.decision == Decision::Open => Role::Plain,
            false => Role::Quiet,
        };
        Line::from(self.span(role, row))
    }

    /// The current change.
    fn one(&self, state: &State, area: Rect) -> Vec<Line<'static>> {
        let width = usize::from(area.width);
        let Some(index) = state.current() else {
            return Vec::new();
        };
        let Ok(change) = self.doc.change(index) else {
            return vec![Line::from("this change cannot be read from the plan")];
        };
        let mut lines = self.about(state, index, &change, width);
        lines.push(Line::default());
        let modifying = state.view == View::Modify;
        match near(self.doc, &state.plan, index, &change) {
            Some(found) => lines.extend(self.near(state, &found, width, modifying)),
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
    fn about(
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

    fn near(
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

    fn modifying(&self, state: &State, width: usize) -> Line<'static> {
        let (before, under, after) = state.editor.parts();
        let mut spans = vec![self.span(Role::Strong, "new  ")];
        spans.extend(self.typed(before, under, after, width.saturating_sub(5)));
        Line::from(spans)
    }

    /// Text being typed, the cursor in sight.
    fn typed(&self, before: &str, under: &str, after: &str, width: usize) -> Vec<Span<'static>> {
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
    fn texts(
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
    fn text(
        &self,
        label: &str,
        text: &[u8],
        mark: Range,
        role: Role,
        width: usize,
        sideways: usize,
    ) -> Line<'static> {
        let room = width.saturating_sub(6).max(8);
        let part = |from: usize, to: usize| visible(&text[from..to]);
        let (before, own, after) = (
            part(0, mark.from),
            part(mark.from, mark.to),
            part(mark.to, text.len()),
        );
        // Without colour the edges say what is marked.
        let edges = !matches!(role, Role::Quiet) && (!self.color || own.is_empty());
        let far = (before.width() + own.width()).saturating_sub(room);
        let skip = match far {
            0 => sideways,
            _ => before.width().saturating_sub(room / 3) + sideways,
        };
        let plain = if matches!(role, Role::Quiet) {
            Role::Quiet
        } else {
            Role::Plain
        };
        let mut pieces = vec![(plain, before)];
        if edges {
            pieces.push((Role::Quiet, "‹".into()));
        }
        pieces.push((role, own));
        if edges {
            pieces.push((Role::Quiet, "›".into()));
        }
        pieces.push((plain, after));
        let mut spans = vec![self.span(Role::Quiet, format!("{label:<5}"))];
        if skip > 0 {
            spans.push(self.span(Role::Quiet, "…"));
        }
        let (mut passed, mut used) = (0, 0);
        for (role, piece) in pieces {
            let mut shown = String::new();
            for grapheme in piece.graphemes(true) {
                let columns = grapheme.width();
                passed += columns;
                if passed <= skip {
                    continue;
                }
                if used + columns > room {
                    break;
                }
                used += columns;
                shown.push_str(grapheme);
            }
            spans.push(self.span(role, shown));
        }
        Line::from(spans)
    }

    fn kinds(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let (width, height) = (usize::from(area.width), usize::from(area.height));
        let kinds = &state.kinds.kinds;
        let mut lines = vec![Line::from(
            self.span(Role::Quiet, head(" kind    count  was → now", width)),
        )];
        let first = state.kind_cursor.saturating_sub(height / 2);
        for (number, kind) in kinds
            .iter()
            .enumerate()
            .skip(first)
            .take(height.saturating_sub(1))
        {
            let text = format!(
                "{:>5} {:>8}  {} → {}",
                number + 1,
                brisk_quill_core::numbers::number(kind.count),
                visible(&kind.before),
                match visible(&kind.after) {
                    empty if empty.is_empty() => "(nothing)".to_owned(),
                    text => text,
                },
            );
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

    fn file(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
        let (width, height) = (usize::from(area.width), usize::from(area.height));
        let Some(index) = state.current() else { return };
        let lines = match whole(self.doc, &state.plan, index) {
            Err(error) => vec![Line::from(error.to_string())],
            Ok((lines, at)) => {
                let last = lines.len().saturating_sub(1);
                let top = (at.saturating_sub(height / 3)).saturating_add_signed(state.file_scroll);
                let numbered = lines.iter().enumerate().skip(top.min(last)).take(height);
                let line = |(number, text): (usize, &Vec<u8>)| {
                    let role = if number == at {
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

    /// A box over the rest.
    fn over(&self, frame: &mut Frame<'_>, area: Rect, title: &str, rows: Vec<Line<'static>>) {
        let widest = rows
            .iter()
            .map(Line::width)
            .max()
            .unwrap_or(0)
            .max(title.width() + 4);
        // A screen is at most 65,535 columns wide.
        let width = u16::try_from(widest + 4)
            .unwrap_or(u16::MAX)
            .min(area.width);
        let height = u16::try_from(rows.len() + 2)
            .unwrap_or(u16::MAX)
            .min(area.height);
        let place = Rect {
            x: area.x + (area.width - width) / 2,
            y: area.y + (area.height - height) / 2,
            width,
            height,
        };
        frame.render_widget(Clear, place);
        let block = Block::bordered().title(format!(" {title} "));
        let padded = rows.into_iter().map(|mut row| {
            row.spans.insert(0, Span::raw(" "));
            row
        });
        frame.render_widget(
            Paragraph::new(padded.collect::<Vec<_>>()).block(block),
            place,
        );
    }

    fn keys(&self, frame: &mut Frame<'_>, area: Rect) {
        let row = |(keys, does): &(&str, &str)| {
            Line::from(vec![
                self.span(Role::Strong, format!("{keys:<5}")),
                self.span(Role::Plain, (*does).to_owned()),
            ])
        };
        self.over(
            frame,
            area,
            "keys (any key: back)",
            KEYS.iter().map(row).collect(),
        );
    }

    fn every(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
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
        self.over(frame, area, "every… (any other key: back)", rows);
    }

    fn leave(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
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
        self.over(frame, area, "leave? (any other key: back)", rows);
    }

    fn ask(&self, frame: &mut Frame<'_>, area: Rect, state: &State) {
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
        self.over(frame, area, "apply", rows);
    }
}

/// A sign for each decision.
fn sign(decision: Decision) -> char {
    match decision {
        Decision::Open => '·',
        Decision::Accepted => 'A',
        Decision::Refused => 'R',
        Decision::Modified => 'M',
    }
}

/// As much of the start of a text as fits.
fn head(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let mut used = 1;
    let fits = text.graphemes(true).take_while(|grapheme| {
        used += grapheme.width();
        used <= width
    });
    fits.collect::<String>() + "…"
}

/// As much of its end.
fn tail(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let mut used = 1;
    let fits: Vec<&str> = text
        .graphemes(true)
        .rev()
        .take_while(|grapheme| {
            used += grapheme.width();
            used <= width
        })
        .collect();
    let end: String = fits.into_iter().rev().collect();
    format!("…{end}")
}
