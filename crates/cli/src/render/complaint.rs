use crate::complaint::Complaint;
use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};
use brisk_quill_core::escape::visible;

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
            let (text, span) = (&quote.text, quote.span.range());
            title.element(
                Snippet::source(text.as_str())
                    .path(quote.name.as_str())
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
