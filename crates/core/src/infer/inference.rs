//! Inference: proposals from a task, and the questions that would settle which is meant.

use crate::common_ends::common_ends;
use crate::infer::candidate::Made;
use crate::infer::case::Case;
use crate::infer::examples::{Examples, KnownChoices};
use crate::infer::filters::Filters;
use crate::infer::find::programs;
use crate::infer::proposal::{Proposal, alone, changed, made_of, step};
use crate::infer::rank::{Ranked, Text, rank, relatives_behind};
use crate::infer::refusal::Refusal;
use crate::infer::search::Budget;
use crate::infer::task::{EXAMPLE_MOST, Pair, Task};
use crate::infer::tokens::{Kind, exact_digits, shape, text_of, tokens};
use std::collections::BTreeSet;

/// Proposals that take part in questions, at most.
const PROPOSALS_MOST: usize = 30;
/// The first proposals, which are meant to be shown, differ in kind.
pub const SHOWN: usize = 3;
/// Proposals whose score is worse than that of the best by more than this take no part.
const SCORE_MARGIN: f64 = 5.0;
/// The part by which each new trait of a text makes a question about it more telling.
const NOVELTY: f64 = 0.4;
/// The difference in score at which a proposal is e times as likely as another.
const SPREAD: f64 = 1.0;
/// The likelihood that a rule nobody thought of changes a text that is just like the examples, and that all proposals leave alone.
const UNTHOUGHT: f64 = 0.3;
/// A text that stays is asked about again, though another was confirmed, if the answer would tell more than this.
const TELLING: f64 = 0.6;
/// The share of the weight that speaks against the first proposal about a text, under which it is settled.
const SETTLED: f64 = 0.1;
/// Texts by which candidates are told apart while they are searched for, at most.
const PROBES_MOST: usize = 40;
/// Examples that suggest filters, at most.
const SUGGESTING_MOST: usize = 24;
/// Examples that are left out one by one to name the odd one, at most.
const ODD_MOST: usize = 6;

/// Proposals, and what sets them apart.
///
/// ```
/// use brisk_quill_core::infer::inference::Inference;
/// use brisk_quill_core::infer::task::{Pair, Task};
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
    /// The texts of the sample that proposals make different things of, the most telling first.
    pub questions: Vec<Question>,
    /// The change in the sample by the first proposal that is least like the examples: before and after.
    pub furthest: Option<(String, String)>,
    /// A text of the sample that all likely proposals leave alone though it is like the examples: that of which saying so
    /// would tell most.
    pub nearest_left: Option<String>,
    /// What would be told of these two by saying that they are right.
    furthest_telling: f64,
    nearest_telling: f64,
    /// The search ended before all was tried.
    pub cut_short: bool,
}

/// A text that proposals make different things of.
#[derive(Clone, Debug, PartialEq)]
pub struct Question {
    /// The text.
    pub text: String,
    /// The number of its line, from 1.
    pub line: u64,
    /// What may come of it, the likeliest first.
    pub answers: Vec<Answer>,
    /// What an answer would tell, the greater the more.
    telling: f64,
}

/// One of the things that may come of a text.
#[derive(Clone, Debug, PartialEq)]
pub struct Answer {
    /// The text; `None` where it is left as it is.
    pub after: Option<String>,
    /// The weight of the proposals that make it, from 0 to 1.
    pub weight: f64,
    /// The numbers of those proposals, from 0.
    pub proposals: Vec<usize>,
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
        let of_example = |pair: &Pair| traits(&pair.before);
        let known: Vec<Traits> = task.examples.iter().map(of_example).collect();
        let questions = questions(task, &proposals, &known);
        let disputed = |text: &str| {
            let of = questions.iter().find(|question| question.text == text);
            of.is_some_and(|question| question.answers[0].weight < 1.0 - SETTLED)
        };
        let (furthest, nearest) = extremes(task, &proposals[0], &known, disputed);
        let (furthest, furthest_telling) = furthest.unzip();
        let (nearest_left, nearest_telling) = nearest.unzip();
        Ok(Self {
            proposals,
            questions,
            furthest,
            nearest_left,
            furthest_telling: furthest_telling.unwrap_or_default(),
            nearest_telling: nearest_telling.unwrap_or_default(),
            cut_short,
        })
    }

    /// True if no text of the sample speaks with weight against the first proposal.
    ///
    /// That is no proof: a rule that was not thought of shows no dispute.
    pub fn is_settled(&self) -> bool {
        self.questions.iter().all(|question| {
            let first = question
                .answers
                .iter()
                .find(|answer| answer.proposals.contains(&0));
            first.is_some_and(|answer| answer.weight >= 1.0 - SETTLED)
        })
    }
}

/// What is asked next of the one who knows.
#[derive(Clone, Debug, PartialEq)]
pub enum Asked {
    /// Proposals make different things of this text.
    Disputed(Question),
    /// The change least like the examples: before and after.
    Furthest(String, String),
    /// A text like the examples that stays as it is.
    NearestLeft(String),
}

/// What has been confirmed by now.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Confirmed {
    /// The change least like the examples was right.
    pub furthest: bool,
    /// A text like the examples was rightly left alone.
    pub nearest_left: bool,
}

impl Inference {
    /// The next thing to ask; `None` where nothing is left that would tell more.
    ///
    /// It is the text of which an answer tells most: one in dispute, or one that all likely proposals leave alone though it is
    /// like the examples. Where there is no dispute, one of each that would be the first to go wrong is shown: that all
    /// proposals agree is no proof.
    pub fn next_question(&self, confirmed: Confirmed) -> Option<Asked> {
        let nearest = self.nearest_left.as_ref();
        let doubtful = self.nearest_telling > TELLING;
        let nearest = nearest.filter(|_| doubtful || !confirmed.nearest_left);
        let nearest = nearest.map(|text| Asked::NearestLeft(text.clone()));
        if !self.is_settled() {
            let first = &self.questions[0];
            return match nearest {
                Some(nearest) if self.nearest_telling > first.telling => Some(nearest),
                _ => Some(Asked::Disputed(first.clone())),
            };
        }
        let furthest = self.furthest.as_ref().filter(|_| !confirmed.furthest);
        let furthest =
            furthest.map(|(before, after)| Asked::Furthest(before.clone(), after.clone()));
        match self.nearest_telling > self.furthest_telling {
            true => nearest.or(furthest),
            false => furthest.or(nearest),
        }
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

    /// Texts that tell candidates apart: of each exact form one before a second.
    fn probes(&self) -> Vec<&[char]> {
        let mut seen = BTreeSet::new();
        let texts = self.texts.iter().map(|text| &text.text[..]);
        let (mut first, others): (Vec<_>, Vec<_>) =
            texts.partition(|text| seen.insert(exact_digits(text)));
        first.extend(others);
        first.truncate(PROBES_MOST);
        first
    }

    /// The proposals, and true if the search was cut short.
    fn run(&self, mut budget: Budget) -> (Vec<Proposal>, bool) {
        let known = KnownChoices::default();
        let (untouched, changed) = self.cases.iter().partition(|case| case.is_untouched());
        let examples = Examples {
            filters: &self.filters,
            changed,
            untouched,
            cell: self.task.cells,
            probes: &self.probes(),
            known: &known,
        };
        let programs = programs(&examples, &mut budget);
        let ranked = rank(
            programs,
            &self.cases,
            &self.texts,
            self.task.cells,
            &self.filters,
        );
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
        (proposals, budget.is_spent())
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

/// What speaks against the examples before anything is searched for.
fn refuse_early(examples: &[Pair]) -> Result<(), Refusal> {
    let long = |text: &str| text.len() > EXAMPLE_MOST && text.chars().count() > EXAMPLE_MOST;
    for (number, pair) in (1..).zip(examples) {
        if long(&pair.before) || long(&pair.after) {
            return Err(Refusal::TooLong(number));
        }
        let other = |other: &Pair| {
            other.before == pair.before && other.after != pair.after && other.part == pair.part
        };
        if let Some(first) = examples[..number - 1].iter().position(other) {
            return Err(Refusal::TwoOutcomes(first + 1, number));
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
            let budget = Budget::share(&task.stop, task.examples.len());
            if changes > 1 && !Search::new(&without).run(budget).0.is_empty() {
                return Refusal::OddOne(odd + 1);
            }
        }
    }
    Refusal::NoRule
}

/// True if less than half of the letters and digits of the new text stand in words of the old one.
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

/// The texts that proposals make different things of, the most telling first.
fn questions(task: &Task, proposals: &[Proposal], known: &[Traits]) -> Vec<Question> {
    let mut questions: Vec<Question> = Vec::new();
    for (at, text) in task.data.texts().enumerate() {
        if questions.iter().any(|question| question.text == text.text) {
            continue;
        }
        let mut answers: Vec<Answer> = Vec::new();
        for (number, proposal) in proposals.iter().enumerate() {
            let after = &proposal.made[at];
            match answers.iter_mut().find(|answer| answer.after == *after) {
                Some(answer) => {
                    answer.weight += proposal.weight;
                    answer.proposals.push(number);
                }
                None => answers.push(Answer {
                    after: after.clone(),
                    weight: proposal.weight,
                    proposals: vec![number],
                }),
            }
        }
        if answers.len() < 2 {
            continue;
        }
        answers.sort_by(|a, b| b.weight.total_cmp(&a.weight));
        let weights = answers.iter().map(|answer| answer.weight);
        let telling = entropy(weights) * eagerness(&text.text, known);
        questions.push(Question {
            text: text.text.clone(),
            line: text.line,
            answers,
            telling,
        });
    }
    questions.sort_by(|a, b| b.telling.total_cmp(&a.telling));
    questions
}

/// How little is known of which of some answers, with these likelihoods, is the right one.
fn entropy(likelihoods: impl IntoIterator<Item = f64>) -> f64 {
    let possible = likelihoods.into_iter().filter(|one| *one > 0.0);
    possible.map(|one| -one * one.ln()).sum()
}

/// A text of a new kind teaches more than another of a kind that is known.
fn eagerness(text: &str, known: &[Traits]) -> f64 {
    1.0 + NOVELTY * novelty(text, known).min(3) as f64
}

/// Traits of a text.
type Traits = BTreeSet<String>;

/// What is seen of a text at a glance: the forms of its words, its signs, how it begins and ends, and how long it is.
fn traits(text: &str) -> Traits {
    let chars: Vec<char> = text.chars().collect();
    let all = tokens(&chars);
    let mut traits = Traits::new();
    let mut words = 0;
    for run in all.chunk_by(|a, b| a.is_word() && b.is_word()) {
        let own = &chars[run[0].from..run[run.len() - 1].to];
        traits.insert(match run[0].kind {
            Kind::Letters | Kind::Digits => {
                words += 1;
                shape(own)
            }
            Kind::Blanks => " ".into(),
            Kind::Sign => own.iter().collect(),
        });
    }
    if let (Some(first), Some(last)) = (all.first(), all.last()) {
        traits.insert(format!("begins {}", shape(first.of(&chars))));
        traits.insert(format!("ends {}", shape(last.of(&chars))));
    }
    traits.insert(format!("{} words", words.min(6)));
    traits
}

/// The traits of a text that no example has.
fn novelty(text: &str, known: &[Traits]) -> usize {
    let own = traits(text);
    own.iter()
        .filter(|of_text| !known.iter().any(|known| known.contains(*of_text)))
        .count()
}

/// A text, with what would be told of it by saying that it is right.
type Telling<T> = Option<(T, f64)>;

/// The change least like the examples, and the text that stays, is not in dispute, and tells most.
fn extremes(
    task: &Task,
    best: &Proposal,
    traits: &[Traits],
    disputed: impl Fn(&str) -> bool,
) -> (Telling<(String, String)>, Telling<String>) {
    let form = |text: &str| shape(&text.chars().collect::<Vec<char>>());
    let changed = task.examples.iter().filter(|pair| !pair.is_untouched());
    let known: Vec<String> = changed.clone().map(|pair| form(&pair.before)).collect();
    let done: Vec<String> = changed.map(|pair| form(&pair.after)).collect();
    // It needs no change, for it looks like what comes of the others.
    let is_done = |own: &String| done.contains(own) && !known.contains(own);
    let (mut furthest, mut nearest) = (None, None);
    let mut least = f64::INFINITY;
    for (text, made) in task.data.texts().zip(&best.made) {
        if task.examples.iter().any(|pair| pair.before == text.text) || text.text.is_empty() {
            continue;
        }
        let own = form(&text.text);
        let each = known.iter();
        let each = each.map(|known| strsim::normalized_levenshtein(&own, known));
        let alike = each.fold(0.0, f64::max);
        let telling = |doubt: f64| entropy([doubt, 1.0 - doubt]) * eagerness(&text.text, traits);
        match made {
            Some(after) => {
                let like = alike - novelty(&text.text, traits) as f64;
                if like < least {
                    least = like;
                    let pair = (text.text.clone(), after.clone());
                    furthest = Some((pair, telling(UNTHOUGHT * (1.0 - alike))));
                }
            }
            None if disputed(&text.text) || is_done(&own) => {}
            None => {
                let telling = telling(UNTHOUGHT * alike);
                if nearest.as_ref().is_none_or(|(_, most)| telling > *most) {
                    nearest = Some((text.text.clone(), telling));
                }
            }
        }
    }
    (furthest, nearest)
}
