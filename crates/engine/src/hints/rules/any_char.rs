//! `any-char`: a bare dot matched something other than a dot.

use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, quoted};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::pattern::outline::{Leaf, OutlinePart};
use brisk_quill_core::pattern::{Finder, Pattern};
use brisk_quill_core::span::Span;

pub const RULE: Rule = Rule {
    name: "any-char",
    speaks: "a `.` of the pattern matched another character, where a dot was there to match too, or where \
             the dot stands within a text such as `10.0.0.1`",
    example: Example {
        words: &["10.0.0.1", "--with", "gauge-1"],
        file: "notice.txt",
        text: b"gauge 10.0.0.1 read\nberth 10x0y0z1 free\n",
    },
    hides: &[],
    judge,
    named,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let pattern = study.plan.pattern();
    if pattern.options().literal {
        return None;
    }
    let parts = &study.plan.outline.as_ref()?.parts;
    let is_dot = |(_, part): &(usize, &OutlinePart)| part.leaf == Leaf::AnyChar;
    let dots = parts.iter().enumerate().filter(is_dot);
    let dots: Vec<(Span, bool)> = dots
        .map(|(index, part)| (part.span, is_within_text(parts, index)))
        .collect();
    let mut seen = DotFinder::new(pattern, dots.iter().map(|(span, _)| *span))?;
    let mut others: Option<(u64, &Form)> = None;
    let mut meant = vec![false; dots.len()];
    let mut took_other = vec![false; dots.len()];
    for (count, form) in &study.forms {
        let Some(texts) = seen.texts(form) else {
            continue;
        };
        for (index, text) in texts.iter().enumerate() {
            match text.as_slice() {
                b"." => meant[index] = true,
                _ => took_other[index] = true,
            }
        }
        if texts.iter().any(|text| text != b".") {
            others.get_or_insert((0, form)).0 += count;
        }
    }
    let wrong: Vec<Span> = (dots.iter().enumerate())
        .filter(|(index, (_, within))| took_other[*index] && (meant[*index] || *within))
        .map(|(_, (span, _))| *span)
        .collect();
    if wrong.is_empty() {
        return None;
    }
    let (count, first) = others?;
    let message = format!(
        "`.` stands for any character, and {} something other than a dot there: {}",
        match count {
            1 => "1 match has".to_owned(),
            n => format!("{} have", counted(n, "match")),
        },
        quoted(&String::from_utf8_lossy(first.spot.text())),
    );
    let mut amended = pattern.source().to_owned();
    for span in wrong.iter().rev() {
        amended.replace_range(span.range(), r"\.");
    }
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(Remedy::Pattern(amended)))
}

/// The matches in which a dot took something else.
fn named<'s>(study: &'s StepStudy<'_>) -> Box<dyn FnMut(&Form) -> bool + 's> {
    let parts = study.plan.outline.as_ref().map(|outline| &outline.parts);
    let dots = parts.into_iter().flatten();
    let dots: Vec<Span> = dots
        .filter(|part| part.leaf == Leaf::AnyChar)
        .map(|part| part.span)
        .collect();
    let mut finder = DotFinder::new(study.plan.pattern(), dots.into_iter());
    Box::new(move |form| {
        let texts = finder.as_mut().and_then(|finder| finder.texts(form));
        texts.is_some_and(|texts| texts.iter().any(|text| text != b"."))
    })
}

/// True if letters or digits that stand for themselves surround the dot.
fn is_within_text(parts: &[OutlinePart], index: usize) -> bool {
    let text = |index: Option<usize>| match &parts.get(index?)?.leaf {
        Leaf::Text(text) => Some(text.as_str()),
        _ => None,
    };
    let is_word = |c: Option<char>| c.is_some_and(char::is_alphanumeric);
    let before = text(index.checked_sub(1)).and_then(|text| text.chars().next_back());
    let behind = text(Some(index + 1)).and_then(|text| text.chars().next());
    is_word(before) && is_word(behind)
}

/// Finds what each bare dot of a pattern took.
struct DotFinder {
    finder: Finder,
    /// The numbers of the groups of the dots.
    groups: Vec<usize>,
    matches: Matches,
}

impl DotFinder {
    fn new(pattern: &Pattern, dots: impl DoubleEndedIterator<Item = Span>) -> Option<Self> {
        let mut source = pattern.source().to_owned();
        let mut names = Vec::new();
        for (number, span) in dots.rev().enumerate() {
            let name = format!("bquill_dot{number}");
            source.replace_range(span.range(), &format!("(?<{name}>.)"));
            names.push(name);
        }
        if names.is_empty() {
            return None;
        }
        let form = Pattern::new(&source, pattern.options()).ok()?;
        let groups = names.iter().rev().map(|name| form.groups().number_of(name));
        Some(Self {
            groups: groups.collect::<Option<_>>()?,
            finder: form.finder(),
            matches: Matches::default(),
        })
    }

    /// The character that each dot took in the first match of a form.
    fn texts(&mut self, form: &Form) -> Option<Vec<Vec<u8>>> {
        let spot = &form.spot;
        let found = self.finder.collect(&spot.window, true, &mut self.matches);
        found.ok()?;
        let all = 0..self.matches.len();
        let index = { all }.find(|index| self.matches.span(*index) == spot.span)?;
        let groups = self.matches.groups(index);
        let text = |group: &usize| Some(spot.window[groups.get(*group)?.range()].to_vec());
        self.groups.iter().map(text).collect()
    }
}
