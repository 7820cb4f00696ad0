//! The questions whose answers would settle which of several proposals is meant.

use crate::known_texts::KnownTexts;
use crate::proposal::Proposal;
use crate::task::Task;

/// The part by which each new trait of a text makes a question about it more telling.
const NOVELTY: f64 = 0.4;
/// The likelihood that a rule no one thought of changes a text that is just like the examples, and that all proposals leave alone.
const UNTHOUGHT: f64 = 0.3;
/// A text that stays is asked about again, though another was confirmed, if the answer would say more than this.
const TELLING: f64 = 0.6;
/// The share of the weight that speaks against the first proposal about a text, under which it is settled.
const SETTLED: f64 = 0.1;

/// The differences between proposals, and the texts where all of them may be wrong.
#[derive(Clone, Debug)]
pub struct Questions {
    /// The texts of the sample that proposals make different things of, the most telling first.
    pub disputes: Vec<Question>,
    /// The change in the sample by the first proposal that is least like the examples: before and after.
    pub furthest: Option<(String, String)>,
    /// A text of the sample that all likely proposals leave alone though it is like the examples: that of which saying so
    /// would say most.
    pub nearest_left: Option<String>,
    /// The value of hearing that these two are right.
    furthest_telling: f64,
    nearest_telling: f64,
}

/// A text that proposals make different things of.
#[derive(Clone, Debug, PartialEq)]
pub struct Question {
    /// The text.
    pub text: String,
    /// The number of its line, from 1.
    pub line: u64,
    /// The possible results, the likeliest first.
    pub answers: Vec<Answer>,
    /// The value of an answer: the greater, the more it says.
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

/// The next question to the user.
#[derive(Clone, Debug, PartialEq)]
pub enum Asked {
    /// Proposals make different things of this text.
    Disputed(Question),
    /// The change least like the examples: before and after.
    Furthest(String, String),
    /// A text like the examples that stays as it is.
    NearestLeft(String),
}

/// The results that have been confirmed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Confirmed {
    /// The change least like the examples was right.
    pub furthest: bool,
    /// A text like the examples was rightly left alone.
    pub nearest_left: bool,
}

impl Questions {
    /// The questions about some proposals, the likeliest first.
    pub(super) fn of(task: &Task, proposals: &[Proposal]) -> Self {
        let known = KnownTexts::of(&task.examples);
        let disputes = disputes(task, proposals, &known);
        let mut questions = Self {
            disputes,
            furthest: None,
            nearest_left: None,
            furthest_telling: 0.0,
            nearest_telling: 0.0,
        };
        let mut least = f64::INFINITY;
        for (text, made) in task.data.texts().zip(&proposals[0].made) {
            let text = &text.text;
            if known.hold(text) || text.is_empty() {
                continue;
            }
            let likeness = known.likeness(text);
            let novelty = known.novelty(text);
            let telling = |doubt: f64| entropy([doubt, 1.0 - doubt]) * eagerness(novelty);
            match made {
                Some(after) => {
                    let like = likeness - novelty as f64;
                    if like < least {
                        least = like;
                        questions.furthest = Some((text.clone(), after.clone()));
                        questions.furthest_telling = telling(UNTHOUGHT * (1.0 - likeness));
                    }
                }
                None if questions.dispute(text) || known.show_done(text) => {}
                None => {
                    let telling = telling(UNTHOUGHT * likeness);
                    if questions.nearest_left.is_none() || telling > questions.nearest_telling {
                        questions.nearest_left = Some(text.clone());
                        questions.nearest_telling = telling;
                    }
                }
            }
        }
        questions
    }

    /// True if proposals of some weight make different things of a text.
    fn dispute(&self, text: &str) -> bool {
        let of = self.disputes.iter().find(|question| question.text == text);
        of.is_some_and(|question| question.answers[0].weight < 1.0 - SETTLED)
    }

    /// True if no text of the sample speaks with weight against the first proposal.
    ///
    /// That is not a proof: a rule that was not thought of shows no dispute.
    pub fn are_settled(&self) -> bool {
        self.disputes.iter().all(|question| {
            let first = question
                .answers
                .iter()
                .find(|answer| answer.proposals.contains(&0));
            first.is_some_and(|answer| answer.weight >= 1.0 - SETTLED)
        })
    }

    /// The next thing to ask; `None` where nothing is left that would say more.
    ///
    /// It is the text of which an answer says most: one in dispute, or one that all likely proposals leave alone though it is
    /// like the examples. Where there is no dispute, one of each that would be the first to go wrong is shown: that all
    /// proposals agree is not a proof.
    pub fn next(&self, confirmed: Confirmed) -> Option<Asked> {
        let doubtful = self.nearest_telling > TELLING;
        let nearest = self.nearest_left.as_ref();
        let nearest = nearest.filter(|_| doubtful || !confirmed.nearest_left);
        let nearest = nearest.map(|text| Asked::NearestLeft(text.clone()));
        if !self.are_settled() {
            let first = &self.disputes[0];
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

/// The texts that proposals make different things of, the most telling first.
fn disputes(task: &Task, proposals: &[Proposal], known: &KnownTexts<'_>) -> Vec<Question> {
    let mut questions: Vec<Question> = Vec::new();
    for (at, text) in task.data.texts().enumerate() {
        let is_known = |question: &Question| question.text == text.text;
        if questions.iter().any(is_known) {
            continue;
        }
        let answers = answers(at, proposals);
        if answers.len() < 2 {
            continue;
        }
        let weights = answers.iter().map(|answer| answer.weight);
        questions.push(Question {
            telling: entropy(weights) * eagerness(known.novelty(&text.text)),
            text: text.text.clone(),
            line: text.line,
            answers,
        });
    }
    questions.sort_by(|a, b| b.telling.total_cmp(&a.telling));
    questions
}

/// The results of the proposals for the text at a place of the sample, from 0, the likeliest first.
fn answers(at: usize, proposals: &[Proposal]) -> Vec<Answer> {
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
    answers.sort_by(|a, b| b.weight.total_cmp(&a.weight));
    answers
}

/// The factor by which a question about a text with this many new traits is more telling: one of a new kind teaches more than
/// another of a kind that is known.
fn eagerness(novelty: usize) -> f64 {
    1.0 + NOVELTY * novelty.min(3) as f64
}

/// The uncertainty (entropy) about which of some answers, with these likelihoods, is right.
fn entropy(likelihoods: impl IntoIterator<Item = f64>) -> f64 {
    let possible = likelihoods.into_iter().filter(|one| *one > 0.0);
    possible.map(|one| -one * one.ln()).sum()
}
