//! Candidates compared by what they do to the rest of the data.

use crate::candidate::{Candidate, Made, Written};
use crate::case::Case;
use crate::evidence::Evidence;
use crate::filters::Filters;
use crate::form::Piece;
use crate::program::{Program, Text, plenty};
use crate::tokens::{Kind, exact_digits, in_all, shape, token_texts};
use foldhash::fast::FixedState;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

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
    /// The words that are in several texts of the data.
    keywords: BTreeSet<String>,
}

/// Forms of what is known: examples that changed, before and after, and texts that stay.
struct Known {
    changed: Vec<Form>,
    after: Vec<Form>,
    untouched: Vec<Form>,
    frequent: BTreeSet<String>,
    /// The keywords that all examples that changed have, and some texts lack; with how much it says, 0 to 1, that a text lacks one.
    shared: Vec<(String, f64)>,
}

/// The words of a text.
fn words(text: &[char]) -> BTreeSet<String> {
    token_texts(text, |token| token.kind == Kind::Letters)
}

impl Known {
    fn of(cases: &[Case], texts: &[Text]) -> Self {
        let mut counts: BTreeMap<String, usize> = BTreeMap::new();
        let mut distinct: BTreeSet<&[char]> = texts.iter().map(|text| &text.text[..]).collect();
        distinct.extend(cases.iter().map(|case| &case.before[..]));
        for word in distinct.iter().flat_map(|text| words(text)) {
            *counts.entry(word).or_default() += 1;
        }
        let frequent = (counts.iter())
            .filter(|(_, count)| **count > 1)
            .map(|(word, _)| word.clone())
            .collect();
        let all = distinct.len().max(1) as f64;
        let mut known = Self {
            changed: Vec::new(),
            after: Vec::new(),
            untouched: Vec::new(),
            frequent,
            shared: Vec::new(),
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
        let shared = in_all(known.changed.iter().map(|form| form.keywords.clone()));
        // That a few examples share a word of many texts may be chance.
        let further = known.changed.len().saturating_sub(1) as f64;
        let says = |word: &String| {
            let share = counts.get(word).map_or(1.0, |count| *count as f64 / all);
            (further * (1.0 / share).ln() / 2.0).min(1.0)
        };
        known.shared = shared
            .into_iter()
            .map(|word| {
                let says = says(&word);
                (word, says)
            })
            .filter(|(_, says)| *says > 0.05)
            .collect();
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

/// The most characters that programs are compared on, times the number of programs.
const COMPARED_MOST: usize = 4_000_000;
/// The most programs that signs in the data are looked for against.
const JUDGED_MOST: usize = 80;
/// The cost of leaving alone what looks like an example that changed, with plenty of data.
const LEFT_ALONE: f64 = 1.5;
/// Programs that are compared even on long texts.
const COMPARED_LEAST: usize = 30;

/// Ranks programs, of those that do the same to all texts only the cheapest; of long texts only the cheapest of all.
pub(super) fn rank(
    mut programs: Vec<Program>,
    cases: &[Case],
    texts: &[Text],
    cell: bool,
    filters: &Filters,
) -> Vec<Ranked> {
    let length: usize = texts.iter().map(|text| text.text.len() + 1).sum();
    programs.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    programs.truncate((COMPARED_MOST / length.max(1)).max(COMPARED_LEAST));
    // What it does to the data is all that a program is judged by besides its own cost.
    let mut by_outcome: HashMap<Vec<Made>, usize, FixedState> = HashMap::default();
    let mut distinct: Vec<(Program, Vec<Made>)> = Vec::new();
    for program in programs {
        let made = outcome(&program, texts, filters);
        match by_outcome.get(&made) {
            Some(&at) if distinct[at].0.cost <= program.cost => {}
            Some(&at) => distinct[at].0 = program,
            None => {
                by_outcome.insert(made.clone(), distinct.len());
                distinct.push((program, made));
            }
        }
    }
    let data = Data::of(cases, texts, cell);
    let evidence = Evidence::new(cases, texts, cell);
    let scored = distinct.into_iter().map(|(program, made)| Ranked {
        score: program.cost + data.cost(&made) + torn_cost(&program, &made, cases, texts),
        program,
        made,
    });
    let mut ranked: Vec<Ranked> = scored.collect();
    ranked.sort_by(|a, b| a.score.total_cmp(&b.score));
    // To look for signs takes time.
    ranked.truncate(JUDGED_MOST);
    for one in &mut ranked {
        one.score += evidence.cost(&one.program, &one.made, filters);
    }
    ranked.sort_by(|a, b| a.score.total_cmp(&b.score));
    ranked
}

/// The cost of numbers in the data of which only a part is copied, where no example has such.
fn torn_cost(program: &Program, made: &[Made], cases: &[Case], texts: &[Text]) -> f64 {
    let [step] = &program.steps[..] else {
        return 0.0;
    };
    let tears = |text: &[char]| {
        let digit = |at: usize| text.get(at).is_some_and(char::is_ascii_digit);
        // Zeros in front are left out as a matter of course.
        let cut = |at: usize| at > 0 && digit(at - 1) && digit(at) && text[at - 1] != '0';
        let matches = step.matcher.all(text).unwrap_or_default();
        let mut groups = matches.iter().flat_map(|spans| spans[1..].iter().flatten());
        groups.any(|(from, to)| cut(*from) || cut(*to))
    };
    if cases.iter().any(|case| tears(&case.before)) {
        return 0.0;
    }
    let changed = texts
        .iter()
        .zip(made)
        .filter(|(_, made)| matches!(made, Made::Text(_)));
    let (mut all, mut torn) = (0, 0);
    for (text, _) in changed {
        all += 1;
        torn += usize::from(tears(&text.text));
    }
    4.0 * torn as f64 / f64::from(all.max(1))
}

/// The same with near relatives moved behind, but for the first of each family, until there are this many: a user who is shown a few
/// sees ones that differ in kind.
pub(super) fn relatives_behind(ranked: Vec<Ranked>, most: usize, filters: &Filters) -> Vec<Ranked> {
    let mut families = HashSet::new();
    let (mut first, mut behind) = (Vec::new(), Vec::new());
    for one in ranked {
        let is_new = first.len() < most && families.insert(family(&one.program, filters));
        match is_new {
            true => first.push(one),
            false => behind.push(one),
        }
    }
    first.extend(behind);
    first
}

/// A step without what is left aside in a family: its pieces, its template, and which kind of condition it has.
type Bare = (Vec<Piece>, Vec<Written>, Option<bool>);

/// Programs of one family differ only in word boundaries, in filters for letter case, and in the texts of their conditions.
fn family(program: &Program, filters: &Filters) -> Vec<Bare> {
    let of_step = |step: &Candidate| {
        let bare = step.pieces.iter().filter(|piece| **piece != Piece::Edge);
        let plain = |part: &Written| match part {
            Written::Group {
                group,
                filter,
                optional,
            } if filters.is_of_case(*filter) => Written::Group {
                group: *group,
                filter: 0,
                optional: optional.clone(),
            },
            part => part.clone(),
        };
        (
            bare.cloned().collect(),
            step.template.iter().map(plain).collect(),
            step.condition.as_ref().map(|condition| condition.holds),
        )
    };
    program.steps.iter().map(of_step).collect()
}

/// The result of a program for each text; the same text as before is nothing made.
fn outcome(program: &Program, texts: &[Text], filters: &Filters) -> Vec<Made> {
    let of_place = program.steps.iter().any(Candidate::tells_place);
    let mut numbers = vec![0; program.steps.len()];
    let mut known: HashMap<&[char], Made, FixedState> = HashMap::default();
    let mut make = |text: &Text| {
        let made = program.rewrite(&text.text, text.line, &mut numbers, filters);
        made.of_change(&text.text)
    };
    let each = texts.iter().map(|text| match of_place {
        true => make(text),
        false => known
            .entry(&text.text)
            .or_insert_with(|| make(text))
            .clone(),
    });
    each.collect()
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
fn vote(own: &Form, known: &Known) -> f64 {
    let changed = nearest(own, &known.changed);
    let floor = if known.untouched.is_empty() { 0.4 } else { 0.5 };
    let untouched = nearest(own, &known.untouched).max(floor);
    let (p, n) = (known.changed.len() as f64, known.untouched.len() as f64);
    let base = 0.6 * ((p + 1.0) / (p + n + 2.0) - 0.5);
    // A word that all examples share, and that is used again and again, says more than the shape.
    let lacks = (known.shared.iter())
        .filter(|(word, _)| !own.keywords.contains(word))
        .map(|(_, says)| *says)
        .fold(0.0, f64::max);
    let by_word = (0.35 * changed - untouched + base).min(-0.1);
    let by_shape = match changed >= 0.95 && untouched >= 0.95 {
        // Its shape says nothing.
        true => base + 0.1,
        false => changed - untouched + base,
    };
    lacks * by_word + (1.0 - lacks) * by_shape
}

/// A text of the data, compared with the examples.
struct Compared {
    vote: f64,
    weak: bool,
    /// True if it has the form of what comes of the examples, and not of what they were.
    is_after: bool,
    /// The likeness to an example that changed.
    alike: f64,
}

/// The data, compared with the examples.
struct Data {
    known: Known,
    texts: Vec<Compared>,
    plenty: f64,
    cell: bool,
    /// All examples come out in one form, and in one of the same length.
    one_form: bool,
    one_length: bool,
}

fn has_form(others: &[Form], form: &Form) -> bool {
    others.iter().any(|other| other.coarse == form.coarse)
}

/// True if a text has the form of some, and not of others: the coarse form, or the exact one.
fn is_of(some: &[Form], others: &[Form], form: &Form) -> bool {
    let exact = |forms: &[Form]| forms.iter().any(|other| other.exact == form.exact);
    has_form(some, form) && !has_form(others, form) || exact(some) && !exact(others)
}

impl Data {
    fn of(cases: &[Case], texts: &[Text], cell: bool) -> Self {
        let known = Known::of(cases, texts);
        let compared = |text: &Text| {
            let own = known.form(&text.text);
            Compared {
                vote: vote(&own, &known),
                weak: text.weak,
                is_after: is_of(&known.after, &known.changed, &own),
                alike: nearest(&own, &known.changed),
            }
        };
        let plenty = plenty(texts);
        let texts = texts.iter().map(compared).collect();
        let all_alike = |same: fn(&Form, &Form) -> bool| {
            let mut pairs = known.after.windows(2);
            known.after.len() > 1 && pairs.all(|two| same(&two[0], &two[1]))
        };
        Self {
            texts,
            plenty,
            cell,
            one_form: all_alike(|a, b| a.coarse == b.coarse),
            one_length: all_alike(|a, b| a.exact.len() == b.exact.len()),
            known,
        }
    }

    /// The cost of what a program does to the data.
    fn cost(&self, made: &[Made]) -> f64 {
        self.cost_of_changes(made) + LEFT_ALONE * self.plenty * self.left_alone(made)
    }

    /// The share of the texts that stay and look like an example that changed.
    fn left_alone(&self, made: &[Made]) -> f64 {
        let stay = made.iter().zip(&self.texts);
        let stay = stay.filter(|(made, _)| !matches!(made, Made::Text(_)));
        let (mut all, mut alike) = (0u32, 0u32);
        for (_, text) in stay {
            all += 1;
            alike += u32::from(text.alike >= 0.95 && !text.is_after);
        }
        f64::from(alike) / f64::from(all.max(1))
    }

    fn cost_of_changes(&self, made: &[Made]) -> f64 {
        let is_change = |made: &&Made| matches!(made, Made::Text(_));
        let changed = 1.0 + made.iter().filter(is_change).count() as f64;
        let against = |(made, text): (&Made, &Compared)| match made {
            Made::Failed => 1.5,
            Made::Text(_) if text.weak => 0.8,
            Made::Text(_) | Made::Nothing => 0.0,
        };
        let against: f64 = made.iter().zip(&self.texts).map(against).sum();
        let further = self.known.changed.len().min(3) as f64 - 1.0;
        if !self.cell {
            // One example says little about how far a rule goes, and a wide one is likelier; several that are all alike
            // speak for a narrow one.
            return against.min(6.0) + (0.2 * further - 0.5) * changed.log2();
        }
        // All texts together weigh as ten.
        let weight = (10.0 / self.texts.len().max(1) as f64).min(1.0);
        let each = made.iter().zip(&self.texts);
        let of_texts: f64 = each.map(|(made, text)| self.cost_of_text(made, text)).sum();
        // Examples that are all alike would be chance, if a rule changed much more.
        against.min(6.0) + of_texts * weight + 0.15 * further * changed.ln()
    }

    /// The cost of what becomes of one cell.
    fn cost_of_text(&self, made: &Made, text: &Compared) -> f64 {
        let new = match made {
            Made::Text(new) => self.known.form(new),
            Made::Nothing if text.is_after => return 0.0,
            Made::Nothing => return text.vote,
            Made::Failed => return 0.0,
        };
        let after = &self.known.after;
        // What comes of a text must be no stranger than the text was.
        let stranger = text.alike - nearest(&new, after);
        let foreign = if stranger > 0.1 { 0.5 * stranger } else { 0.0 };
        let stays = if text.is_after { 0.5 } else { 0.0 };
        let form = has_form(after, &new);
        let other_form = match self.one_form && !form && text.alike > 0.6 {
            true => 0.35 * text.alike,
            false => 0.0,
        };
        let exact = after.iter().any(|after| after.exact == new.exact);
        let length = if form && !exact && self.one_length {
            0.15
        } else {
            0.0
        };
        // What looks like a result speaks for no change, however alike it is.
        let vote = if text.is_after { 0.0 } else { text.vote };
        foreign + stays + other_form + length - vote
    }
}
