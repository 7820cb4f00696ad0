//! Copies, and what lies between them: where they begin and end, and what they make with the text written beside them.

use super::{Evidence, of_share};
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

impl<'e> Evidence<'e> {
    /// In all examples, written text makes one and the same word with the old text beside it, or none; in the data it makes others:
    /// `tonnes` of `t`, and then `kgonnes`.
    pub(super) fn joined_to_others(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let further = self.changed.len().saturating_sub(1).min(2) as f64;
        let mut examples = self
            .changed
            .iter()
            .map(|case| joined_words(step, &case.before));
        let Some(first) = examples.next().filter(|first| first.len() < 2) else {
            return 0.0;
        };
        if examples.any(|other| other != first) {
            return 0.0;
        }
        let others = self.share(changed, |text| !joined_words(step, text).is_subset(&first));
        JOINED_OTHER * (1.5 + further) * of_share(others)
    }

    /// Groups begin or end within words, where no example's do: a copy takes the rest of a longer word along.
    pub(super) fn torn(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let tears = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let mut groups = matches.iter().flat_map(|spans| spans[1..].iter().flatten());
            groups.any(|(from, to)| is_inside_word(text, *from) || is_inside_word(text, *to))
        };
        if self.changed.iter().any(|case| tears(&case.before)) {
            return 0.0;
        }
        TORN * of_share(self.share(changed, tears))
    }

    /// A group takes one character, of the same kind in all examples, and of others in the data: an initial in lower case.
    pub(super) fn other_letters(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let kinds = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let groups = matches
                .iter()
                .flat_map(|spans| spans[1..].iter().enumerate());
            let single = groups.filter_map(|(group, span)| {
                span.filter(|(from, to)| to - from == 1)
                    .map(|(from, to)| (group, shape(&text[from..to])))
            });
            single.collect::<BTreeSet<_>>()
        };
        let mut examples = self.changed.iter().map(|case| kinds(&case.before));
        let first = examples.next().unwrap_or_default();
        match !first.is_empty() && examples.all(|other| other == first) {
            true => {
                let is_other = |text: &[char]| {
                    let own = kinds(text);
                    own.len() == first.len() && own != first
                };
                OTHER_LETTER * of_share(self.share(changed, is_other))
            }
            false => 0.0,
        }
    }

    /// Text is written behind a value that goes to the end of the line in all examples, and is only a part of it in the data.
    pub(super) fn stops_early(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let is_value = matches!(
            step.pieces
                .iter()
                .rfind(|piece| !matches!(piece, Piece::Edge)),
            Some(Piece::Group(_) | Piece::Run { .. })
        );
        let writes_behind = matches!(step.template.last(), Some(Written::Text(_)));
        if self.cell || !is_value || !writes_behind {
            return 0.0;
        }
        let stops = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let last = matches.last().and_then(|spans| spans[0]);
            last.is_some_and(|(_, to)| to < text.len())
        };
        match self.changed.iter().any(|case| stops(&case.before)) {
            true => 0.0,
            false => STOPS_EARLY * of_share(self.share(changed, stops)),
        }
    }

    /// The text left out between copies has one form in all examples, and other forms in the data: a pattern
    /// that goes on to the last word drops more of a longer text.
    pub(super) fn strange(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let keeps = |part: &Written| matches!(part, Written::Group { .. });
        if self.changed.len() < 2 || !step.template.iter().any(keeps) {
            return 0.0;
        }
        let left_out_of = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let each = matches.iter().map(|spans| left_out(step, text, spans));
            each.collect::<BTreeSet<String>>()
        };
        let mut examples = self.changed.iter().map(|case| left_out_of(&case.before));
        let first = examples.next().unwrap_or_default();
        match first.len() == 1 && examples.all(|other| other == first) {
            true => {
                STRANGE
                    * self
                        .share(changed, |text| left_out_of(text) != first)
                        .sqrt()
            }
            false => 0.0,
        }
    }

    /// Matches that begin or end within a word, where no example's do.
    pub(super) fn joined(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let tears = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let mut whole = matches.iter().filter_map(|spans| spans[0]);
            whole.any(|(from, to)| is_inside_word(text, from) || is_inside_word(text, to))
        };
        if self.changed.iter().any(|case| tears(&case.before)) {
            return 0.0;
        }
        JOINED * self.share(changed, tears)
    }
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
fn joined_words(step: &Candidate, text: &[char]) -> BTreeSet<String> {
    // Each character, and whether the template has written it.
    let mut made: Vec<(char, bool)> = Vec::with_capacity(text.len() + 16);
    let old = |chars: &[char]| chars.iter().map(|c| (*c, false)).collect::<Vec<_>>();
    let mut done = 0;
    for spans in step.matcher.all(text).unwrap_or_default() {
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
