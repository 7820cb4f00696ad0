//! `last-of-repeat`: a group that is repeated keeps what it matched last, and the template writes it.

use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::pattern::outline::RepeatedGroup;
use brisk_quill_core::pattern::{Finder, Pattern};
use std::cell::RefCell;

pub const RULE: Rule = Rule {
    name: "last-of-repeat",
    speaks: "the template writes a group that matched more than once in a match: it holds only the last of them",
    example: Example {
        words: &[r"berths( \d+)+", "--with", "berths:$1"],
        file: "notice.txt",
        text: b"berths 4 7 9 are free\n",
    },
    hides: &["edge-space", "double-space"],
    judge,
    named: |study| match group(study) {
        Some(group) => {
            let once = Once::new(study.plan.pattern(), group);
            Box::new(move |form| once.as_ref().is_some_and(|once| once.is_repeated(form)))
        }
        None => Box::new(|_| false),
    },
};

/// The first repeated group that the template writes.
fn group<'s>(study: &'s StepStudy<'_>) -> Option<&'s RepeatedGroup> {
    let groups = &study.plan.outline.as_ref()?.repeated_groups;
    let template = study.plan.template().filter(|_| study.plan.replaces)?;
    let is_written = |group: &&RepeatedGroup| template.groups().any(|one| one == group.number);
    groups.iter().find(is_written)
}

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let (pattern, group) = (study.plan.pattern(), group(study)?);
    let once = Once::new(pattern, group)?;
    let (count, first) = study.gather(|form| once.is_repeated(form))?;
    let number = group.number;
    let message = format!(
        "group {number} matches more than once in {}, and `${number}` is only the last of them: {}",
        counted(count, "match"),
        shown(first.before()),
    );
    let remedy = Remedy::Pattern(with_all(pattern.source(), group));
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}

/// The pattern in which the group holds all that it matched.
fn with_all(source: &str, group: &RepeatedGroup) -> String {
    let text = &source[group.group.range()];
    let name = match text.starts_with("(?") {
        true => text.find('>').map_or(1, |at| at + 1),
        false => 1,
    };
    let (head, body) = (&text[..name], &text[name..text.len() - 1]);
    let operator = &source[group.group.to..group.repeat.to];
    let mut amended = source.to_owned();
    amended.replace_range(
        group.repeat.range(),
        &format!("{head}(?:{body}){operator})"),
    );
    amended
}

/// The pattern with the group matched once.
struct Once(RefCell<(Finder, Matches)>);

impl Once {
    fn new(pattern: &Pattern, group: &RepeatedGroup) -> Option<Self> {
        let mut source = pattern.source().to_owned();
        source.replace_range(group.group.to..group.repeat.to, "");
        let once = Pattern::new(&source, pattern.options()).ok()?;
        Some(Self(RefCell::new((once.finder(), Matches::default()))))
    }

    /// True if it takes more than the group matched once.
    fn is_repeated(&self, form: &Form) -> bool {
        let (finder, matches) = &mut *self.0.borrow_mut();
        let found = finder.collect(&form.spot.window, false, matches);
        found.is_ok() && !(0..matches.len()).any(|index| matches.span(index) == form.spot.span)
    }
}
