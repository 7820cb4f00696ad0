//! The fields of a step, and what stands under the one that has the focus.

use crate::draft::action::Focus;
use crate::draft::request::FieldName;
use crate::draft::screen::Screen;
use crate::draft::state::State;
use crate::full_screen::boxes::wrapped;
use crate::full_screen::field::Field;
use crate::full_screen::fit::head;
use crate::full_screen::palette::Role;
use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::explain::Explained;
use brisk_quill_core::span::Span;
use ratatui::text::Line;
use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// Columns before the text of a field.
const LABEL: usize = 11;
/// The least height of a screen with three lines under a field.
const TALL: u16 = 20;

/// The fields as they are drawn.
pub(super) struct Fields {
    pub lines: Vec<Line<'static>>,
    /// The place of the cursor among them, column and row, from 0.
    pub cursor: Option<(u16, u16)>,
}

/// The part of a field that is in sight.
pub(super) struct InSight {
    pub text: String,
    /// The offsets in the field at which it begins, and one past its end.
    pub from: usize,
    to: usize,
    /// Text before it is left out.
    pub is_cut: bool,
}

impl Screen<'_> {
    pub(super) fn fields(&self, state: &State, width: u16, height: u16) -> Fields {
        let room = usize::from(width).saturating_sub(LABEL + 1);
        let mut fields = Fields {
            lines: Vec::new(),
            cursor: None,
        };
        for name in FieldName::ALL {
            let field = state.steps[state.step].field(name);
            let has_focus = state.focus == Focus::Field(name);
            let seen = in_sight(field, room);
            let role = if has_focus { Role::Strong } else { Role::Quiet };
            let fault = state.known.fault.as_ref();
            let is_faulty =
                fault.is_some_and(|fault| fault.field == name && fault.step == state.step);
            let mark = if is_faulty { "!" } else { " " };
            let mut spans = vec![
                self.span(Role::Problem, mark),
                self.span(role, format!("{:<width$}", name.name(), width = LABEL - 1)),
            ];
            if seen.is_cut {
                spans.push(self.span(Role::Quiet, "…"));
            }
            let (shown, role) = match seen.text.is_empty() && !has_focus {
                true => (placeholder(state, name).to_owned(), Role::Quiet),
                false => (seen.text.clone(), Role::Plain),
            };
            spans.push(self.span(role, shown));
            // There are few.
            let row = fields.lines.len() as u16;
            fields.lines.push(Line::from(spans));
            if has_focus {
                let before = &field.text()[seen.from..field.cursor()];
                let column = LABEL + usize::from(seen.is_cut) + visible(before.as_bytes()).width();
                fields.cursor = Some((u16::try_from(column).unwrap_or(u16::MAX), row));
                let most = if height >= TALL { 3 } else { 2 };
                let mut under = self.under(state, name, &seen, usize::from(width));
                under.truncate(most);
                under.resize(most, Line::default());
                fields.lines.extend(under);
            }
        }
        // A fault elsewhere is said too, where there is room.
        if let Some(fault) = &state.known.fault {
            let is_shown = state.focus == Focus::Field(fault.field) && fault.step == state.step;
            if !is_shown {
                let of = match fault.step == state.step {
                    true => fault.field.name().to_owned(),
                    false => format!("{} of step {}", fault.field.name(), fault.step + 1),
                };
                let text = format!(" {of}: {}", fault.diagnostic.message);
                let text = head(&visible(text.as_bytes()), usize::from(width));
                fields
                    .lines
                    .push(Line::from(self.span(Role::Problem, text)));
            }
        }
        fields
    }

    /// The fault of a field, or the meaning of the part at its cursor.
    fn under(
        &self,
        state: &State,
        name: FieldName,
        seen: &InSight,
        width: usize,
    ) -> Vec<Line<'static>> {
        let field = state.steps[state.step].field(name);
        if name == FieldName::Options && is_naming(state, field) {
            return self.option_lines(state, field, width);
        }
        let fault = state.known.fault.as_ref();
        if let Some(fault) = fault.filter(|fault| fault.field == name && fault.step == state.step) {
            return self.fault_lines(&fault.diagnostic, (name, field), seen, width);
        }
        let built = state.known.built.as_ref().filter(|_| !state.is_stale());
        let at = field.cursor();
        match (name, built) {
            (FieldName::Pattern, Some(built)) if built.step().is_some() => {
                let innermost = built.draft.pattern.iter().filter(|part| {
                    let (from, to) = (part.span.from, part.span.to);
                    from <= at && (at < to || at == to && to == field.text().len())
                });
                let Some(part) = innermost.max_by_key(|part| (part.depth, part.span.from)) else {
                    return Vec::new();
                };
                let text = visible(&field.text().as_bytes()[part.span.range()]);
                let meaning = format!("{text}   {}", words_of(part, &built.draft.pattern));
                self.meaning_lines((field.text(), part.span), &meaning, (seen, width))
            }
            (FieldName::Template, Some(built)) => {
                let part = part_of_template(field.text(), at);
                let Some((index, span)) = part else {
                    let text = "$1 or ${1} writes group 1 back, $0 the whole match; ${1 | upper} changes it";
                    return self.meaning_lines(
                        (field.text(), Span::new(0, 0)),
                        text,
                        (seen, width),
                    );
                };
                let Some((text, words)) = built.draft.template.get(index) else {
                    return Vec::new();
                };
                self.meaning_lines(
                    (field.text(), span),
                    &format!("{text}   {words}"),
                    (seen, width),
                )
            }
            (FieldName::Options, _) => self.option_lines(state, field, width),
            (FieldName::Pattern | FieldName::Template, _) => Vec::new(),
        }
    }

    /// A line under a part, and its meaning.
    fn meaning_lines(
        &self,
        (source, span): (&str, Span),
        meaning: &str,
        (seen, width): (&InSight, usize),
    ) -> Vec<Line<'static>> {
        let mut lines = vec![self.underline((source, span), ('─', Role::Match), seen, width)];
        let room = width.saturating_sub(LABEL);
        for line in wrapped(meaning, room) {
            let text = format!("{:LABEL$}{line}", "");
            lines.push(Line::from(self.span(Role::Quiet, text)));
        }
        lines
    }

    /// A line of signs under a part of a field.
    fn underline(
        &self,
        (source, span): (&str, Span),
        (sign, role): (char, Role),
        seen: &InSight,
        width: usize,
    ) -> Line<'static> {
        let columns = |offset: usize| {
            let offset = offset.clamp(seen.from, seen.to);
            visible(&source.as_bytes()[seen.from..offset]).width()
        };
        let start = LABEL + usize::from(seen.is_cut);
        let (from, to) = (start + columns(span.from), start + columns(span.to));
        let length = to
            .saturating_sub(from)
            .max(1)
            .min(width.saturating_sub(from).max(1));
        let line = sign.to_string().repeat(length);
        Line::from(vec![
            self.span(Role::Plain, " ".repeat(from)),
            self.span(role, line),
        ])
    }

    /// The fault, its place, and what to do.
    fn fault_lines(
        &self,
        diagnostic: &crate::diagnostic::Diagnostic,
        (name, field): (FieldName, &Field),
        seen: &InSight,
        width: usize,
    ) -> Vec<Line<'static>> {
        let mut lines = Vec::new();
        let quote = diagnostic.quote.as_ref();
        let place = quote.and_then(|quote| {
            // The value of an option stands somewhere among them.
            let start = match name {
                FieldName::Options => field.text().rfind(&quote.text)?,
                FieldName::Pattern | FieldName::Template => 0,
            };
            Some(Span::new(start + quote.span.from, start + quote.span.to))
        });
        lines.push(match place {
            Some(span) => self.underline((field.text(), span), ('‾', Role::Problem), seen, width),
            None => Line::default(),
        });
        let room = width.saturating_sub(LABEL);
        let push = |lines: &mut Vec<Line<'static>>, role, text: &str| {
            let text = head(&visible(text.as_bytes()), room);
            lines.push(Line::from(self.span(role, format!("{:LABEL$}{text}", ""))));
        };
        push(&mut lines, Role::Problem, &diagnostic.message);
        if let Some(remedy) = &diagnostic.remedy {
            push(&mut lines, Role::Plain, remedy);
        }
        lines
    }

    /// The options whose names begin as the word at the cursor does, or the help of the option
    /// there.
    fn option_lines(&self, state: &State, field: &Field, width: usize) -> Vec<Line<'static>> {
        let (before, _, _) = field.parts();
        let room = width.saturating_sub(LABEL);
        let line = |text: &str| {
            let text = head(text, room);
            Line::from(self.span(Role::Quiet, format!("{:LABEL$}{text}", "")))
        };
        let candidates = state.names.candidates(before);
        if let [option] = &candidates[..] {
            return vec![line(&format!(
                "{} {}   {}",
                option.long, option.values, option.help
            ))];
        }
        if !candidates.is_empty() {
            let names: Vec<&str> = candidates
                .iter()
                .map(|option| option.long.as_str())
                .collect();
            let mut lines: Vec<_> = wrapped(&names.join("  "), room)
                .iter()
                .map(|text| line(text))
                .collect();
            lines.insert(0, line("Tab completes:"));
            return lines;
        }
        let words = before.split_whitespace().rev();
        let named = words.filter_map(|word| state.names.named(word)).next();
        match named {
            Some(option) => vec![line(&format!(
                "{} {}   {}",
                option.long, option.values, option.help
            ))],
            None => vec![line(
                "the words of the command line: `-i --lines 4.. --pick first`; `--` lists all",
            )],
        }
    }
}

/// True if the name of an option is being typed.
fn is_naming(state: &State, field: &Field) -> bool {
    let (before, _, _) = field.parts();
    let word = before
        .rsplit(char::is_whitespace)
        .next()
        .unwrap_or_default();
    !state.names.candidates(before).is_empty() && state.names.named(word).is_none()
}

/// The part of a field around its cursor that fits.
fn in_sight(field: &Field, room: usize) -> InSight {
    in_sight_of(field.parts(), room)
}

/// The part around a cursor that fits: of the text before it, under it, and after it.
pub(super) fn in_sight_of((before, under, after): (&str, &str, &str), room: usize) -> InSight {
    // Only what may be in sight is looked at: a field may hold a megabyte.
    let mut from = before.len();
    let mut used = 1;
    for (at, grapheme) in before.grapheme_indices(true).rev() {
        used += visible(grapheme.as_bytes()).width();
        if used + 1 > room {
            break;
        }
        from = at;
    }
    let mut text = visible(&before.as_bytes()[from..]);
    let mut to = before.len();
    let mut left = room.saturating_sub(text.width() + usize::from(from > 0));
    for grapheme in [under].into_iter().chain(after.graphemes(true)) {
        let shown = visible(grapheme.as_bytes());
        match left.checked_sub(shown.width()) {
            Some(rest) => left = rest,
            None => break,
        }
        text.push_str(&shown);
        to += grapheme.len();
    }
    InSight {
        text,
        from,
        to,
        is_cut: from > 0,
    }
}

/// The words in an empty field.
fn placeholder(state: &State, name: FieldName) -> &'static str {
    let options = state.steps[state.step].field(FieldName::Options).text();
    match name {
        FieldName::Pattern => "",
        FieldName::Template if options.contains("--") => "",
        FieldName::Template => "(none: nothing is changed)",
        FieldName::Options => "",
    }
}

/// The part of a template at an offset: its number, from 0, as the explanation counts them, and its
/// place. A reference is a part, and so is the text between two.
fn part_of_template(source: &str, at: usize) -> Option<(usize, Span)> {
    let mut parts: Vec<Span> = Vec::new();
    let mut is_text = false;
    let mut from = 0;
    while from < source.len() {
        let length = reference(&source[from..]);
        let step = length.unwrap_or_else(|| text_length(&source[from..]));
        match (length, is_text, parts.last_mut()) {
            (None, true, Some(last)) => last.to = from + step,
            _ => parts.push(Span::new(from, from + step)),
        }
        is_text = length.is_none();
        from += step;
    }
    let is_at = |span: &Span| span.from <= at && (at < span.to || at == source.len());
    let index = parts.iter().rposition(is_at)?;
    Some((index, parts[index]))
}

/// The length of the reference that a text begins with.
fn reference(text: &str) -> Option<usize> {
    let rest = text.strip_prefix('$')?;
    if rest.starts_with('{') {
        let mut quote = None;
        for (at, c) in rest.char_indices() {
            match (quote, c) {
                (None, '}') => return Some(at + 2),
                (None, '\'' | '"') => quote = Some(c),
                (Some(open), c) if c == open => quote = None,
                _ => {}
            }
        }
        return Some(text.len());
    }
    let is_digit = |c: char| c.is_ascii_digit();
    let is_name = |c: char| c.is_alphanumeric() || c == '_';
    let name = match rest.starts_with(is_digit) {
        true => rest.find(|c| !is_digit(c)),
        false => rest.find(|c| !is_name(c)),
    };
    let length = name.unwrap_or(rest.len());
    (length > 0).then_some(length + 1)
}

/// The length of the first sign of a text that is not a reference.
fn text_length(text: &str) -> usize {
    let signs = if text.starts_with("$$") || text.starts_with('\\') {
        2
    } else {
        1
    };
    text.chars().take(signs).map(char::len_utf8).sum()
}

/// The name of a row's file.
pub(super) fn name_of_file(state: &State, file: usize) -> String {
    let built = state.known.built.as_ref();
    let source = built.and_then(|built| built.draft.texts.sources.listing.sources.get(file));
    let is_sample = built.is_some_and(|built| built.sample.is_some());
    source.map_or_else(String::new, |source| {
        match (source.path().as_os_str() == "-", is_sample) {
            (true, true) => "the sample".to_owned(),
            (true, false) => "standard input".to_owned(),
            (false, _) => visible_path(source.path()),
        }
    })
}

/// The words for a part of a pattern, and those for the only part in it.
fn words_of(part: &Explained, all: &[Explained]) -> String {
    let Some(words) = part.words.strip_suffix(':') else {
        return part.words.clone();
    };
    let is_inside = |other: &&Explained| {
        let span = part.span;
        other.depth == part.depth + 1 && other.span.from >= span.from && other.span.to <= span.to
    };
    let mut inside = all.iter().filter(is_inside);
    match (inside.next(), inside.next()) {
        (Some(only), None) => format!("{words}: {}", words_of(only, all)),
        _ => words.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_of_templates_are_found() {
        let source = "B-${1 | pad 2}, $$ $2x";
        for (at, wanted, text) in [
            (0, 0, "B-"),
            (1, 0, "B-"),
            (2, 1, "${1 | pad 2}"),
            (13, 1, "${1 | pad 2}"),
            (14, 2, ", $$ "),
            (20, 3, "$2"),
            (21, 4, "x"),
            (22, 4, "x"),
        ] {
            let (index, span) = part_of_template(source, at).expect("a part");
            assert_eq!((index, &source[span.range()]), (wanted, text), "{at}");
        }
        assert_eq!(part_of_template("", 0), None);
        assert_eq!(
            part_of_template("${1 | map '}.csv'", 3),
            Some((0, Span::new(0, 17)))
        );
    }
}
