//! `shared-separator`: a match takes the sign that the next one would begin with, which is passed over.

use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::pattern::outline::Leaf;
use brisk_quill_core::pattern::{Finder, Pattern};
use std::cell::RefCell;

pub const RULE: Rule = Rule {
    name: "shared-separator",
    speaks: "the character that a match ends with would begin another one, which is passed over",
    example: Example {
        words: &[r",(\d),", "--with", ", $1, "],
        file: "notice.txt",
        text: b"berths 4,5,6,7\n",
    },
    hides: &["touches-digit"],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let pattern = study.plan.pattern();
    let outline = study.plan.outline.as_ref()?;
    let has_one_length = |leaf: &Leaf| matches!(leaf, Leaf::Text(_) | Leaf::Class(_));
    let (first, last) = outline.ends()?;
    if !study.plan.replaces || !has_one_length(first) || !has_one_length(last) {
        return None;
    }
    let passed = Passed::new(pattern);
    // Between two texts in quotes there is none.
    let is_quote = |form: &Form| {
        b"\"'`"
            .iter()
            .any(|quote| form.before().ends_with(&[*quote]))
    };
    if study.gather(is_quote).is_some() {
        return None;
    }
    let (count, form) = study.gather(|form| passed.next(form).is_some())?;
    let message = format!(
        "{} passed over because the one before it takes {}, which it begins with: {}",
        match count {
            1 => "1 text is".to_owned(),
            n => format!("{} are", counted(n, "text")),
        },
        shown(&last_char(form.before())),
        shown(&passed.next(form)?),
    );
    let remedy = ahead(study).map(|(pattern, template)| Remedy::Both(pattern, template));
    let words = Remedy::Words("end the pattern with `(?=…)` around what the two share");
    let hint = Hint::at(RULE.name, (count, &form.spot), message);
    Some(hint.cured_by(remedy).or_by(Some(words)))
}

/// The pattern that only looks at its last text, and the template without it.
fn ahead(study: &StepStudy<'_>) -> Option<(String, String)> {
    let part = study.plan.outline.as_ref()?.parts.last()?;
    let Leaf::Text(text) = &part.leaf else {
        return None;
    };
    let template = study.plan.template()?.source();
    let rest = template.trim_end().strip_suffix(text.trim_end())?;
    let mut pattern = study.plan.pattern().source().to_owned();
    let own = pattern[part.span.range()].to_owned();
    pattern.replace_range(part.span.range(), &format!("(?={own})"));
    Some((pattern, rest.to_owned()))
}

fn last_char(text: &[u8]) -> Vec<u8> {
    let text = String::from_utf8_lossy(text);
    text.chars()
        .next_back()
        .map(String::from)
        .unwrap_or_default()
        .into_bytes()
}

/// Finds what is passed over.
struct Passed(RefCell<(Finder, Matches)>);

impl Passed {
    fn new(pattern: &Pattern) -> Self {
        Self(RefCell::new((pattern.finder(), Matches::default())))
    }

    /// The text that begins with the last character of a match, unless a match begins behind that one.
    fn next(&self, form: &Form) -> Option<Vec<u8>> {
        let (window, span) = (&form.spot.window, form.spot.span);
        let shared = last_char(form.before()).len();
        if span.len() <= shared {
            return None;
        }
        if self.at_start(&window[span.to..]).is_some() {
            return None;
        }
        self.at_start(&window[span.to - shared..])
            .filter(|found| found.len() > shared)
    }

    /// The match at the start of a text.
    fn at_start(&self, text: &[u8]) -> Option<Vec<u8>> {
        let (finder, matches) = &mut *self.0.borrow_mut();
        finder.collect(text, false, matches).ok()?;
        let first = (!matches.is_empty()).then(|| matches.span(0))?;
        (first.from == 0).then(|| text[first.range()].to_vec())
    }
}
