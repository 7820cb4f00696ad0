//! Texts that are the same in all examples and go, or are chosen from: programs that take others in their place.

use super::{Matched, Taken, of_share};
use crate::candidate::Written;
use crate::form::{Matcher, Piece};
use crate::tokens::text_of;

/// The cost of a class for a word that goes and is the same in all examples, for each further example, where the data has others.
const OTHER: f64 = 4.0;
/// The same for a word or a number that becomes another one: the same would come of different ones.
const REPLACED: f64 = 6.0;
/// The cost of changing texts that hold only a part of the texts of a choice, where all examples hold all of them.
const PARTIAL: f64 = 3.0;

impl<'e> Taken<'_, 'e> {
    /// The text removed is the same in all examples, and the pattern takes others there: texts with another word or number change
    /// too, or lose one where the examples lose none.
    pub(super) fn other_constants(&self) -> f64 {
        let further = self.further();
        let (pieces, caught) = with_runs_caught(&self.step.pieces);
        if caught.is_empty() || further == 0.0 {
            return 0.0;
        }
        let matcher = Matcher::new(&pieces);
        let values = |text: &'e [char], group: usize| -> Vec<&'e [char]> {
            let matches = matcher.all(text).unwrap_or_default();
            let spans = matches
                .iter()
                .filter_map(|spans| spans.get(group).copied().flatten());
            spans.map(|(from, to)| &text[from..to]).collect()
        };
        let writes = |wanted: fn(&char) -> bool| {
            self.step.template.iter().any(|part| match part {
                Written::Text(text) => text.iter().any(wanted),
                Written::Group { .. }
                | Written::CaseOf(_)
                | Written::Line(_)
                | Written::Number(_) => false,
            })
        };
        let writes_word = writes(|c| c.is_alphabetic());
        let writes_number = writes(char::is_ascii_digit);
        let mut cost = 0.0;
        for group in caught {
            let examples = self.examples.iter();
            let mut own = examples.flat_map(|example| values(example.text, group));
            let Some(first) = own.next() else {
                continue;
            };
            if own.any(|other| other != first) {
                continue;
            }
            let constant = Constant::of(first);
            let others = self.share(|matched| {
                let mut values = values(matched.text, group).into_iter();
                values.any(|value| value != first && constant.is_passed_by(first, value))
            });
            let weight = match constant {
                Constant::Number if writes_number => REPLACED * (further + 0.5),
                Constant::Word if writes_word => REPLACED * (further + 0.5),
                constant => constant.weight() * further,
            };
            cost += weight * of_share(others);
        }
        cost
    }

    /// One pattern takes several texts, such as `get_` and `()`, which all examples hold together; in the data it takes one where
    /// another is not.
    pub(super) fn partial(&self) -> f64 {
        let [choice] = &(self.step.pieces.iter())
            .filter_map(|piece| match piece {
                Piece::OneOf(texts, false) if texts.len() > 1 => Some(texts),
                Piece::OneOf(..)
                | Piece::Text(_)
                | Piece::Run { .. }
                | Piece::Group(_)
                | Piece::Maybe(_)
                | Piece::Start
                | Piece::End
                | Piece::Edge => None,
            })
            .collect::<Vec<_>>()[..]
        else {
            return 0.0;
        };
        // Several spellings of one thing do not belong together.
        let is_within = |one: &String| {
            let others = choice.iter().filter(|other| *other != one);
            others.into_iter().any(|other| other.contains(one.as_str()))
        };
        if choice.iter().any(is_within) {
            return 0.0;
        }
        let lacks_one = |matched: &Matched<'_>| {
            let text = |(from, to): (usize, usize)| text_of(&matched.text[from..to]);
            let taken: Vec<String> = matched.whole().map(text).collect();
            let is_taken = |one: &String| taken.iter().any(|taken| taken.contains(one.as_str()));
            !choice.iter().all(is_taken)
        };
        PARTIAL * of_share(self.share_unshown(lacks_one))
    }
}

/// A text that goes, and is the same in all examples.
enum Constant {
    /// A text with letters.
    Word,
    /// A text with digits and no letter.
    Number,
    /// A text of neither.
    Signs,
}

impl Constant {
    fn of(text: &[char]) -> Self {
        match text {
            _ if text.iter().any(|c| c.is_alphabetic()) => Self::Word,
            _ if text.iter().any(|c| c.is_numeric()) => Self::Number,
            _ => Self::Signs,
        }
    }

    /// True if another text in the place of `own` is one that the examples do not speak for: any but other signs, or one sign
    /// where they have several.
    fn is_passed_by(&self, own: &[char], other: &[char]) -> bool {
        !matches!(self, Self::Signs)
            || other.iter().any(|c| c.is_alphanumeric())
            || (own.len() > 1 && other.len() == 1)
    }

    /// The cost for each further example. A few numbers are the same by chance more often than a few words.
    fn weight(&self) -> f64 {
        match self {
            Self::Word | Self::Signs => OTHER,
            Self::Number => OTHER / 2.0,
        }
    }
}

/// The pieces with a group around each run that is in none, and the numbers of those groups.
fn with_runs_caught(pieces: &[Piece]) -> (Vec<Piece>, Vec<usize>) {
    let mut caught = Vec::new();
    let mut groups = 0;
    let each = pieces.iter().map(|piece| match piece {
        Piece::Run { .. } => {
            groups += 1;
            caught.push(groups);
            Piece::Group(vec![piece.clone()])
        }
        Piece::Group(_) | Piece::Maybe(_) => {
            groups += inner_groups(std::slice::from_ref(piece));
            piece.clone()
        }
        Piece::Text(_) | Piece::OneOf(..) | Piece::Start | Piece::End | Piece::Edge => {
            piece.clone()
        }
    });
    (each.collect(), caught)
}

fn inner_groups(pieces: &[Piece]) -> usize {
    let each = pieces.iter().map(|piece| match piece {
        Piece::Group(inner) => 1 + inner_groups(inner),
        Piece::Maybe(inner) => inner_groups(inner),
        Piece::Text(_)
        | Piece::Run { .. }
        | Piece::OneOf(..)
        | Piece::Start
        | Piece::End
        | Piece::Edge => 0,
    });
    each.sum()
}
