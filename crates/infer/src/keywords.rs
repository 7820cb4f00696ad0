//! Words that distinguish texts: all examples that change have them at one place, where the data has few others.
//!
//! `kg` and `t` behind a number, `http` and `https` before `://`, `TODO` in front of most lines: a rule that was shown for one of
//! them is seldom meant for the others. A name among many names is none of these.

use crate::case::Case;
use crate::tokens::{Kind, Token, text_of, tokens};
use std::collections::BTreeMap;

/// Texts with a word at the place, without which nothing is known of the place.
const TEXTS_LEAST: usize = 8;

/// A word at a place that is counted from one end of a text.
pub(super) struct Keyword {
    /// The tokens up to it, from that end: their kinds, and the signs themselves.
    before: Vec<(Kind, Option<char>)>,
    from_end: bool,
    word: String,
    /// The extent to which it distinguishes texts, from 0 to 1.
    pub weight: f64,
}

/// The tokens of a text from one of its ends on.
fn from_side(text: &[char], from_end: bool) -> Vec<Token> {
    let mut all = tokens(text);
    if from_end {
        all.reverse();
    }
    all
}

fn form(text: &[char], token: Token) -> (Kind, Option<char>) {
    let sign = (token.kind == Kind::Sign).then(|| text[token.from]);
    (token.kind, sign)
}

/// A word without its letter case, in which the same word may come.
fn folded(text: &[char], token: Token) -> String {
    text_of(token.of(text)).to_lowercase()
}

impl Keyword {
    /// The words at the places of `changed`, which are examples, that distinguish the `texts`.
    pub fn all(changed: &[&Case], texts: &[&[char]]) -> Vec<Self> {
        let mut all = Vec::new();
        let Some(first) = changed.first() else {
            return all;
        };
        for from_end in [false, true] {
            let own = from_side(&first.before, from_end);
            for (at, token) in own.iter().enumerate() {
                if token.kind != Kind::Letters {
                    continue;
                }
                let mut keyword = Self {
                    before: own[..at]
                        .iter()
                        .map(|token| form(&first.before, *token))
                        .collect(),
                    from_end,
                    word: folded(&first.before, *token),
                    weight: 0.0,
                };
                let is_shared =
                    (changed.iter()).all(|case| keyword.is_other(&case.before) == Some(false));
                if is_shared {
                    keyword.weight = keyword.weight_among(texts);
                }
                if keyword.weight > 0.0 {
                    all.push(keyword);
                }
            }
        }
        all
    }

    /// The word at the place; `None` where the text has no such place.
    fn word_of(&self, text: &[char]) -> Option<String> {
        let all = from_side(text, self.from_end);
        let token = all
            .get(self.before.len())
            .filter(|token| token.kind == Kind::Letters)?;
        let before = all[..self.before.len()]
            .iter()
            .map(|token| form(text, *token));
        before
            .eq(self.before.iter().copied())
            .then(|| folded(text, *token))
    }

    /// True if a text has another word at the place; `None` where it has no such place.
    pub fn is_other(&self, text: &[char]) -> Option<bool> {
        self.word_of(text).map(|word| word != self.word)
    }

    fn weight_among(&self, texts: &[&[char]]) -> f64 {
        let mut counts: BTreeMap<String, usize> = BTreeMap::new();
        for word in texts.iter().filter_map(|text| self.word_of(text)) {
            *counts.entry(word).or_default() += 1;
        }
        let all: usize = counts.values().sum();
        let own = counts.remove(&self.word).unwrap_or(0);
        let most = counts.values().max().copied().unwrap_or(0);
        match counts.len() {
            _ if all < TEXTS_LEAST || most == 0 => 0.0,
            // One text may be a slip.
            1 if most > 1 => 1.0,
            2 => 0.5,
            _ if own >= 3 * most && 5 * own >= 2 * all => 1.0,
            _ => 0.0,
        }
    }
}
