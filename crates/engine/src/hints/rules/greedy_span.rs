//! `greedy-span`: a greedy repeat ran over a second occurrence of what follows it.

use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::pattern::outline::{Leaf, OutlinePart, RepeatOf};
use brisk_quill_core::pattern::{Finder, Pattern};
use brisk_quill_core::span::Span;

pub const RULE: Rule = Rule {
    name: "greedy-span",
    speaks: "a greedy repeat such as `.*` ran over a second occurrence of what follows it, and the lazy form \
             would match otherwise",
    example: Example {
        words: &["\"(.*)\"", "--with", "«$1»"],
        file: "notice.txt",
        text: b"berth \"North\" beside \"South\"\n",
    },
    hides: &["glued", "double-space", "edge-space", "more-per-unit"],
    judge,
    named,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let pattern = study.plan.pattern();
    let parts = &study.plan.outline.as_ref()?.parts;
    let greedy = (0..parts.len()).find_map(|index| {
        let lazy = lazy_form(pattern, parts, index)?;
        let (count, form, shorter) = longer_than_lazy(study, &lazy)?;
        Some((index, lazy, count, form, shorter))
    });
    let (index, lazy, count, form, shorter) = greedy?;
    let message = format!(
        "`{}` takes as much as it can, and ran over another `{}` in {}: {}, where {} is the shortest",
        &pattern.source()[parts[index].span.range()],
        &pattern.source()[parts[index + 1].span.range()],
        counted(count, "match"),
        shown(form.spot.text()),
        shown(&form.spot.window[shorter.range()]),
    );
    let hint = Hint::at(RULE.name, (count, &form.spot), message);
    // Whoever forgot it once forgot it wherever the same follows.
    let every = all_lazy(pattern, parts).map(Remedy::Pattern);
    let one = Some(Remedy::Pattern(lazy));
    Some(hint.cured_by(every).or_by(one))
}

/// The pattern with every greedy repeat of any character lazy.
fn all_lazy(pattern: &Pattern, parts: &[OutlinePart]) -> Option<String> {
    let mut source = pattern.source().to_owned();
    for index in (0..parts.len()).rev() {
        if lazy_form(pattern, parts, index).is_some() {
            source.insert(parts[index].span.to, '?');
        }
    }
    (source != pattern.source()).then_some(source)
}

/// The matches that a lazy form would end, or divide, earlier.
fn named<'s>(study: &'s StepStudy<'_>) -> Box<dyn FnMut(&Form) -> bool + 's> {
    let pattern = study.plan.pattern();
    let parts = study.plan.outline.as_ref().map(|outline| &outline.parts);
    let lazy = parts.into_iter().flat_map(|parts| {
        let forms = (0..parts.len()).filter_map(|index| lazy_form(pattern, parts, index));
        forms.filter_map(|source| Some(Pattern::new(&source, pattern.options()).ok()?.finder()))
    });
    let (mut greedy, mut lazy) = (pattern.finder(), lazy.collect::<Vec<_>>());
    Box::new(move |form| {
        let mut forms = lazy.iter_mut();
        forms.any(|lazy| shorter(&mut greedy, lazy, form).is_some())
    })
}

/// The pattern with the part at `index` lazy, where that is a greedy repeat of any character before a text.
fn lazy_form(pattern: &Pattern, parts: &[OutlinePart], index: usize) -> Option<String> {
    let Leaf::Repeat {
        of: RepeatOf::AnyChar,
        greedy: true,
        most: None,
        ..
    } = parts[index].leaf
    else {
        return None;
    };
    // Up to the last slash, or the last point, is a common wish.
    match &parts.get(index + 1)?.leaf {
        Leaf::Text(next) if matches!(next.as_str(), "/" | "\\" | ".") => return None,
        Leaf::Text(_) | Leaf::Class(_) | Leaf::Choice => {}
        Leaf::Repeat { least, .. } if *least > 0 => {}
        Leaf::Repeat { .. } | Leaf::AnyChar | Leaf::Start | Leaf::End | Leaf::Boundary => {
            return None;
        }
    }
    let mut source = pattern.source().to_owned();
    source.insert(parts[index].span.to, '?');
    Some(source)
}

/// Matches that the lazy form would end, or divide, earlier; the first with its shorter match.
fn longer_than_lazy<'s>(study: &'s StepStudy<'_>, lazy: &str) -> Option<(u64, &'s Form, Span)> {
    let lazy = Pattern::new(lazy, study.plan.pattern().options()).ok()?;
    let (mut greedy, mut lazy) = (study.plan.pattern().finder(), lazy.finder());
    let mut all: Option<(u64, &Form, Span)> = None;
    for (count, form) in &study.forms {
        if let Some(shorter) = shorter(&mut greedy, &mut lazy, form) {
            all.get_or_insert((0, form, shorter)).0 += count;
        }
    }
    all
}

/// The text that the lazy form takes where it ends earlier, or its first group that ends earlier.
fn shorter(greedy: &mut Finder, lazy: &mut Finder, form: &Form) -> Option<Span> {
    let own = form.spot.span;
    let groups = |finder: &mut Finder| {
        let mut matches = Matches::default();
        finder.collect(&form.spot.window, true, &mut matches).ok()?;
        let index = (0..matches.len()).find(|index| matches.span(*index).from == own.from)?;
        Some(matches.groups(index).iter().collect::<Vec<_>>())
    };
    let (greedy, lazy) = (groups(greedy)?, groups(lazy)?);
    let ends_earlier = |(greedy, lazy): (Option<Span>, Option<Span>)| {
        let (greedy, lazy) = (greedy?, lazy?);
        (lazy.from == greedy.from && lazy.to < greedy.to).then_some(lazy)
    };
    greedy.into_iter().zip(lazy).find_map(ends_earlier)
}
