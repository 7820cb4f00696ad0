//! Patterns that match more than the one that was asked for.

use crate::hints::names::is_name;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::pattern::outline::{Leaf, Outline, RepeatOf};
use brisk_quill_core::pattern::{Finder, Pattern};
use brisk_quill_core::query::Query;
use brisk_quill_core::step::actions::Action;
use brisk_quill_core::unit::UnitKind;

/// The reason for which a wider pattern is looked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WiderKind {
    /// The same in any letter case.
    AnyCase,
    /// The same name in another spelling.
    Spelling,
    /// The new text.
    NewText,
    /// The pattern read as in another dialect.
    Dialect,
    /// The pattern as a text.
    AsWritten,
    /// A text as a pattern.
    AsPattern,
    /// The pattern with its repeat around all the text before it.
    WholeRepeat,
}

/// A pattern that matches more than a step's own, or something else that matters.
#[derive(Debug)]
pub struct WiderForm {
    /// The reason for it.
    pub kind: WiderKind,
    /// The pattern.
    pub pattern: Pattern,
    /// The matches count only where they are whole words.
    pub is_word: bool,
}

/// Scratch memory for the wider forms of a request, to be used again for other files.
#[derive(Debug, Default)]
pub struct WiderFinders {
    /// For each wider form of each step, made when it is first needed.
    steps: Vec<Vec<Option<Finder>>>,
}

impl WiderFinders {
    /// A finder for each of the wider `forms` of step `index`, from 0.
    pub fn of_step(
        &mut self,
        index: usize,
        forms: &[WiderForm],
    ) -> impl Iterator<Item = &mut Finder> {
        let steps = self.steps.len().max(index + 1);
        self.steps.resize_with(steps, Vec::new);
        let finders = &mut self.steps[index];
        finders.resize_with(forms.len(), || None);
        let pairs = finders.iter_mut().zip(forms);
        pairs.map(|(finder, form)| finder.get_or_insert_with(|| form.pattern.finder()))
    }
}

/// Letters in a row that a pattern must hold before its letter case is of interest.
const LETTERS_LEAST: usize = 2;
/// New texts of a table that are looked for.
const NEW_TEXTS_MOST: usize = 200;
/// Letters that a new text must hold before it is looked for.
const NEW_LETTERS_LEAST: usize = 3;

/// The wider forms of a query.
pub fn forms(query: &Query, action: &Action, outline: &Outline) -> Vec<WiderForm> {
    let all = [
        any_case(query, outline),
        spelling(query, outline),
        new_text(query, action, outline),
        dialect(query),
        as_written(query),
        as_pattern(query),
        whole_repeat(query, outline),
    ];
    all.into_iter().flatten().collect()
}

fn any_case(query: &Query, outline: &Outline) -> Option<WiderForm> {
    let options = query.pattern.options();
    let holds_letters = outline.parts.iter().any(|part| match &part.leaf {
        Leaf::Text(text) => text.chars().filter(|c| c.is_alphabetic()).count() >= LETTERS_LEAST,
        Leaf::Choice => true,
        _ => false,
    });
    if options.ignore_case || !holds_letters {
        return None;
    }
    let options = MatchOptions {
        ignore_case: true,
        ..*options
    };
    Some(WiderForm {
        kind: WiderKind::AnyCase,
        pattern: Pattern::new(query.pattern.source(), &options).ok()?,
        is_word: false,
    })
}

/// The same words joined in another way: `berth_plan`, `berthPlan`, `berth-plan`.
fn spelling(query: &Query, outline: &Outline) -> Option<WiderForm> {
    let text = outline.text()?;
    let words = words_of(&text);
    if words.len() < 2
        || text
            .chars()
            .any(|c| !c.is_alphanumeric() && !"_- ".contains(c))
    {
        return None;
    }
    let options = MatchOptions {
        ignore_case: true,
        literal: false,
        ..*query.pattern.options()
    };
    Some(WiderForm {
        kind: WiderKind::Spelling,
        pattern: Pattern::new(&any_spelling(&words), &options).ok()?,
        is_word: true,
    })
}

/// The pattern of words in any spelling, without its flag for letter case.
pub fn any_spelling(words: &[String]) -> String {
    words.join("[-_ ]?")
}

/// The words of a name: `quay_wall`, `quayWall` and `Quay wall` have two.
pub fn words_of(name: &str) -> Vec<String> {
    let mut words: Vec<String> = Vec::new();
    let mut was_lower = false;
    let mut joined = true;
    for c in name.chars() {
        if !c.is_alphanumeric() {
            joined = true;
            continue;
        }
        if joined || (c.is_uppercase() && was_lower) {
            words.push(String::new());
        }
        joined = false;
        was_lower = c.is_lowercase() || c.is_numeric();
        if let Some(word) = words.last_mut() {
            word.extend(c.to_lowercase());
        }
    }
    words
}

/// The text that a name is given, where it may be there already.
fn new_text(query: &Query, action: &Action, outline: &Outline) -> Option<WiderForm> {
    let (Action::Replace(template), UnitKind::Line) = (action, query.unit) else {
        return None;
    };
    let (old, new) = (outline.text()?, template.source());
    let is_plain = |text: &str| {
        text.chars()
            .all(|c| c.is_alphanumeric() || "_- ".contains(c))
    };
    let letters = new.chars().filter(|c| c.is_alphabetic()).count();
    if !is_plain(&old) || !is_plain(new) || letters < NEW_LETTERS_LEAST {
        return None;
    }
    // Words of everyday language may become one with others.
    if !is_name(new) && !query.pattern.options().whole_word {
        return None;
    }
    let options = MatchOptions {
        literal: true,
        ..MatchOptions::default()
    };
    Some(WiderForm {
        kind: WiderKind::NewText,
        pattern: Pattern::new(new, &options).ok()?,
        is_word: true,
    })
}

/// The new texts of a table, where they may be there already.
pub fn new_texts(action: &Action) -> Option<WiderForm> {
    let Action::Pairs(pairs) = action else {
        return None;
    };
    let texts: Vec<String> = (pairs.new_texts().take(NEW_TEXTS_MOST))
        .filter(|text| text.chars().filter(|c| c.is_alphabetic()).count() >= NEW_LETTERS_LEAST)
        .map(escaped)
        .collect();
    if texts.is_empty() {
        return None;
    }
    Some(WiderForm {
        kind: WiderKind::NewText,
        pattern: Pattern::new(&texts.join("|"), &MatchOptions::default()).ok()?,
        is_word: true,
    })
}

/// The pattern with `\(`, `\|` and their like read as signs, as some other dialects do.
fn dialect(query: &Query) -> Option<WiderForm> {
    let pattern = &query.pattern;
    if pattern.options().literal {
        return None;
    }
    Some(WiderForm {
        kind: WiderKind::Dialect,
        pattern: Pattern::new(&in_our_signs(pattern.source())?, pattern.options()).ok()?,
        is_word: false,
    })
}

/// The pattern as a text, where it holds signs and escapes none.
fn as_written(query: &Query) -> Option<WiderForm> {
    let pattern = &query.pattern;
    let source = pattern.source();
    let holds_signs = source.contains(|c| "()[]{}$^*+?|.".contains(c)) && !source.contains('\\');
    let holds_text = source.chars().any(char::is_alphanumeric);
    if pattern.options().literal || !holds_signs || !holds_text {
        return None;
    }
    Some(WiderForm {
        kind: WiderKind::AsWritten,
        pattern: Pattern::new(&escaped(source), pattern.options()).ok()?,
        is_word: false,
    })
}

/// A text as a pattern, where it holds what is a sign in one.
fn as_pattern(query: &Query) -> Option<WiderForm> {
    let pattern = &query.pattern;
    let source = pattern.source();
    if !pattern.options().literal || !source.contains(['\\', '[', '*', '+', '?', '^', '$', '|']) {
        return None;
    }
    let options = MatchOptions {
        literal: false,
        ..*pattern.options()
    };
    Some(WiderForm {
        kind: WiderKind::AsPattern,
        pattern: Pattern::new(source, &options).ok()?,
        is_word: false,
    })
}

/// The pattern with the first repeat of a single character around all the text before it.
fn whole_repeat(query: &Query, outline: &Outline) -> Option<WiderForm> {
    let pattern = &query.pattern;
    let pairs = outline.parts.windows(2);
    let (text, repeat) = { pairs }.find_map(|pair| match (&pair[0].leaf, &pair[1].leaf) {
        (
            Leaf::Text(_),
            Leaf::Repeat {
                of: RepeatOf::Text,
                most,
                ..
            },
        ) if *most != Some(1) && pair[0].span.to == pair[1].span.from => {
            Some((pair[0].span, pair[1].span))
        }
        _ => None,
    })?;
    let mut source = pattern.source().to_owned();
    let last = source[repeat.range()].chars().next()?;
    if last == '\\' {
        return None;
    }
    source.insert(repeat.from + last.len_utf8(), ')');
    source.insert_str(text.from, "(?:");
    Some(WiderForm {
        kind: WiderKind::WholeRepeat,
        pattern: Pattern::new(&source, pattern.options()).ok()?,
        is_word: false,
    })
}

/// The pattern without `\v` before it, without the slashes around it, or without the backslashes before parentheses, braces, `|`,
/// `+` and `?`; `None` where there is none of them.
fn in_our_signs(source: &str) -> Option<String> {
    if let Some(rest) = source.strip_prefix(r"\v").filter(|rest| !rest.is_empty()) {
        return Some(rest.to_owned());
    }
    let inner = source
        .strip_prefix('/')
        .and_then(|rest| rest.strip_suffix('/'));
    if let Some(inner) = inner.filter(|inner| !inner.is_empty()) {
        return Some(inner.to_owned());
    }
    let mut out = String::with_capacity(source.len());
    let mut chars = source.chars().peekable();
    while let Some(c) = chars.next() {
        if c != '\\' {
            out.push(c);
            continue;
        }
        match chars.next() {
            Some(sign) if "(){}|+?".contains(sign) => out.push(sign),
            Some(other) => out.extend(['\\', other]),
            None => out.push('\\'),
        }
    }
    (out != source).then_some(out)
}

/// Plain text as a pattern. What is only drawn is written as a sign, so that it can be copied.
pub fn escaped(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        match c {
            '\t' => out.push_str(r"\t"),
            '\n' => out.push_str(r"\n"),
            '\r' => out.push_str(r"\r"),
            c if c.is_control() || (c.is_whitespace() && c != ' ') => {
                out.push_str(&format!(r"\u{{{:04X}}}", u32::from(c)));
            }
            c => {
                if "\\.+*?()|[]{}^$".contains(c) {
                    out.push('\\');
                }
                out.push(c);
            }
        }
    }
    out
}
