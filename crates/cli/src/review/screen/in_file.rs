//! Rows of a file, wrapped, with what changes in them.

use crate::full_screen::palette::Role;
use crate::review::screen::Screen;
use crate::review::screen::signs::{role_of, sign_role};
use crate::review::state::State;
use brisk_quill_core::escape::{visible, visible_blanks, visible_end};
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_engine::context::{FileRow, Piece, PieceOf, Surroundings};
use ratatui::text::{Line, Span};
use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// Columns before the text: the sign of a decision, the line, and a label.
const MARGIN: usize = 11;
/// Screen rows that a row around a change takes at most.
const AROUND_MOST: usize = 3;

/// A piece of text with its label.
type Labelled = (Role, String);

impl Screen<'_> {
    /// A change in its file: the lines, and the number of those before the change.
    pub(super) fn in_file(
        &self,
        state: &State,
        found: &Surroundings,
        (width, is_modifying): (usize, bool),
    ) -> (Vec<Line<'static>>, usize) {
        let mut lines = Vec::new();
        for row in &found.before {
            self.around(&mut lines, row, width);
        }
        let first = lines.len();
        let editor = is_modifying.then(|| state.editor.parts());
        let more = match is_modifying {
            true => state.beside.since(),
            false => (0, 0),
        };
        let (was, now) = (
            widened(&found.was, PieceOf::Was, more),
            widened(&found.now, PieceOf::Now, more),
        );
        self.own(&mut lines, ("was", &was), width, None);
        self.own(&mut lines, ("now", &now), width, editor);
        for row in &found.after {
            self.around(&mut lines, row, width);
        }
        (lines, first)
    }

    /// A row with the current change in it, with nothing of that left out.
    fn own(
        &self,
        lines: &mut Vec<Line<'static>>,
        (label, rows): (&str, &[FileRow]),
        width: usize,
        editor: Option<(&str, &str, &str)>,
    ) {
        let room = width.saturating_sub(MARGIN).max(8);
        let is_empty = |row: &FileRow| row.pieces.iter().all(|piece| piece.text.is_empty());
        if rows.iter().all(is_empty) && editor.is_none() {
            let head = self.head(None, None, label);
            let note = self.span(Role::Quiet, "(nothing: the line goes, or is empty)");
            return lines.push(Line::from([head, vec![note]].concat()));
        }
        let mut is_edited = false;
        for (number, row) in rows.iter().enumerate() {
            let mut pieces: Vec<Labelled> = Vec::new();
            let last = row.pieces.len().saturating_sub(1);
            for (index, piece) in row.pieces.iter().enumerate() {
                match (piece.of, editor) {
                    (PieceOf::Text, _) => {
                        let text = match index == last {
                            true => visible_end(&piece.text),
                            false => visible(&piece.text),
                        };
                        let ends = (index > 0, index < last);
                        pieces.push((Role::Plain, Self::shortened(&text, room, ends)));
                    }
                    (PieceOf::Now, Some((before, under, after))) if !is_edited => {
                        is_edited = true;
                        let under = match under.is_empty() || under == "\n" {
                            true => " ".to_owned(),
                            false => visible(under.as_bytes()),
                        };
                        let edge = |text: &str| (Role::Quiet, text.to_owned());
                        let has_edges = !self.palette.has_colors();
                        pieces.extend(has_edges.then(|| edge("‹")));
                        pieces.push((Role::Now, visible(before.as_bytes())));
                        pieces.push((Role::Chosen, under));
                        pieces.push((Role::Now, visible(after.as_bytes())));
                        pieces.extend(has_edges.then(|| edge("›")));
                    }
                    // The text that is typed stands for all of it.
                    (PieceOf::Now, Some(_)) => {}
                    (of, _) => self.changed(&mut pieces, of, &piece.text),
                }
            }
            let label = if number == 0 { label } else { "" };
            let line = row.line.filter(|_| label != "now");
            self.wrapped(
                lines,
                self.head(decision_in(row), line, label),
                pieces,
                room,
            );
        }
    }

    /// A row around the change, cut where it is very long.
    fn around(&self, lines: &mut Vec<Line<'static>>, row: &FileRow, width: usize) {
        let room = width.saturating_sub(MARGIN).max(8);
        let first = lines.len();
        let mut pieces = Vec::new();
        for piece in &row.pieces {
            match piece.of {
                PieceOf::Text => pieces.push((Role::Quiet, visible(&piece.text))),
                of => self.changed(&mut pieces, of, &piece.text),
            }
        }
        self.wrapped(
            lines,
            self.head(decision_in(row), row.line, ""),
            pieces,
            room,
        );
        if lines.len() - first > AROUND_MOST {
            lines.truncate(first + AROUND_MOST);
            if let Some(last) = lines.last_mut() {
                last.push_span(self.span(Role::Quiet, "…"));
            }
        }
    }

    /// The rows of a whole file from `first` on, as many as fit.
    pub(super) fn whole_file(
        &self,
        rows: &[FileRow],
        (first, current): (usize, usize),
        (width, height): (usize, usize),
    ) -> Vec<Line<'static>> {
        let room = width.saturating_sub(MARGIN).max(8);
        let mut lines = Vec::new();
        for (number, row) in rows.iter().enumerate().skip(first) {
            if lines.len() >= height {
                break;
            }
            let mut pieces = Vec::new();
            let mut before = PieceOf::Text;
            for piece in &row.pieces {
                // Old text and new would run into each other.
                if before == PieceOf::Replaced && matches!(piece.of, PieceOf::New(_)) {
                    pieces.push((Role::Quiet, "→".to_owned()));
                }
                before = piece.of;
                match piece.of {
                    PieceOf::Text => pieces.push((Role::Plain, visible(&piece.text))),
                    of => self.changed(&mut pieces, of, &piece.text),
                }
            }
            let label = if number == current { "▸" } else { "" };
            self.wrapped(
                &mut lines,
                self.head(decision_in(row), row.line, label),
                pieces,
                room,
            );
        }
        lines.truncate(height);
        lines
    }

    fn head(&self, of: Option<Decision>, line: Option<u64>, label: &str) -> Vec<Span<'static>> {
        let (role, sign) = match of {
            Some(decision) => (sign_role(decision), self.palette.sign(decision)),
            None => (Role::Plain, ' '),
        };
        let line = line.map_or(String::new(), |line| line.to_string());
        vec![
            self.span(role, sign.to_string()),
            self.span(Role::Quiet, format!("{line:>5} ")),
            self.span(Role::Strong, format!("{label:<3} ")),
        ]
    }

    /// A text that changes, in as many rows as it takes.
    pub(super) fn whole_text(
        &self,
        lines: &mut Vec<Line<'static>>,
        (label, of): (&str, PieceOf),
        text: &[u8],
        width: usize,
    ) {
        let mut pieces = Vec::new();
        self.changed(&mut pieces, of, text);
        let room = width.saturating_sub(MARGIN).max(8);
        self.wrapped(lines, self.head(None, None, label), pieces, room);
    }

    /// A piece that changes, its blanks drawn; without colour, between signs.
    fn changed(&self, pieces: &mut Vec<Labelled>, of: PieceOf, text: &[u8]) {
        let role = match of {
            PieceOf::Text => Role::Plain,
            PieceOf::Was | PieceOf::Replaced => Role::Was,
            PieceOf::Now => Role::Now,
            PieceOf::Old(decision) | PieceOf::New(decision) => role_of(decision),
        };
        let has_edges = !self.palette.has_colors() || text.is_empty();
        if has_edges {
            pieces.push((Role::Quiet, "‹".to_owned()));
        }
        pieces.push((role, visible_blanks(text)));
        if has_edges {
            pieces.push((Role::Quiet, "›".to_owned()));
        }
    }

    /// Text beside what changes, of which little more than a row or two is kept.
    fn shortened(text: &str, room: usize, (keeps_start, keeps_end): (bool, bool)) -> String {
        let most = 2 * room;
        if text.width() <= 2 * most {
            return text.to_owned();
        }
        let start = if keeps_start { most } else { 0 };
        let end = if keeps_end { most } else { 0 };
        crate::render::highlight::shortened(text, start, end)
    }

    /// Adds pieces, in rows of this many columns, cut between words where that does not waste half of a
    /// row; the first of them begins with `head`.
    fn wrapped(
        &self,
        lines: &mut Vec<Line<'static>>,
        head: Vec<Span<'static>>,
        pieces: Vec<Labelled>,
        room: usize,
    ) {
        let mut line = Line::from(head);
        let mut used = 0;
        let mut turn = |line: &mut Line<'static>, span: Span<'static>| {
            line.push_span(span);
            let next = Line::from(" ".repeat(MARGIN));
            lines.push(std::mem::replace(line, next));
            0
        };
        for (role, text) in pieces {
            let mut part = String::new();
            for word in text.split_inclusive(' ') {
                // A word that fits into a row is not cut.
                let columns = word.trim_end().width();
                if used + columns > room && used > room / 2 && columns <= room {
                    used = turn(&mut line, self.span(role, std::mem::take(&mut part)));
                }
                for grapheme in word.graphemes(true) {
                    // A blank between words may hang over the edge, where nobody sees it.
                    let columns = if grapheme == " " && used == room {
                        0
                    } else {
                        grapheme.width()
                    };
                    if used + columns > room {
                        used = turn(&mut line, self.span(role, std::mem::take(&mut part)));
                    }
                    used += columns;
                    part.push_str(grapheme);
                }
            }
            line.push_span(self.span(role, part));
        }
        lines.push(line);
    }
}

/// Rows in which the pieces of a change take in this many bytes of the text before and behind them.
fn widened(rows: &[FileRow], of: PieceOf, (left, right): (usize, usize)) -> Vec<FileRow> {
    let mut rows = rows.to_vec();
    let is_own = |piece: &Piece| piece.of == of;
    if let Some((row, at)) = rows.iter_mut().find_map(|row| {
        let at = row.pieces.iter().position(is_own)?;
        Some((row, at))
    }) && let Some(before) = at.checked_sub(1)
    {
        let text = &mut row.pieces[before].text;
        let taken = text.split_off(text.len().saturating_sub(left));
        row.pieces[at].text.splice(0..0, taken);
    }
    if let Some((row, at)) = rows.iter_mut().rev().find_map(|row| {
        let at = row.pieces.iter().rposition(is_own)?;
        Some((row, at))
    }) && let Some(after) = row.pieces.get_mut(at + 1)
    {
        let rest = after.text.split_off(right.min(after.text.len()));
        let taken = std::mem::replace(&mut after.text, rest);
        row.pieces[at].text.extend(taken);
    }
    rows
}

/// The decision about the first change of a row.
fn decision_in(row: &FileRow) -> Option<Decision> {
    row.pieces.iter().find_map(|piece| match piece.of {
        PieceOf::Old(decision) | PieceOf::New(decision) => Some(decision),
        PieceOf::Text | PieceOf::Was | PieceOf::Now | PieceOf::Replaced => None,
    })
}
