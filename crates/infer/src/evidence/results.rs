//! Results that are unlike those of the examples, and texts that stay though they nearly match.

use super::{Evidence, Matched, Taken, of_share};
use crate::candidate::{Made, Written};
use crate::case::Case;
use crate::filters::{Effects, Filters};
use crate::form::{Class, Matcher, Piece};
use crate::tokens::{exact_digits, text_of};
use std::collections::BTreeSet;

/// The cost of effects of a filter that no example shows, for each example.
const UNSHOWN: f64 = 1.5;
/// The cost of groups of digits that are not three long, where those of all examples are.
const GROUPED: f64 = 12.0;

impl Taken<'_, '_> {
    /// A filter does to texts of the data what it does to no example: a day of one digit is filled, though all examples have
    /// two; a comma becomes a point where only points became commas.
    pub(super) fn unshown(&self, filters: &Filters) -> f64 {
        let filtered = self.step.template.iter().filter_map(|part| match part {
            Written::Group { group, filter, .. } if *filter != 0 => Some((*group, *filter)),
            Written::Group { .. }
            | Written::Text(_)
            | Written::CaseOf(_)
            | Written::Line(_)
            | Written::Number(_) => None,
        });
        let filtered: Vec<(usize, usize)> = filtered.collect();
        if filtered.is_empty() {
            return 0.0;
        }
        let effects = |matched: &Matched<'_>| {
            let mut all = Effects::default();
            for spans in &matched.matches {
                for (group, filter) in &filtered {
                    let span = spans.get(*group).copied().flatten();
                    let before = span.map(|(from, to)| text_of(&matched.text[from..to]));
                    let after =
                        (before.as_deref()).and_then(|before| filters.apply(*filter, before));
                    if let (Some(before), Some(after)) = (before, after) {
                        all = all.and(filters.effects(*filter, &before, &after));
                    }
                }
            }
            all
        };
        let examples = self.examples.iter().map(effects);
        let shown = examples.fold(Effects::default(), Effects::and);
        let others = self.share(|matched| shown.and(effects(matched)) != shown);
        UNSHOWN * (self.examples.len().min(3) as f64) * of_share(others)
    }
}

impl Evidence<'_> {
    /// A sign comes between digits, before groups of three in all examples, and before others in the data.
    pub(super) fn grouped(&self, made: &[Made]) -> f64 {
        let new_groups = |before: &[char], after: &[char]| -> Vec<usize> {
            let old = groups_of_digits(before);
            let mut groups = groups_of_digits(after);
            groups.retain(|group| !old.contains(group));
            groups.into_iter().map(|(_, digits)| digits).collect()
        };
        let mut examples = self.changed.iter();
        let is_of_three = |case: &Case| {
            let groups = new_groups(&case.before, &case.after);
            !groups.is_empty() && groups.iter().all(|digits| *digits == 3)
        };
        if !examples.all(|case| is_of_three(case)) {
            return 0.0;
        }
        let (mut all, mut others) = (0, 0);
        for (number, text) in &self.texts {
            if let Made::Text(made) = &made[*number] {
                all += 1;
                let is_other = new_groups(text, made).iter().any(|digits| *digits != 3);
                others += usize::from(is_other);
            }
        }
        GROUPED * of_share(others as f64 / f64::from(all.max(1)))
    }

    /// The forms of what comes of the matches in the examples.
    fn results(&self, taken: &Taken<'_, '_>) -> BTreeSet<String> {
        let mut forms = BTreeSet::new();
        for (case, matched) in self.changed.iter().zip(&taken.examples) {
            let first = matched.matches.first().and_then(|spans| spans[0]);
            let last = matched.matches.last().and_then(|spans| spans[0]);
            if let (Some((from, _)), Some((_, to))) = (first, last) {
                let tail = case.before.len() - to;
                let new = case.after.get(from..case.after.len().saturating_sub(tail));
                forms.extend(new.map(exact_digits));
            }
        }
        forms
    }

    /// Texts that stay, and would change if the runs of the pattern were of any length, or of any characters.
    pub(super) fn near(&self, taken: &Taken<'_, '_>, changed: &[bool]) -> f64 {
        let all = changed.iter().filter(|is| **is).count() as f64;
        let results = self.results(taken);
        let pieces = &taken.step.pieces;
        // What holds the form of a result is done.
        let is_done = |text: &[char]| {
            let form = exact_digits(text);
            results.iter().any(|result| form.contains(result))
        };
        let staying = self.texts.iter().zip(changed).filter(|(_, is)| !**is);
        let open: Vec<&[char]> = (staying.map(|((_, text), _)| *text))
            .filter(|text| !is_done(text))
            .collect();
        let levels = [false, true].map(|any_class| (any_class, loosened(pieces, any_class)));
        let cost = levels.into_iter().map(|(any_class, loose)| {
            if loose == *pieces {
                return 0.0;
            }
            let matcher = Matcher::new(&loose);
            let hits = |text: &[char]| matcher.all(text).is_some_and(|found| !found.is_empty());
            let near = open.iter().filter(|text| hits(text)).count() as f64;
            // One text may be a slip.
            let further = (near - 1.0).max(0.0);
            match any_class {
                // A length that the examples share is chance, however few texts of another one there are.
                false => 0.8 * (further / 3.0).min(1.0),
                true => further / (near + all).max(1.0),
            }
        });
        cost.sum()
    }
}

/// The groups of digits behind a sign that stands between digits: the sign, and how many digits follow it.
fn groups_of_digits(text: &[char]) -> Vec<(char, usize)> {
    let is_digit = |at: usize| text.get(at).is_some_and(char::is_ascii_digit);
    let signs = (1..text.len()).filter(|at| !is_digit(*at) && is_digit(at - 1) && is_digit(at + 1));
    let groups = signs.map(|at| (text[at], (at + 1..).take_while(|at| is_digit(*at)).count()));
    groups.collect()
}

/// The pieces with runs of any length, and, if `any_class`, of any characters up to the next text; what is not copied must stay
/// what it is, so the texts are kept.
fn loosened(pieces: &[Piece], any_class: bool) -> Vec<Piece> {
    let next_char = |at: usize| {
        pieces[at + 1..].iter().find_map(|piece| match piece {
            Piece::Text(text) => text.chars().next(),
            _ => None,
        })
    };
    let each = pieces.iter().enumerate().map(|(at, piece)| match piece {
        Piece::Run { class, lazy, .. } => {
            let class = match (any_class, next_char(at)) {
                (false, _) => class.clone(),
                (true, Some(c)) => Class::Not(vec![c]),
                (true, None) => Class::Any,
            };
            Piece::Run {
                class,
                least: 1,
                most: None,
                lazy: *lazy,
            }
        }
        Piece::Group(inner) => Piece::Group(loosened(inner, any_class)),
        other => other.clone(),
    });
    each.collect()
}
