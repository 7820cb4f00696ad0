//! Decisions of several reviewers about one change.
//!
//! A decision record without a name settles a change. One with a name is an opinion: the last of
//! each name counts, beside what had been decided before. While all agree that is the decision;
//! where they differ the change is open, until a record without a name settles it.

use crate::plan::decision::Decision;
use crate::plan::fault::PlanFault;
use crate::plan::modified::Modified;
use crate::records::field;
use crate::records::plan::{DecisionRecord, decision_line};

/// The longest name of a reviewer, in bytes.
const NAME_MOST: usize = 200;
/// The longest remark, in bytes.
const REMARK_MOST: usize = 4000;
/// The most reviewers of a change.
const REVIEWERS_MOST: usize = 100;

/// A decision of a reviewer.
///
/// ```
/// use brisk_quill_core::plan::decision::Decision;
/// use brisk_quill_core::plan::opinion::Opinion;
/// use brisk_quill_core::records::plan::DecisionRecord;
/// let record = DecisionRecord::new("1.2", Decision::Refused, None).of_reviewer("the pilot", "");
/// let opinion = Opinion::of(&record, None)?.expect("of a reviewer");
/// assert_eq!((&*opinion.by, opinion.decision), ("the pilot", Decision::Refused));
/// # Ok::<(), brisk_quill_core::plan::fault::PlanFault>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Opinion {
    /// The name of the reviewer.
    pub by: String,
    /// The decision.
    pub decision: Decision,
    /// The text that is written instead, where it is modified.
    pub text: Option<Modified>,
    /// The remark, empty where there is none.
    pub remark: String,
}

impl Opinion {
    /// The opinion in a record; `None` where it names no one.
    ///
    /// # Errors
    ///
    /// When the name or the remark is too long, or the name is empty.
    pub fn of(
        record: &DecisionRecord<'_>,
        text: Option<Modified>,
    ) -> Result<Option<Self>, PlanFault> {
        let Some(by) = &record.by.0 else {
            return Ok(None);
        };
        let remark = record.remark.0.as_deref().unwrap_or_default();
        if by.is_empty() || by.len() > NAME_MOST {
            return Err(PlanFault::Field("by"));
        }
        if remark.len() > REMARK_MOST {
            return Err(PlanFault::Field("remark"));
        }
        Ok(Some(Self {
            by: by.to_string(),
            decision: record.decision,
            text,
            remark: remark.to_owned(),
        }))
    }

    /// Appends its record about the change `id`, for a plan.
    pub fn push(&self, out: &mut Vec<u8>, id: &str) {
        let record = DecisionRecord::new(id, self.decision, self.text.as_ref());
        field::push(out, &record.of_reviewer(&self.by, &self.remark));
    }
}

/// The opinions about one change.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Opinions {
    /// The last opinion of each reviewer, in the order in which they came first.
    all: Vec<Opinion>,
    /// The first opinion that counts: those before were settled.
    settled: usize,
    /// The decision without a name, unless that is open.
    own: Option<(Decision, Option<Modified>)>,
}

impl Opinions {
    /// None yet, beside what has been decided.
    pub fn beside(decision: Decision, text: Option<&Modified>) -> Self {
        let mut opinions = Self::default();
        opinions.settle(decision, text);
        opinions
    }

    /// The opinions, those that were settled first.
    pub fn all(&self) -> &[Opinion] {
        &self.all
    }

    /// The decision without a name, where there is one that counts.
    pub fn own(&self) -> Option<Decision> {
        Some(self.own.as_ref()?.0)
    }

    /// Adds an opinion, in place of an earlier one of the same reviewer.
    ///
    /// # Errors
    ///
    /// When there are too many reviewers.
    pub fn add(&mut self, opinion: Opinion) -> Result<(), PlanFault> {
        if let Some(at) = self.all.iter().position(|other| other.by == opinion.by) {
            self.all.remove(at);
            self.settled -= usize::from(at < self.settled);
        }
        if self.all.len() == REVIEWERS_MOST {
            return Err(PlanFault::TooMany(REVIEWERS_MOST));
        }
        self.all.push(opinion);
        Ok(())
    }

    /// Settles them with a decision without a name.
    pub fn settle(&mut self, decision: Decision, text: Option<&Modified>) {
        self.settled = self.all.len();
        let is_open = decision == Decision::Open;
        self.own = (!is_open).then(|| (decision, text.cloned()));
    }

    /// The records that say the same of the change `id`, for a plan.
    pub fn lines(&self, id: &str) -> Vec<u8> {
        let (settled, rest) = self.all.split_at(self.settled);
        let mut out = Vec::new();
        settled
            .iter()
            .for_each(|opinion| opinion.push(&mut out, id));
        match &self.own {
            Some((decision, text)) => out.extend(decision_line(id, *decision, text.as_ref())),
            None if settled.is_empty() => {}
            None => out.extend(decision_line(id, Decision::Open, None)),
        }
        rest.iter().for_each(|opinion| opinion.push(&mut out, id));
        out
    }

    /// The decisions that count.
    fn counting(&self) -> impl Iterator<Item = (Decision, Option<&Modified>)> {
        let own = self.own.iter();
        let own = own.map(|(decision, text)| (*decision, text.as_ref()));
        let named = self.all[self.settled..].iter();
        own.chain(named.map(|opinion| (opinion.decision, opinion.text.as_ref())))
    }

    /// True if they differ.
    pub fn differ(&self) -> bool {
        let mut all = self.counting();
        all.next()
            .is_some_and(|first| all.any(|other| other != first))
    }

    /// The decision that all agree on; open where they differ.
    pub fn common(&self) -> (Decision, Option<Modified>) {
        match self.counting().next().filter(|_| !self.differ()) {
            Some((decision, text)) => (decision, text.cloned()),
            None => (Decision::Open, None),
        }
    }
}
