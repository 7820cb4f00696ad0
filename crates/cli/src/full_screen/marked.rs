//! Text with marked parts on one row, moved so that the first of them, or the one at the cursor, is in sight.

use crate::full_screen::palette::{Palette, Role};
use brisk_quill_core::escape::visible;
use brisk_quill_core::span::Span as Range;
use ratatui::text::Span;
use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// The looks of a text and of what is marked in it.
#[derive(Clone, Copy)]
pub struct Look {
    pub plain: Role,
    pub marked: Role,
    /// The mark at the cursor, from 0, where there are several.
    pub at_cursor: Option<usize>,
}

/// One line of text in at most `room` columns, `sideways` columns further on. The marks are in
/// order. Without colour, and where they are empty or touch, `‹` and `›` say what is marked.
pub fn spans(
    palette: Palette,
    (text, marks): (&[u8], &[Range]),
    look: Look,
    (room, sideways): (usize, usize),
) -> Vec<Span<'static>> {
    let pieces = pieces(palette, (text, marks), look);
    let has = |wanted: Role| pieces.iter().position(|(role, _)| *role == wanted);
    let at_cursor = look.at_cursor.and_then(|_| has(Role::Chosen));
    let first = at_cursor.or_else(|| has(look.marked));
    let width =
        |pieces: &[(Role, String)]| pieces.iter().map(|(_, text)| text.width()).sum::<usize>();
    let (before, with) = match first {
        Some(first) if look.plain != look.marked => {
            (width(&pieces[..first]), width(&pieces[..=first]))
        }
        _ => (0, 0),
    };
    let skip = match with > room {
        true => before.saturating_sub(room / 3) + sideways,
        false => sideways,
    };
    let mut spans = Vec::new();
    let mut room = room;
    if skip > 0 {
        spans.push(palette.span(Role::Quiet, "…"));
        room = room.saturating_sub(1);
    }
    let (mut passed, mut used) = (0, 0);
    for (role, piece) in pieces {
        let mut shown = String::new();
        if piece.is_ascii() {
            // Nearly all text is this, and each of its bytes takes a column.
            let from = skip.saturating_sub(passed).min(piece.len());
            let to = piece.len().min(from + (room - used));
            passed += piece.len();
            used += to - from;
            shown.push_str(&piece[from..to]);
        } else {
            (passed, used) = cut(&piece, (skip, room), (passed, used), &mut shown);
        }
        if !shown.is_empty() {
            spans.push(palette.span(role, shown));
        }
        if used >= room {
            break;
        }
    }
    spans
}

/// All of a text on rows of `room` columns, cut between words where that wastes less than half a row; `None` where it
/// takes more than `most` rows.
pub fn wrapped(
    palette: Palette,
    (text, marks): (&[u8], &[Range]),
    look: Look,
    (room, most): (usize, usize),
) -> Option<Vec<Vec<Span<'static>>>> {
    let pieces = pieces(palette, (text, marks), look);
    let width: usize = pieces.iter().map(|(_, piece)| piece.width()).sum();
    if room == 0 || width > room * most {
        return None;
    }
    let mut rows = Vec::new();
    let mut row: Vec<(Role, &str)> = Vec::new();
    let mut used = 0;
    for (role, piece) in &pieces {
        for grapheme in piece.graphemes(true) {
            if used == room && *grapheme == *" " {
                // A blank between words ends the row, and begins none.
                rows.push(in_spans(palette, &std::mem::take(&mut row)));
                used = 0;
                continue;
            }
            if used + grapheme.width() > room {
                let blank = row.iter().rposition(|(_, one)| *one == " ");
                let kept = blank.filter(|at| *at >= row.len() / 2);
                let rest = row.split_off(kept.map_or(row.len(), |at| at + 1));
                rows.push(in_spans(palette, &row));
                used = rest.iter().map(|(_, one)| one.width()).sum();
                row = rest;
            }
            used += grapheme.width();
            row.push((*role, grapheme));
        }
    }
    if !row.is_empty() || rows.is_empty() {
        rows.push(in_spans(palette, &row));
    }
    Some(rows)
}

/// Signs of one look behind each other as one span.
fn in_spans(palette: Palette, row: &[(Role, &str)]) -> Vec<Span<'static>> {
    let looks = row.chunk_by(|one, next| one.0 == next.0);
    let span = |signs: &[(Role, &str)]| {
        let text: String = signs.iter().map(|(_, sign)| *sign).collect();
        palette.span(signs[0].0, text)
    };
    looks.map(span).collect()
}

/// Adds what is in sight of a piece to `shown`; gives the columns that were passed and used.
fn cut(
    piece: &str,
    (skip, room): (usize, usize),
    (mut passed, mut used): (usize, usize),
    shown: &mut String,
) -> (usize, usize) {
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
    (passed, used)
}

/// The marked and the other parts, and the signs between them.
fn pieces(palette: Palette, (text, marks): (&[u8], &[Range]), look: Look) -> Vec<(Role, String)> {
    let mut pieces = Vec::new();
    let mut at = 0;
    for (index, mark) in marks.iter().enumerate() {
        let (from, to) = (
            mark.from.clamp(at, text.len()),
            mark.to.clamp(at, text.len()),
        );
        let touches = index > 0 && marks[index - 1].to == mark.from
            || marks
                .get(index + 1)
                .is_some_and(|next| next.from == mark.to);
        let edges = !palette.has_colors() || mark.is_empty() || touches;
        if from > at {
            pieces.push((look.plain, visible(&text[at..from])));
        }
        if edges {
            pieces.push((Role::Quiet, "‹".to_owned()));
        }
        let role = match look.at_cursor == Some(index) {
            true => Role::Chosen,
            false => look.marked,
        };
        pieces.push((role, visible(&text[from..to])));
        if edges {
            pieces.push((Role::Quiet, "›".to_owned()));
        }
        at = to;
    }
    if at < text.len() {
        pieces.push((look.plain, visible(&text[at..])));
    }
    pieces
}
