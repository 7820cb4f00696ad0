//! Texts cut into runs of letters, digits and white space, and the shape of a text.

use std::collections::BTreeSet;

/// The kind of a token.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(super) enum Kind {
    /// Letters, and marks that combine with them.
    Letters,
    /// Decimal digits.
    Digits,
    /// White space.
    Blanks,
    /// One other character.
    Sign,
}

/// A token of a text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Token {
    pub kind: Kind,
    /// The start, in characters.
    pub from: usize,
    /// The end, in characters, excluded.
    pub to: usize,
}

impl Token {
    /// The characters.
    pub fn of(self, text: &[char]) -> &[char] {
        &text[self.from..self.to]
    }

    /// True if it holds letters or digits.
    pub fn is_word(self) -> bool {
        matches!(self.kind, Kind::Letters | Kind::Digits)
    }
}

/// The kind of one character.
pub(super) fn kind(c: char) -> Kind {
    match c {
        c if c.is_ascii_digit() => Kind::Digits,
        c if c.is_alphabetic() || is_mark(c) => Kind::Letters,
        c if c.is_whitespace() => Kind::Blanks,
        _ => Kind::Sign,
    }
}

/// True for a mark that combines with the character before it.
fn is_mark(c: char) -> bool {
    unicode_normalization::char::is_combining_mark(c)
}

/// The tokens of a text, in order.
pub(super) fn tokens(text: &[char]) -> Vec<Token> {
    let mut all: Vec<Token> = Vec::new();
    for (at, &c) in text.iter().enumerate() {
        let kind = kind(c);
        match all.last_mut() {
            Some(last) if last.kind == kind && kind != Kind::Sign => last.to = at + 1,
            _ => all.push(Token {
                kind,
                from: at,
                to: at + 1,
            }),
        }
    }
    all
}

/// True if a letter or digit stands on both sides of `at`.
pub(super) fn is_inside_word(text: &[char], at: usize) -> bool {
    let word =
        |c: Option<&char>| c.is_some_and(|c| matches!(kind(*c), Kind::Letters | Kind::Digits));
    at > 0 && word(text.get(at - 1)) && word(text.get(at))
}

/// The shape of a text: capital letters as `A`, others as `a`, digits as `9`, white space as one
/// blank, other signs as they are; runs folded.
pub(super) fn shape(text: &[char]) -> String {
    let mut out = String::new();
    for &c in text {
        let sign = match kind(c) {
            Kind::Letters if c.is_uppercase() => 'A',
            Kind::Letters => 'a',
            Kind::Digits => '9',
            Kind::Blanks => ' ',
            Kind::Sign => c,
        };
        let folds = !matches!(kind(c), Kind::Sign);
        if !(folds && out.ends_with(sign)) {
            out.push(sign);
        }
    }
    out
}

/// The same with the length of every run of digits.
pub(super) fn exact_digits(text: &[char]) -> String {
    let mut out = String::new();
    for token in tokens(text) {
        match token.kind {
            Kind::Digits => out.extend(token.of(text).iter().copied().map(digit_folded)),
            _ => out.push_str(&shape(token.of(text))),
        }
    }
    out
}

/// The texts of the tokens that are `wanted`, each once.
pub(super) fn token_texts(text: &[char], wanted: impl Fn(&Token) -> bool) -> BTreeSet<String> {
    let wanted = tokens(text).into_iter().filter(wanted);
    wanted.map(|token| text_of(token.of(text))).collect()
}

/// The texts that are in all of some sets.
pub(super) fn in_all(mut sets: impl Iterator<Item = BTreeSet<String>>) -> BTreeSet<String> {
    let first = sets.next().unwrap_or_default();
    sets.fold(first, |shared, own| &shared & &own)
}

/// The same character, but `9` for every digit.
pub(super) fn digit_folded(c: char) -> char {
    if c.is_ascii_digit() { '9' } else { c }
}

/// The text of some characters.
pub(super) fn text_of(chars: &[char]) -> String {
    chars.iter().collect()
}
