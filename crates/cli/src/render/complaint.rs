use crate::complaint::Complaint;
use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};
use brisk_quill_core::escape::{push_visible_char, visible};
use std::ops::Range;

/// A complaint as text, with a caret under the place where there is one.
pub fn complaint(complaint: &Complaint, color: bool) -> String {
    let renderer = if color {
        Renderer::styled()
    } else {
        Renderer::plain()
    };
    let message = visible(complaint.message.as_bytes());
    let title = Level::ERROR.primary_title(message);
    let mut group = match &complaint.quote {
        Some(quote) => {
            let (text, span) = quoted(&quote.text, quote.span.range());
            title.element(
                Snippet::source(text)
                    .path(visible(quote.name.as_bytes()))
                    .annotation(AnnotationKind::Primary.span(span)),
            )
        }
        None => annotate_snippets::Group::with_title(title),
    };
    if let Some(remedy) = &complaint.remedy {
        group = group.element(Level::HELP.message(visible(remedy.as_bytes())));
    }
    let mut text = renderer.render(&[group]);
    text.push('\n');
    text
}

/// A quoted text with its lines as they are and every other control visible, and where a place in
/// it is then.
fn quoted(text: &str, place: Range<usize>) -> (String, Range<usize>) {
    let mut out = String::with_capacity(text.len());
    let mut moved = place.clone();
    for (at, c) in text.char_indices() {
        if at == place.start {
            moved.start = out.len();
        }
        if at == place.end {
            moved.end = out.len();
        }
        match c {
            '\n' => out.push(c),
            '\r' if text[at..].starts_with("\r\n") => {}
            c => push_visible_char(&mut out, c),
        }
    }
    if place.start >= text.len() {
        moved.start = out.len();
    }
    if place.end >= text.len() {
        moved.end = out.len();
    }
    (out, moved)
}
