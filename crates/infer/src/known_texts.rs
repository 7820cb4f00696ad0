//! The likeness of a text to those of the examples, and its new traits.

use crate::task::Pair;
use crate::tokens::{Kind, exact_digits, shape, tokens};
use std::collections::BTreeSet;

/// The form of a text: its shape, and the same with the length of every number.
#[derive(Debug, PartialEq, Eq)]
struct Form {
    coarse: String,
    exact: String,
}

impl Form {
    fn of(text: &str) -> Self {
        let text: Vec<char> = text.chars().collect();
        Self {
            coarse: shape(&text),
            exact: exact_digits(&text),
        }
    }
}

/// The texts of the examples, as far as others are compared with them.
pub(super) struct KnownTexts<'e> {
    examples: &'e [Pair],
    /// Forms of those that change, of what comes of them, and of those that stay.
    changed: Vec<Form>,
    made: Vec<Form>,
    kept: Vec<Form>,
    traits: BTreeSet<String>,
}

impl<'e> KnownTexts<'e> {
    pub fn of(examples: &'e [Pair]) -> Self {
        let mut known = Self {
            examples,
            changed: Vec::new(),
            made: Vec::new(),
            kept: Vec::new(),
            traits: BTreeSet::new(),
        };
        for pair in examples {
            let before = Form::of(&pair.before);
            known.traits.extend(traits(&pair.before));
            if pair.is_untouched() {
                known.kept.push(before);
            } else {
                known.changed.push(before);
                known.made.push(Form::of(&pair.after));
            }
        }
        known
    }

    /// True if an example says what becomes of a text.
    pub fn hold(&self, text: &str) -> bool {
        self.examples.iter().any(|pair| pair.before == text)
    }

    /// The greatest likeness of a text to one that changes, from 0 to 1.
    pub fn likeness(&self, text: &str) -> f64 {
        let own = Form::of(text);
        let each = self.changed.iter();
        let each = each.map(|known| strsim::normalized_levenshtein(&own.coarse, &known.coarse));
        each.fold(0.0, f64::max)
    }

    /// True if a text needs no change, for it looks like what comes of others, or like what stays.
    pub fn show_done(&self, text: &str) -> bool {
        let own = Form::of(text);
        let coarse = |forms: &[Form]| forms.iter().any(|form| form.coarse == own.coarse);
        let exact = |forms: &[Form]| forms.iter().any(|form| form.exact == own.exact);
        let in_coarse = coarse(&self.made) && !coarse(&self.changed);
        let in_exact = exact(&self.made) || exact(&self.kept);
        in_coarse || in_exact && !exact(&self.changed)
    }

    /// The number of traits of a text that no example has.
    pub fn novelty(&self, text: &str) -> usize {
        traits(text).difference(&self.traits).count()
    }
}

/// Traits of a text that are seen at a glance: the forms of its words, its signs, how it begins and ends, and how long it is.
fn traits(text: &str) -> BTreeSet<String> {
    let chars: Vec<char> = text.chars().collect();
    let all = tokens(&chars);
    let mut traits = BTreeSet::new();
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
