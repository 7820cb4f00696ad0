//! `odd-class`: signs within `[…]` that are taken as themselves, and often meant otherwise.

use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::nearest::alike;
use brisk_quill_core::span::Span;

pub const RULE: Rule = Rule {
    name: "odd-class",
    speaks: "within `[…]`, `|` or `,` stands between single characters, or a range such as `A-z` took a sign",
    example: Example {
        words: &["[N|S|E|W]", "--with", "<$0>"],
        file: "notice.txt",
        text: b"wind N\ndepth 4|5\n",
    },
    hides: &["near-miss", "inside-word", "touches-digit"],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    separated(study)
        .or_else(|| bare_class(study))
        .or_else(|| range_with_signs(study))
}

fn separated(study: &StepStudy<'_>) -> Option<Hint> {
    let pattern = study.plan.pattern();
    let classes = &study.plan.outline.as_ref()?.classes;
    let odd = classes.iter().find_map(|span| {
        let class = &pattern.source()[span.range()];
        let (separator, amended) = without_separators(class)?;
        Some((span, class, separator, amended))
    });
    let (span, class, separator, amended) = odd?;
    let message = format!(
        "within brackets `{separator}` is a character like any other, so `{class}` matches it too"
    );
    let mut source = pattern.source().to_owned();
    source.replace_range(span.range(), &amended);
    Some(Hint::new(RULE.name, message).cured_by(Remedy::Pattern(source)))
}

/// The separator between single characters of a class, and the class without it.
fn without_separators(class: &str) -> Option<(char, String)> {
    let inner = class.strip_prefix('[')?.strip_suffix(']')?;
    let (not, inner) = match inner.strip_prefix('^') {
        Some(rest) => ("^", rest),
        None => ("", inner),
    };
    ['|', ','].into_iter().find_map(|separator| {
        let items: Vec<&str> = inner.split(separator).collect();
        let is_odd = items.len() > 1 && items.iter().all(|item| is_item(item, separator == '|'));
        is_odd.then(|| (separator, format!("[{not}{}]", items.concat())))
    })
}

/// True for a single character, or a range: a letter or a digit, or `any` character.
fn is_item(item: &str, any: bool) -> bool {
    let is_char = |text: &str| {
        let own = text
            .strip_prefix('\\')
            .filter(|rest| any && !rest.is_empty())
            .unwrap_or(text);
        let mut chars = own.chars();
        let first = chars.next().is_some_and(|c| any || c.is_alphanumeric());
        first && chars.next().is_none()
    };
    is_char(item)
        || item
            .split_once('-')
            .is_some_and(|(from, to)| is_char(from) && is_char(to))
}

/// The names of classes that stand within a pair of brackets.
const NAMES: [&str; 14] = [
    "alnum", "alpha", "ascii", "blank", "cntrl", "digit", "graph", "lower", "print", "punct",
    "space", "upper", "word", "xdigit",
];

/// `[:digit:]` alone, which is a class of these characters.
fn bare_class(study: &StepStudy<'_>) -> Option<Hint> {
    let pattern = study.plan.pattern();
    let classes = &study.plan.outline.as_ref()?.classes;
    let name_of = |class: &str| {
        let name = class.strip_prefix("[:")?.strip_suffix(":]")?;
        alike(name, NAMES.into_iter())
    };
    let bare = |span: &Span| Some((*span, name_of(&pattern.source()[span.range()])?));
    let all: Vec<(Span, &str)> = classes.iter().filter_map(bare).collect();
    let class = &pattern.source()[all.first()?.0.range()];
    let message = format!(
        "`{class}` is a set of these characters; a class of that name stands within another pair of brackets"
    );
    let mut amended = pattern.source().to_owned();
    for (span, name) in all.iter().rev() {
        amended.replace_range(span.range(), &format!("[[:{name}:]]"));
    }
    Some(Hint::new(RULE.name, message).cured_by(Remedy::Pattern(amended)))
}

fn range_with_signs(study: &StepStudy<'_>) -> Option<Hint> {
    let pattern = study.plan.pattern();
    let note = pattern.notes().first()?;
    let is_sign = |byte: &u8| b"[\\]^_`".contains(byte);
    let (count, first) = study.gather(|form: &Form| form.before().iter().any(is_sign))?;
    let range = &pattern.source()[note.span.range()];
    let (from, to) = range.split_once('-').unwrap_or((range, "z"));
    let message = format!(
        "`{range}` also takes the signs `[`, `\\`, `]`, `^`, `_` and `` ` ``: {}",
        first.shown_word(),
    );
    let mut amended = pattern.source().to_owned();
    for note in pattern.notes().iter().rev() {
        amended.replace_range(note.span.range(), &format!("{from}-Za-{to}"));
    }
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(Remedy::Pattern(amended)))
}
