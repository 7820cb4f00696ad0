//! Texts cut to the room there is, and lines drawn one below the other.

use ratatui::Frame;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::Line;
use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// As much of the start of a text as fits.
pub fn head(text: &str, width: usize) -> String {
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
pub fn tail(text: &str, width: usize) -> String {
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

/// As many keys of a foot as fit whole; two blanks stand between them, and the last one always stays.
pub fn keys_that_fit(keys: &str, width: usize) -> String {
    let mut all: Vec<&str> = keys.split("  ").collect();
    while all.len() > 1 && all.join("  ").width() > width {
        all.remove(all.len() - 2);
    }
    all.join("  ")
}

/// Draws lines one below the other, as many as fit.
pub fn draw_lines(frame: &mut Frame<'_>, area: Rect, lines: Vec<Line<'static>>) {
    let buffer = frame.buffer_mut();
    for (line, row) in lines.into_iter().zip(area.rows()) {
        let mut x = row.x;
        for span in &line.spans {
            let left = usize::from(row.right() - x);
            x = match plain(&span.content) {
                Some(text) => draw_plain(
                    buffer,
                    (x, row.y),
                    &text[..text.len().min(left)],
                    span.style,
                ),
                None => buffer.set_span(x, row.y, span, row.right() - x).0,
            };
        }
    }
}

/// A text of printable ASCII; nearly all text is, and each of its bytes takes a column.
fn plain(text: &str) -> Option<&str> {
    let is_plain = text.bytes().all(|byte| matches!(byte, b' '..=b'~'));
    is_plain.then_some(text)
}

/// Draws such a text; gives the column behind it.
fn draw_plain(buffer: &mut Buffer, (x, y): (u16, u16), text: &str, style: Style) -> u16 {
    let mut at = x;
    for byte in text.bytes() {
        buffer[(at, y)].set_char(char::from(byte)).set_style(style);
        at += 1;
    }
    at
}
