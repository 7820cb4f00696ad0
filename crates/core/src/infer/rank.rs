//! Candidates compared by what they do to the rest of the data.

use crate::infer::candidate::{Candidate, Made};
use crate::infer::filters::Filters;
use crate::infer::search::Case;
use crate::infer::tokens::{Kind, Token, exact_digits, shape, text_of, tokens};
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// A text of the data that no example speaks of.
#[derive(Clone, Debug)]
pub(super) struct Text {
    pub text: Vec<char>,
    /// The number of its line, from 1.
    pub line: u64,
    /// It was left alone before a later one was changed, which speaks a little for its staying so.
    pub weak: bool,
}

/// The steps of one proposal, done in order.
#[derive(Clone, Debug)]
pub(super) struct Program {
    pub steps: Vec<Candidate>,
    /// The cost of writing it.
    pub cost: f64,
}

impl Program {
    /// The text that comes of one.
    pub fn rewrite(
        &self,
        text: &[char],
        line: u64,
        numbers: &mut [u64],
        filters: &Filters,
    ) -> Made {
        let mut now: Option<Vec<char>> = None;
        for (step, number) in self.steps.iter().zip(numbers) {
            let input = now.as_deref().unwrap_or(text);
            match step.rewrite(input, line, *number, filters) {
                Made::Nothing => {}
                Made::Failed => return Made::Failed,
                Made::Text(made) => {
                    if step.counts() {
                        *number += step.matches(input) as u64;
                    }
                    now = Some(made);
                }
            }
        }
        now.map_or(Made::Nothing, Made::Text)
    }
}

/// A program with what it makes of each text.
#[derive(Clone, Debug)]
pub(super) struct Ranked {
    pub program: Program,
    pub made: Vec<Made>,
    /// The lower, the better.
    pub score: f64,
}

/// A text as far as another is compared with it.
#[derive(Clone, Debug)]
struct Form {
    coarse: String,
    exact: String,
    /// Its words that stand in several texts of the data.
    keywords: BTreeSet<String>,
}

/// Forms of what is known: examples that changed, before and after, and texts that stay.
struct Known {
    changed: Vec<Form>,
    after: Vec<Form>,
    untouched: Vec<Form>,
    frequent: BTreeSet<String>,
    /// The keywords that all examples that changed have.
    shared: BTreeSet<String>,
}

/// The words of a text.
fn words(text: &[char]) -> BTreeSet<String> {
    let is_word = |token: &Token| token.kind == Kind::Letters && token.to - token.from > 1;
    let words = tokens(text).into_iter().filter(is_word);
    words.map(|token| text_of(token.of(text))).collect()
}

impl Known {
    fn of(cases: &[Case], texts: &[Text]) -> Self {
        let mut counts: BTreeMap<String, usize> = BTreeMap::new();
        let mut distinct: BTreeSet<&[char]> = texts.iter().map(|text| &text.text[..]).collect();
        distinct.extend(cases.iter().map(|case| &case.before[..]));
        for word in distinct.iter().flat_map(|text| words(text)) {
            *counts.entry(word).or_default() += 1;
        }
        let frequent = counts
            .into_iter()
            .filter(|(_, count)| *count > 1)
            .map(|(word, _)| word)
            .collect();
        let mut known = Self {
            changed: Vec::new(),
            after: Vec::new(),
            untouched: Vec::new(),
            frequent,
            shared: BTreeSet::new(),
        };
        for case in cases {
            let before = known.form(&case.before);
            match case.is_untouched() {
                true => known.untouched.push(before),
                false => {
                    known.changed.push(before);
                    let after = known.form(&case.after);
                    known.after.push(after);
                }
            }
        }
        let mut of_changed = known.changed.iter().map(|form| form.keywords.clone());
        let first = of_changed.next().unwrap_or_default();
        known.shared = of_changed.fold(first, |shared, own| &shared & &own);
        known
    }

    fn form(&self, text: &[char]) -> Form {
        Form {
            coarse: shape(text),
            exact: exact_digits(text),
            keywords: words(text).intersection(&self.frequent).cloned().collect(),
        }
    }
}

/// Ranks programs, of those that do the same to all texts only the cheapest.
pub(super) fn rank(
    programs: Vec<Program>,
    cases: &[Case],
    texts: &[Text],
    cell: bool,
    filters: &Filters,
) -> Vec<Ranked> {
    let known = Known::of(cases, texts);
    let votes: Vec<f64> = texts.iter().map(|text| vote(&text.text, &known)).collect();
    let mut ranked: Vec<Ranked> = Vec::new();
    let mut by_outcome: HashMap<Vec<Made>, usize> = HashMap::new();
    for program in programs {
        let mut numbers = vec![0; program.steps.len()];
        let made: Vec<Made> = texts
            .iter()
            .map(|text| program.rewrite(&text.text, text.line, &mut numbers, filters))
            .collect();
        let made: Vec<Made> = made
            .into_iter()
            .zip(texts)
            .map(|(made, text)| match made {
                Made::Text(same) if same == text.text => Made::Nothing,
                made => made,
            })
            .collect();
        let score = program.cost + data_cost(&made, texts, &votes, &known, cell);
        let next = Ranked {
            program,
            made,
            score,
        };
        match by_outcome.get(&next.made) {
            Some(&at) => {
                if next.score < ranked[at].score {
                    ranked[at] = next;
                }
            }
            None => {
                by_outcome.insert(next.made.clone(), ranked.len());
                ranked.push(next);
            }
        }
    }
    ranked.sort_by(|a, b| a.score.total_cmp(&b.score));
    ranked
}

/// The likeness of two texts, 0 to 1.
fn likeness(a: &Form, b: &Form) -> f64 {
    let letters = |shape: &str| shape.replace('A', "a").replace("aa", "a");
    match () {
        () if a.exact == b.exact => 1.0,
        () if a.coarse == b.coarse => 0.95,
        () if letters(&a.coarse) == letters(&b.coarse) => 0.85,
        () => 0.8 * strsim::normalized_levenshtein(&a.coarse, &b.coarse),
    }
}

/// The greatest likeness to one of several texts.
fn nearest(form: &Form, known: &[Form]) -> f64 {
    known
        .iter()
        .map(|other| likeness(form, other))
        .fold(0.0, f64::max)
}

/// Speaks for a change of a text where positive, and for its staying where negative.
fn vote(text: &[char], known: &Known) -> f64 {
    let own = known.form(text);
    let changed = nearest(&own, &known.changed);
    let floor = if known.untouched.is_empty() { 0.4 } else { 0.5 };
    let untouched = nearest(&own, &known.untouched).max(floor);
    let (p, n) = (known.changed.len() as f64, known.untouched.len() as f64);
    let base = 0.6 * ((p + 1.0) / (p + n + 2.0) - 0.5);
    // A word that all examples share, and that is used again and again, says more than the shape.
    let other_word = !own.keywords.is_empty() && own.keywords.is_disjoint(&known.shared);
    if !known.shared.is_empty() && other_word {
        return (0.35 * changed - untouched + base).min(-0.1);
    }
    match changed >= 0.95 && untouched >= 0.95 {
        // Its shape says nothing.
        true => base + 0.1,
        false => changed - untouched + base,
    }
}

/// The cost of what a program does to the data.
fn data_cost(made: &[Made], texts: &[Text], votes: &[f64], known: &Known, cell: bool) -> f64 {
    let changed = made
        .iter()
        .filter(|made| matches!(made, Made::Text(_)))
        .count();
    let mut cost: f64 = 0.0;
    for (made, text) in made.iter().zip(texts) {
        match made {
            Made::Failed => cost += 1.5,
            Made::Text(_) if text.weak => cost += 0.8,
            Made::Text(_) | Made::Nothing => {}
        }
    }
    if !cell {
        // One example says little about how far a rule goes, and a wide one is likelier; several that are all alike
        // speak for a narrow one.
        let examples = known.changed.len().min(3) as f64;
        return cost.min(6.0) + (0.2 * (examples - 1.0) - 0.5) * (1.0 + changed as f64).log2();
    }
    // All texts together weigh as ten.
    let weight = (10.0 / texts.len().max(1) as f64).min(1.0);
    let one_form = known.after.len() > 1
        && known
            .after
            .iter()
            .all(|after| after.coarse == known.after[0].coarse);
    let one_length = known.after.len() > 1
        && known
            .after
            .iter()
            .all(|after| after.exact.len() == known.after[0].exact.len());
    let mut of_texts: f64 = 0.0;
    for ((made, vote), text) in made.iter().zip(votes).zip(texts) {
        let own = known.form(&text.text);
        let like =
            |others: &[Form], form: &Form| others.iter().any(|other| other.coarse == form.coarse);
        let is_after = like(&known.after, &own) && !like(&known.changed, &own);
        of_texts += match made {
            Made::Text(new) => {
                let new = known.form(new);
                // What comes of a text must be no stranger than the text was.
                let stranger = nearest(&own, &known.changed) - nearest(&new, &known.after);
                let foreign = if stranger > 0.1 { 0.5 * stranger } else { 0.0 };
                let stays = if is_after { 0.5 } else { 0.0 };
                let form = like(&known.after, &new);
                let alike = nearest(&own, &known.changed);
                let other_form = if one_form && !form && alike > 0.6 {
                    0.35 * alike
                } else {
                    0.0
                };
                let exact = known.after.iter().any(|after| after.exact == new.exact);
                let length = if form && !exact && one_length {
                    0.15
                } else {
                    0.0
                };
                foreign + stays + other_form + length - vote
            }
            Made::Nothing if is_after => 0.0,
            Made::Nothing => *vote,
            Made::Failed => 0.0,
        };
    }
    // Examples that are all alike would be chance, if a rule changed much more.
    let examples = known.changed.len().min(3) as f64;
    cost.min(6.0) + of_texts * weight + 0.15 * (examples - 1.0) * (1.0 + changed as f64).ln()
}
