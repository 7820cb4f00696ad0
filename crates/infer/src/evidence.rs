//! Signs in the data that a program is not the one that is meant: what it nearly matches, where its matches end, and the words
//! of the examples that it does not ask for.

mod constants;
mod copies;
mod results;

use crate::candidate::{Candidate, Made};
use crate::case::Case;
use crate::filters::Filters;
use crate::form::Spans;
use crate::keywords::Keyword;
use crate::program::{Program, Text, plenty};
use crate::tokens::{Kind, in_all, token_texts};
use std::collections::BTreeSet;

/// Texts of the data that are looked at.
const TEXTS_MOST: usize = 150;
/// Characters of them.
const CHARS_MOST: usize = 6000;
/// The cost of a word of all examples that is not asked for, for each further example.
const IGNORED: f64 = 0.12;
/// The cost of changing texts with another word where a few words distinguish texts, for each further example.
const KEYWORD: f64 = 0.8;

/// The texts that signs are looked for in.
pub(super) struct Evidence<'e> {
    changed: Vec<&'e Case>,
    /// Different texts that are not examples, with their numbers in the data.
    texts: Vec<(usize, &'e [char])>,
    /// The tokens of all examples that change, of no one that stays, and of a part of the data.
    telling: Vec<String>,
    tokens: Vec<BTreeSet<String>>,
    /// The weight of each keyword of the examples, and the texts that have another word at its place.
    keywords: Vec<(f64, Vec<bool>)>,
    /// The extent to which there is enough data for what only much of it shows.
    plenty: f64,
    cell: bool,
}

/// A text with the matches of a step in it.
struct Matched<'e> {
    text: &'e [char],
    matches: Vec<Spans>,
}

impl Matched<'_> {
    /// The spans of whole matches.
    fn whole(&self) -> impl DoubleEndedIterator<Item = (usize, usize)> {
        self.matches.iter().filter_map(|spans| spans[0])
    }

    /// The spans of groups, each with its number, from 0.
    fn groups(&self) -> impl Iterator<Item = (usize, (usize, usize))> {
        let groups = self
            .matches
            .iter()
            .flat_map(|spans| spans[1..].iter().enumerate());
        groups.filter_map(|(group, span)| Some((group, (*span)?)))
    }
}

/// All that a step matches; each sign looks at the same.
struct Taken<'s, 'e> {
    step: &'s Candidate,
    /// The examples that change.
    examples: Vec<Matched<'e>>,
    /// The texts of the data that change.
    texts: Vec<Matched<'e>>,
}

impl<'e> Taken<'_, 'e> {
    /// The number of examples beyond the first, at most two.
    fn further(&self) -> f64 {
        self.examples.len().saturating_sub(1).min(2) as f64
    }

    /// The share of the texts for which something holds; 0 where there is none.
    fn share(&self, holds: impl Fn(&Matched<'e>) -> bool) -> f64 {
        let with = self.texts.iter().filter(|text| holds(text)).count();
        with as f64 / self.texts.len().max(1) as f64
    }

    /// The same, where it holds for no example.
    fn share_unshown(&self, holds: impl Fn(&Matched<'e>) -> bool) -> f64 {
        match self.examples.iter().any(&holds) {
            true => 0.0,
            false => self.share(holds),
        }
    }

    /// A fact about a text that is the same for all examples.
    fn common<T: PartialEq>(&self, fact: impl Fn(&Matched<'e>) -> T) -> Option<T> {
        let mut all = self.examples.iter().map(fact);
        let first = all.next()?;
        all.all(|other| other == first).then_some(first)
    }
}

fn tokens_of(text: &[char]) -> BTreeSet<String> {
    token_texts(text, |token| match token.kind {
        // One letter says little.
        Kind::Letters => token.to - token.from > 1,
        Kind::Sign => true,
        Kind::Digits | Kind::Blanks => false,
    })
}

impl<'e> Evidence<'e> {
    pub fn new(cases: &'e [Case], data: &'e [Text], cell: bool) -> Self {
        let examples: BTreeSet<&[char]> = cases.iter().map(|case| &case.before[..]).collect();
        let mut seen = BTreeSet::new();
        let mut room = CHARS_MOST;
        let texts: Vec<(usize, &[char])> = data
            .iter()
            .enumerate()
            .map(|(number, text)| (number, &text.text[..]))
            .filter(|(_, text)| !examples.contains(text) && seen.insert(*text))
            .take(TEXTS_MOST)
            .take_while(|(_, text)| {
                let fits = text.len() <= room;
                room = room.saturating_sub(text.len());
                fits
            })
            .collect();
        let tokens: Vec<BTreeSet<String>> = texts.iter().map(|(_, text)| tokens_of(text)).collect();
        let (untouched, changed): (Vec<&Case>, Vec<&Case>) =
            cases.iter().partition(|case| case.is_untouched());
        let mut shared = in_all(changed.iter().map(|case| tokens_of(&case.before)));
        for case in &untouched {
            for token in tokens_of(&case.before) {
                shared.remove(&token);
            }
        }
        let is_telling = |token: &String| tokens.iter().any(|own| !own.contains(token));
        let own = texts.iter().map(|(_, text)| *text);
        let own: Vec<&[char]> = own
            .chain(cases.iter().map(|case| &case.before[..]))
            .collect();
        let mut keywords = Keyword::all(&changed, &own);
        keywords.retain(|word| {
            untouched
                .iter()
                .all(|case| word.is_other(&case.before) != Some(false))
        });
        // The same for all programs.
        let others = |word: Keyword| {
            let each = texts
                .iter()
                .map(|(_, text)| word.is_other(text) == Some(true));
            (word.weight, each.collect())
        };
        Self {
            keywords: keywords.into_iter().map(others).collect(),
            plenty: plenty(data),
            telling: shared.into_iter().filter(is_telling).collect(),
            changed,
            texts,
            tokens,
            cell,
        }
    }

    /// The cost of all signs against a program, given what it makes of each text of the data.
    pub fn cost(&self, program: &Program, made: &[Made], filters: &Filters) -> f64 {
        let is_changed = |number: usize| matches!(made[number], Made::Text(_));
        let changed: Vec<bool> = self.texts.iter().map(|(n, _)| is_changed(*n)).collect();
        let ignored = self.ignored(&changed) + self.plenty * self.other_keywords(&changed);
        let [step] = &program.steps[..] else {
            return ignored;
        };
        let taken = self.taken(step, &changed);
        let in_lines = match self.cell {
            true => 0.0,
            false => taken.joined() + taken.stops_early(),
        };
        ignored
            + in_lines
            + self.near(&taken, &changed)
            + self.grouped(made)
            + taken.other_constants()
            + taken.strange()
            + taken.unshown(filters)
            + taken.partial()
            + taken.other_letters()
            + self.plenty * (taken.torn() + taken.joined_to_others())
    }

    /// The matches of a step in the examples and in the texts that change.
    fn taken<'s>(&self, step: &'s Candidate, changed: &[bool]) -> Taken<'s, 'e> {
        let matched = |text: &'e [char]| Matched {
            text,
            matches: step.matcher.all(text).unwrap_or_default(),
        };
        let texts = self.texts.iter().zip(changed).filter(|(_, is)| **is);
        Taken {
            step,
            examples: (self.changed.iter())
                .map(|case| matched(&case.before))
                .collect(),
            texts: texts.map(|((_, text), _)| matched(text)).collect(),
        }
    }

    /// Texts change that have another word than all examples, where few words distinguish texts.
    fn other_keywords(&self, changed: &[bool]) -> f64 {
        let further = self.changed.len().saturating_sub(1).min(3) as f64;
        let cost = |(weight, others): &(f64, Vec<bool>)| {
            let each = others.iter().zip(changed);
            let with = each.filter(|(is_other, is)| **is_other && **is).count();
            let all = changed.iter().filter(|is| **is).count();
            weight * of_share(with as f64 / all.max(1) as f64)
        };
        KEYWORD * (1.0 + further) * self.keywords.iter().map(cost).fold(0.0, f64::max)
    }

    /// A word or sign that all examples have, and only a part of what is changed.
    fn ignored(&self, changed: &[bool]) -> f64 {
        let all = changed.iter().filter(|is| **is).count();
        let with = |token: &String| {
            let own = self.tokens.iter().zip(changed);
            own.filter(|(own, is)| **is && own.contains(token)).count()
        };
        let each = self.telling.iter().map(|token| {
            let with = with(token).max(1) as f64;
            (all.max(1) as f64 / with).ln().max(0.0)
        });
        let most = each.fold(0.0, f64::max);
        IGNORED * (self.changed.len().saturating_sub(1)) as f64 * most
    }
}

/// The part of a cost for a share of the texts: half of it for any at all.
fn of_share(share: f64) -> f64 {
    match share > 0.0 {
        true => 0.5 + 0.5 * share,
        false => 0.0,
    }
}
