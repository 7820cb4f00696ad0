//! Hints: what is allowed but often not meant.

use brisk_quill_core::escape::visible;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::syntax::PatternNote;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::template::part::TemplateNote;

/// Something that often means a mistake.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_engine::hints::of_pattern;
/// let pattern = Pattern::new("[A-z]+", &MatchOptions::default()).expect("a pattern");
/// assert_eq!(of_pattern(&pattern)[0].name, "range-with-signs");
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Hint {
    /// The name of its kind.
    pub name: &'static str,
    /// One sentence without its full stop.
    pub message: String,
}

/// The hints about a rewrite.
pub fn of_rewrite(rewrite: &Rewrite) -> Vec<Hint> {
    let mut hints = Vec::new();
    for step in rewrite.steps() {
        hints.extend(of_pattern(&step.query.pattern));
        for template in step.action.templates() {
            let notes = template.notes().iter();
            hints.extend(notes.map(|note| group_then_digit(template.source(), note)));
        }
    }
    hints
}

/// The hints about a pattern.
pub fn of_pattern(pattern: &Pattern) -> Vec<Hint> {
    let hint = |note: &PatternNote| {
        let range = &pattern.source()[note.span.range()];
        let (from, to) = range.split_once('-').unwrap_or((range, "z"));
        let message = format!(
            "`{range}` also takes the signs `[`, `\\`, `]`, `^`, `_` and `` ` ``; write `{from}-Za-{to}` for \
             letters alone"
        );
        Hint {
            name: "range-with-signs",
            message,
        }
    };
    pattern.notes().iter().map(hint).collect()
}

fn group_then_digit(source: &str, note: &TemplateNote) -> Hint {
    let TemplateNote {
        group,
        digits,
        span,
    } = note;
    let message = format!(
        "`{}` is group {group} followed by the text `{digits}`, for there is no group \
         {group}{digits}; write `${{{group}}}{digits}` if that is meant",
        visible(source[span.range()].as_bytes()),
    );
    Hint {
        name: "group-then-digit",
        message,
    }
}
