//! Copies, and what lies between them: where they begin and end, and what they make with the text written beside them.

use super::{Matched, Taken, of_share};
use crate::candidate::{Candidate, Written};
use crate::form::Piece;
use crate::tokens::{Kind, is_inside_word, kind, shape};
use std::collections::BTreeSet;

/// The cost of matches that end within words, where no example's do.
const JOINED: f64 = 2.0;
/// The cost of words that are partly copied and partly written, and are others than in all examples, for each example.
const JOINED_OTHER: f64 = 3.2;
/// The cost of groups that begin or end within words, where no example's do.
const TORN: f64 = 3.0;
/// The cost of leaving out text of another form than in all examples.
const STRANGE: f64 = 1.0;
/// The cost of copies of one character of another kind than in all examples.
const OTHER_LETTER: f64 = 2.0;
/// The cost of matches that end in the middle of a line, where those of all examples go to its end.
const STOPS_EARLY: f64 = 1.0;

impl Taken<'_, '_> {
    /// In all examples, written text makes one and the same word with the old text beside it, or none; in the data it makes others:
    /// `tonnes` of `t`, and then `kgonnes`.
    pub(super) fn joined_to_others(&self) -> f64 {
        let words = |matched: &Matched<'_>| joined_words(self.step, matched);
        let Some(own) = self.common(words).filter(|own| own.len() < 2) else {
            return 0.0;
        };
        let others = self.share(|matched| !words(matched).is_subset(&own));
        JOINED_OTHER * (1.5 + self.further()) * of_share(others)
    }

    /// Groups begin or end within words, where no example's do: a copy takes the rest of a longer word along.
    pub(super) fn torn(&self) -> f64 {
        let tears = |matched: &Matched<'_>| {
            let mut groups = matched.groups();
            groups.any(|(_, span)| is_in_words(matched.text, span))
        };
        TORN * of_share(self.share_unshown(tears))
    }

    /// A group takes one character, of the same kind in all examples, and of others in the data: an initial in lower case.
    pub(super) fn other_letters(&self) -> f64 {
        let kinds = |matched: &Matched<'_>| {
            let single = matched.groups().filter(|(_, (from, to))| to - from == 1);
            let kind = |(group, (from, to)): (usize, (usize, usize))| {
                (group, shape(&matched.text[from..to]))
            };
            single.map(kind).collect::<BTreeSet<_>>()
        };
        let Some(own) = self.common(kinds).filter(|own| !own.is_empty()) else {
            return 0.0;
        };
        let others = self.share(|matched| {
            let kinds = kinds(matched);
            kinds.len() == own.len() && kinds != own
        });
        OTHER_LETTER * of_share(others)
    }

    /// Text is written behind a value that goes to the end of the line in all examples, and is only a part of it in the data.
    pub(super) fn stops_early(&self) -> f64 {
        let mut pieces = self.step.pieces.iter();
        let last = pieces.rfind(|piece| !matches!(piece, Piece::Edge));
        let is_value = matches!(last, Some(Piece::Group(_) | Piece::Run { .. }));
        let writes_behind = matches!(self.step.template.last(), Some(Written::Text(_)));
        if !is_value || !writes_behind {
            return 0.0;
        }
        let stops = |matched: &Matched<'_>| {
            let last = matched.whole().next_back();
            last.is_some_and(|(_, to)| to < matched.text.len())
        };
        STOPS_EARLY * of_share(self.share_unshown(stops))
    }

    /// The text left out between copies has one form in all examples, and other forms in the data: a pattern
    /// that goes on to the last word drops more of a longer text.
    pub(super) fn strange(&self) -> f64 {
        let keeps = |part: &Written| matches!(part, Written::Group { .. });
        if self.examples.len() < 2 || !self.step.template.iter().any(keeps) {
            return 0.0;
        }
        let forms = |matched: &Matched<'_>| {
            let each =
                (matched.matches.iter()).map(|spans| left_out(self.step, matched.text, spans));
            each.collect::<BTreeSet<String>>()
        };
        match self.common(forms).filter(|own| own.len() == 1) {
            Some(own) => STRANGE * self.share(|matched| forms(matched) != own).sqrt(),
            None => 0.0,
        }
    }

    /// Matches that begin or end within a word, where no example's do.
    pub(super) fn joined(&self) -> f64 {
        let tears = |matched: &Matched<'_>| {
            let mut whole = matched.whole();
            whole.any(|span| is_in_words(matched.text, span))
        };
        JOINED * self.share_unshown(tears)
    }
}

/// True if a span begins or ends within a word.
fn is_in_words(text: &[char], (from, to): (usize, usize)) -> bool {
    is_inside_word(text, from) || is_inside_word(text, to)
}

/// The form of what a match holds beside the groups that are copied.
fn left_out(step: &Candidate, text: &[char], spans: &[Option<(usize, usize)>]) -> String {
    let Some((from, to)) = spans[0] else {
        return String::new();
    };
    let copied = step.template.iter().filter_map(|part| match part {
        Written::Group { group, .. } => spans.get(*group).copied().flatten(),
        Written::Text(_) | Written::CaseOf(_) | Written::Line(_) | Written::Number(_) => None,
    });
    let mut copied: Vec<(usize, usize)> = copied.collect();
    copied.sort_unstable();
    copied.push((to, to));
    let (mut forms, mut at) = (String::new(), from);
    for (begin, end) in copied {
        if begin > at {
            forms.push_str(&shape(&text[at..begin]));
            forms.push('\n');
        }
        at = at.max(end);
    }
    forms
}

/// The words of the result that are partly text of the template, and partly old text.
fn joined_words(step: &Candidate, matched: &Matched<'_>) -> BTreeSet<String> {
    let text = matched.text;
    // Each character, and whether the template has written it.
    let mut made: Vec<(char, bool)> = Vec::with_capacity(text.len() + 16);
    let old = |chars: &[char]| chars.iter().map(|c| (*c, false)).collect::<Vec<_>>();
    let mut done = 0;
    for spans in &matched.matches {
        let (from, to) = spans[0].unwrap_or((done, done));
        made.extend(old(&text[done..from]));
        for part in &step.template {
            match part {
                Written::Text(text) => made.extend(text.iter().map(|c| (*c, true))),
                Written::Group {
                    group,
                    filter: 0,
                    optional: None,
                } => {
                    let span = spans.get(*group).copied().flatten();
                    made.extend(
                        span.map(|(from, to)| old(&text[from..to]))
                            .unwrap_or_default(),
                    );
                }
                // What else is written belongs to no word.
                Written::Group { .. }
                | Written::CaseOf(_)
                | Written::Line(_)
                | Written::Number(_) => made.push(('\0', true)),
            }
        }
        done = to;
    }
    made.extend(old(&text[done..]));
    let is_of_word = |c: char| matches!(kind(c), Kind::Letters | Kind::Digits);
    let words = made.chunk_by(|(a, _), (b, _)| is_of_word(*a) && is_of_word(*b));
    let is_joined = |word: &&[(char, bool)]| {
        word.iter().any(|(_, new)| *new) && word.iter().any(|(_, new)| !*new)
    };
    words
        .filter(is_joined)
        .map(|word| word.iter().map(|(c, _)| *c).collect())
        .collect()
}
