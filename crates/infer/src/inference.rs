//! Inference: proposals from a task, and what sets them apart.

use crate::budget::Budget;
use crate::candidate::Made;
use crate::case::Case;
use crate::examples::{Examples, KnownChoices};
use crate::filters::Filters;
use crate::find::{makes_all, programs};
use crate::program::{Text, plenty};
use crate::proposal::{Proposal, alone, changed, made_of, step};
use crate::questions::Questions;
use crate::rank::{Ranked, rank, relatives_behind};
use crate::refusal::Refusal;
use crate::task::{EXAMPLE_MOST, EXAMPLES_MOST, Pair, Task};
use crate::tokens::{digit_folded, exact_digits, text_of, tokens};
use brisk_quill_core::common_ends::common_ends;
use brisk_quill_core::span::Span;
use std::collections::{BTreeSet, HashMap};

/// The most proposals that take part in questions.
const PROPOSALS_MOST: usize = 30;
/// The first proposals, which are meant to be shown, differ in kind.
pub const SHOWN: usize = 3;
/// Proposals whose score is worse than that of the best by more than this take no part.
const SCORE_MARGIN: f64 = 5.0;
/// The difference in score at which a proposal is e times as likely as another.
const SPREAD: f64 = 1.0;
/// The most texts by which candidates are distinguished during the search.
const PROBES_MOST: usize = 40;
/// The most characters of those texts.
const PROBED_MOST: usize = 2000;
/// The most examples that suggest filters.
const SUGGESTING_MOST: usize = 24;
/// Examples from which an earlier answer is found, at least; and the number of all above which none is.
const EARLIER_LEAST: usize = 2;
const EARLIER_MOST: usize = 6;
/// Earlier answers take one of this many parts of the work of an inference.
const OF_EARLIER: usize = 2;
/// The score by which an earlier answer is preferred, and that which plenty of data adds.
const ADVANTAGE: f64 = 0.2;
const ADVANTAGE_OF_DATA: f64 = 0.8;
/// The most examples that are left out one by one to find the odd one.
const ODD_MOST: usize = 6;

/// Proposals, and what sets them apart.
///
/// ```
/// use brisk_quill_infer::inference::Inference;
/// use brisk_quill_infer::task::{Pair, Task};
/// let mut task = Task {
///     cells: true,
///     examples: vec![Pair::new("Berth 7", "B-07"), Pair::new("Berth 12", "B-12")],
///     ..Task::default()
/// };
/// task.data.add("Berth 31", 1, false);
/// let inference = Inference::of(&task).expect("a rule");
/// let best = &inference.proposals[0];
/// assert_eq!(best.rewrite("Berth 4").as_deref(), Some("B-04"));
/// ```
#[derive(Clone, Debug)]
pub struct Inference {
    /// The proposals; no two do the same to the sample. The first [`SHOWN`] are the likeliest that differ in kind.
    pub proposals: Vec<Proposal>,
    /// The differences between the proposals.
    pub questions: Questions,
    /// The search ended before all was tried.
    pub cut_short: bool,
}

impl Inference {
    /// Proposes rewrites.
    ///
    /// # Errors
    ///
    /// When there is nothing to propose.
    pub fn of(task: &Task) -> Result<Self, Refusal> {
        refuse_early(&task.examples)?;
        let found = Search::new(task).run(Budget::full(&task.stop));
        if found.0.is_empty() {
            return Err(refusal(task));
        }
        let (proposals, cut_short) = found;
        Ok(Self {
            questions: Questions::of(task, &proposals),
            proposals,
            cut_short,
        })
    }
}

/// The cases of a task, and what is known before the search.
struct Search<'t> {
    task: &'t Task,
    cases: Vec<Case>,
    filters: Filters,
    texts: Vec<Text>,
    ascii: bool,
}

impl<'t> Search<'t> {
    fn new(task: &'t Task) -> Self {
        let chars = |text: &str| text.chars().collect::<Vec<char>>();
        let case = |pair: &Pair| Case {
            before: chars(&pair.before),
            after: chars(&pair.after),
            line: pair.line.filter(|_| task.data.is_complete()),
            part: pair.part,
        };
        let cases: Vec<Case> = task.examples.iter().map(case).collect();
        let texts: Vec<Text> = task
            .data
            .texts()
            .map(|text| Text {
                text: chars(&text.text),
                line: text.line,
                weak: text.passed_over,
            })
            .collect();
        let changed = cases.iter().filter(|case| !case.is_untouched());
        let changed: Vec<&Case> = changed.take(SUGGESTING_MOST).collect();
        let filters = Filters::of(&changed);
        let all = cases
            .iter()
            .map(|case| &case.before)
            .chain(texts.iter().map(|text| &text.text));
        let ascii = all.flatten().all(char::is_ascii);
        Self {
            task,
            cases,
            filters,
            texts,
            ascii,
        }
    }

    /// Texts that say candidates apart: of each exact form one before a second, then of each text but for its digits; from all
    /// parts of the data, which is often sorted.
    fn probes(&self) -> Vec<&[char]> {
        let spread = |number: usize| (number as u32).wrapping_mul(0x9E37_79B1);
        let mut texts: Vec<(usize, &[char])> = (self.texts.iter())
            .map(|text| &text.text[..])
            .enumerate()
            .collect();
        texts.sort_by_key(|(number, _)| spread(*number));
        let texts = texts.into_iter().map(|(_, text)| text);
        let folded = |text: &[char]| -> String { text.iter().copied().map(digit_folded).collect() };
        let (mut forms, mut words) = (BTreeSet::new(), BTreeSet::new());
        let (mut first, others): (Vec<_>, Vec<_>) = texts.partition(|text| {
            let is_new = forms.insert(exact_digits(text));
            if is_new {
                words.insert(folded(text));
            }
            is_new
        });
        let (second, others): (Vec<_>, Vec<_>) =
            (others.into_iter()).partition(|text| words.insert(folded(text)));
        first.extend(second);
        first.extend(others);
        let mut length = 0;
        let mut fits = |text: &&[char]| {
            length += text.len();
            length <= PROBED_MOST
        };
        first
            .into_iter()
            .take(PROBES_MOST)
            .take_while(|text| fits(text))
            .collect()
    }

    /// The proposals, and true if the search was cut short.
    fn run(&self, mut budget: Budget) -> (Vec<Proposal>, bool) {
        let earlier = self.best_before();
        let ranked = self.ranked(&self.cases, earlier.as_ref(), &mut budget);
        let best = ranked.first().map_or(0.0, |first| first.score);
        let near = ranked
            .into_iter()
            .take_while(|ranked| ranked.score <= best + SCORE_MARGIN);
        let near = relatives_behind(near.collect(), SHOWN, &self.filters).into_iter();
        let mut proposals: Vec<Proposal> = near
            .filter_map(|ranked| self.proposal(&ranked, best))
            .take(PROPOSALS_MOST)
            .collect();
        let sum: f64 = proposals.iter().map(|proposal| proposal.weight).sum();
        for proposal in &mut proposals {
            proposal.weight /= sum;
        }
        (proposals, budget.was_cut_short())
    }

    /// The best of what is found from fewer of the examples, in the order in which they were given; none where there are many.
    fn best_before(&self) -> Option<Ranked> {
        // What it does may not shorten the search from all of them.
        let mut budget = Budget::share(&self.task.stop, OF_EARLIER);
        let all = self.cases.len();
        if all > EARLIER_MOST {
            return None;
        }
        let mut best: Option<Ranked> = None;
        for number in EARLIER_LEAST..all {
            let cases = &self.cases[..number];
            if cases.iter().all(Case::is_untouched) {
                continue;
            }
            let share = 1.0 / (all - number) as f64;
            let ranked =
                budget.with_share(share, |budget| self.ranked(cases, best.as_ref(), budget));
            best = ranked.into_iter().next();
        }
        best
    }

    /// The programs that make some examples, the best first. That which was best for fewer examples is among them
    /// while it makes all of them, and has an advantage.
    fn ranked(&self, cases: &[Case], earlier: Option<&Ranked>, budget: &mut Budget) -> Vec<Ranked> {
        let known = KnownChoices::default();
        let (untouched, changed) = cases.iter().partition(|case| case.is_untouched());
        let examples = Examples {
            filters: &self.filters,
            changed,
            untouched,
            cell: self.task.cells,
            probes: &self.probes(),
            known: &known,
            data: &self.texts,
        };
        let mut programs = programs(&examples, budget);
        if let Some(earlier) = earlier
            && cases.iter().all(|case| case.part.is_none())
            && makes_all(&earlier.program, &examples)
        {
            programs.push(earlier.program.clone());
        }
        let mut ranked = rank(programs, cases, &self.texts, self.task.cells, &self.filters);
        let same =
            |ranked: &&mut Ranked| earlier.is_some_and(|earlier| earlier.made == ranked.made);
        if let Some(same) = ranked.iter_mut().find(same) {
            same.score -= ADVANTAGE + ADVANTAGE_OF_DATA * plenty(&self.texts);
            ranked.sort_by(|a, b| a.score.total_cmp(&b.score));
        }
        ranked
    }

    /// The proposal that a program is, once ordinary evaluation has made all examples with it.
    fn proposal(&self, ranked: &Ranked, best: f64) -> Option<Proposal> {
        let steps = ranked.program.steps.iter();
        let steps: Vec<_> = steps
            .map(|candidate| step(candidate, self.ascii, &self.filters))
            .collect();
        let proposal = Proposal {
            steps,
            weight: (-(ranked.score - best) / SPREAD).exp(),
            made: ranked.made.iter().map(changed).collect(),
        };
        self.holds(&proposal, ranked).then_some(proposal)
    }

    /// True if ordinary evaluation makes all examples.
    fn holds(&self, proposal: &Proposal, ranked: &Ranked) -> bool {
        let Some(rewrite) = alone(&proposal.steps) else {
            return false;
        };
        let placed = ranked.program.steps.iter().any(|step| step.tells_place());
        if placed {
            return self.holds_in_place(ranked);
        }
        let makes = |(pair, case): (&Pair, &Case)| {
            let made = made_of(&rewrite, &pair.before);
            match pair.part {
                None => made.as_deref() == Some(&pair.after[..]),
                // What becomes of the part was seen in the search; the rest is as the search has it.
                Some(_) => {
                    let mut numbers = vec![0; ranked.program.steps.len()];
                    let own = ranked
                        .program
                        .rewrite(&case.before, 1, &mut numbers, &self.filters);
                    made.is_some() && changed(&own) == made
                }
            }
        };
        self.task.examples.iter().zip(&self.cases).all(makes)
    }

    /// The same for a template that writes the number of the line or of the match: in the data, in order.
    fn holds_in_place(&self, ranked: &Ranked) -> bool {
        let makes = |pair: &Pair| {
            let at = self
                .texts
                .iter()
                .position(|text| Some(text.line) == pair.line);
            at.is_some_and(|at| match &ranked.made[at] {
                Made::Text(made) => made.iter().copied().eq(pair.after.chars()),
                Made::Nothing => pair.is_untouched(),
                Made::Failed => false,
            })
        };
        self.task.data.is_complete() && self.task.examples.iter().all(makes)
    }
}

/// The faults of the examples that are known before any search.
fn refuse_early(examples: &[Pair]) -> Result<(), Refusal> {
    if examples.len() > EXAMPLES_MOST {
        return Err(Refusal::TooMany(examples.len()));
    }
    let long = |text: &str| text.len() > EXAMPLE_MOST && text.chars().count() > EXAMPLE_MOST;
    // The first example of each old text.
    let mut outcomes: HashMap<(&str, Option<Span>), usize> = HashMap::new();
    for (number, pair) in (1..).zip(examples) {
        if long(&pair.before) || long(&pair.after) {
            return Err(Refusal::TooLong(number));
        }
        let first = *outcomes.entry((&*pair.before, pair.part)).or_insert(number);
        if examples[first - 1].after != pair.after {
            return Err(Refusal::TwoOutcomes(first, number));
        }
    }
    match examples.iter().all(Pair::is_untouched) {
        true => Err(Refusal::NothingChanges),
        false => Ok(()),
    }
}

/// The reason for which nothing was found.
fn refusal(task: &Task) -> Refusal {
    let changed = task.examples.iter().filter(|pair| !pair.is_untouched());
    let foreign = changed.clone().filter(|pair| is_foreign(pair)).count();
    if 2 * foreign > changed.count() {
        return Refusal::LooksLikeTable;
    }
    if (3..=ODD_MOST).contains(&task.examples.len()) {
        for odd in (0..task.examples.len()).rev() {
            let mut without = task.clone();
            without.examples.remove(odd);
            let changes = without
                .examples
                .iter()
                .filter(|pair| !pair.is_untouched())
                .count();
            // Why nothing was found may take no longer than a part of finding it.
            let budget = Budget::share(&task.stop, 4 * task.examples.len());
            if changes > 1 && !Search::new(&without).run(budget).0.is_empty() {
                return Refusal::OddOne(odd + 1);
            }
        }
    }
    Refusal::NoRule
}

/// True if less than half of the letters and digits of the new text are in words of the old one.
fn is_foreign(pair: &Pair) -> bool {
    // What is the same on both sides of a change says nothing.
    let (old, new): (Vec<char>, Vec<char>) =
        (pair.before.chars().collect(), pair.after.chars().collect());
    let (head, tail) = common_ends(&old, &new);
    let old = text_of(&old[head..old.len() - tail]).to_lowercase();
    let new = &new[head..new.len() - tail];
    let words = tokens(new);
    let words = words.iter().filter(|token| token.is_word());
    let (mut all, mut known) = (0, 0);
    for token in words {
        let word = text_of(token.of(new));
        let length = token.of(new).len();
        all += length;
        if old.contains(word.trim_start_matches('0').to_lowercase().as_str()) {
            known += length;
        }
    }
    2 * known < all
}
