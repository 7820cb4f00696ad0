//! Boxes over a view.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::{Block, Clear, Paragraph};
use unicode_width::UnicodeWidthStr;

/// Draws lines in a box in the middle of `area`; of more than fit, those from `first` on.
pub fn draw(
    frame: &mut Frame<'_>,
    area: Rect,
    title: &str,
    lines: Vec<Line<'static>>,
    first: usize,
) {
    let widest = lines.iter().map(Line::width).max().unwrap_or(0);
    let widest = widest.max(title.width() + 2);
    let width = u16::try_from(widest + 4)
        .unwrap_or(u16::MAX)
        .min(area.width);
    let height = u16::try_from(lines.len() + 2)
        .unwrap_or(u16::MAX)
        .min(area.height);
    let inner = Rect {
        x: area.x + (area.width - width) / 2,
        y: area.y + (area.height - height) / 2,
        width,
        height,
    };
    let rows = usize::from(height.saturating_sub(2));
    let first = first.min(lines.len().saturating_sub(rows));
    let shown: Vec<_> = lines.into_iter().skip(first).take(rows).collect();
    let framed = Block::bordered().title(format!(" {title} "));
    let padded = framed.padding(ratatui::widgets::Padding::horizontal(1));
    frame.render_widget(Clear, inner);
    frame.render_widget(Paragraph::new(shown).block(padded), inner);
}

/// A text in lines of at most `width` columns, cut between words; those after the first are indented.
pub fn wrapped(text: &str, width: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split(' ') {
        let full = lines
            .last()
            .is_some_and(|line| line.width() + word.width() + 1 > width && !line.trim().is_empty());
        if full {
            lines.push("  ".to_owned());
        }
        if let Some(line) = lines.last_mut() {
            if !line.trim().is_empty() {
                line.push(' ');
            }
            line.push_str(word);
        }
    }
    lines
}
