//! Tries: requests that were left standing for a while.

use crate::draft::worker::DraftText;
use brisk_quill_engine::draft::evaluator::DraftCounts;

/// Tries that are kept.
const MOST: usize = 200;

/// A request that was left standing for a while.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Try {
    pub text: DraftText,
    /// The counts, where they are known.
    pub counts: Option<DraftCounts>,
}

/// All tries, in order of time.
#[derive(Debug, Default)]
pub struct Tries {
    all: Vec<Try>,
    /// The one that is shown, as long as nothing else is typed.
    at: Option<usize>,
    /// The one that was shown before.
    last: Option<DraftText>,
    /// The one that was chosen to be compared with.
    chosen: Option<DraftText>,
}

impl Tries {
    /// Tries of which no counts are known.
    pub fn of(texts: Vec<DraftText>) -> Self {
        let all: Vec<Try> = texts
            .into_iter()
            .map(|text| Try { text, counts: None })
            .collect();
        Self {
            last: all.last().map(|last| last.text.clone()),
            all,
            ..Self::default()
        }
    }

    pub fn texts(&self) -> Vec<DraftText> {
        self.all.iter().map(|one| one.text.clone()).collect()
    }

    pub fn all(&self) -> &[Try] {
        &self.all
    }

    pub fn len(&self) -> usize {
        self.all.len()
    }

    /// The number of the one that is shown, from 0; of none, the last.
    pub fn at(&self) -> usize {
        self.at.unwrap_or(self.all.len().saturating_sub(1))
    }

    /// True if this request is the one that is shown.
    pub fn is_at(&self, text: &DraftText) -> bool {
        self.at.is_some_and(|at| self.all[at].text == *text)
    }

    pub fn text_of(&self, number: usize) -> Option<&DraftText> {
        self.all.get(number).map(|one| &one.text)
    }

    /// Makes a request a try.
    pub fn settle(&mut self, text: &DraftText, counts: DraftCounts) {
        self.leave();
        let known = self.all.iter().position(|one| one.text == *text);
        let at = known.unwrap_or_else(|| {
            self.all.push(Try {
                text: text.clone(),
                counts: None,
            });
            if self.all.len() > MOST {
                self.all.remove(0);
            }
            self.all.len() - 1
        });
        self.all[at].counts = Some(counts);
        self.at = Some(at);
    }

    /// Something else is typed.
    pub fn leave(&mut self) {
        if let Some(at) = self.at.take() {
            self.last = Some(self.all[at].text.clone());
        }
    }

    /// Goes to a try.
    pub fn go_to(&mut self, text: &DraftText) {
        self.leave();
        self.at = self.all.iter().position(|one| one.text == *text);
    }

    /// The try before or after the one that is shown; before what was typed since, the last.
    pub fn beside(&self, text: &DraftText, by: isize) -> Option<&DraftText> {
        let at = match self.at.filter(|at| self.all[*at].text == *text) {
            Some(at) => at.checked_add_signed(by)?,
            None if by < 0 => self.all.len().checked_sub(1)?,
            None => return None,
        };
        self.text_of(at)
    }

    /// Compares with this try from now on, or, where it is the one that is compared with or there is
    /// none, with the last; gives its number, from 0.
    pub fn compare_with(&mut self, text: Option<DraftText>) -> Option<usize> {
        self.chosen = text.filter(|text| self.chosen.as_ref() != Some(text));
        let chosen = self.chosen.as_ref()?;
        self.all.iter().position(|one| one.text == *chosen)
    }

    /// The number of the try that was chosen to be compared with, from 0.
    pub fn chosen(&self) -> Option<usize> {
        let chosen = self.chosen.as_ref()?;
        self.all.iter().position(|one| one.text == *chosen)
    }

    /// The try that a request is compared with: the one that was chosen, else the last one that sees
    /// the same text.
    pub fn base(&self, text: &DraftText) -> Option<&DraftText> {
        let sees_same = |other: &&DraftText| {
            other.step == text.step && other.steps.get(..other.step) == text.steps.get(..text.step)
        };
        let is_other = |other: &&DraftText| *other != text;
        if let Some(chosen) = self.chosen.as_ref().filter(is_other) {
            return Some(chosen);
        }
        let earlier = self.all.iter().rev().map(|one| &one.text);
        let mut candidates = self.last.iter().chain(earlier);
        candidates.find(|other| is_other(other) && sees_same(other))
    }
}
