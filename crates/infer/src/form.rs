//! Patterns under construction: a sequence of pieces, from which the source of a pattern is
//! written, and which is matched without being compiled.
//!
//! A search for a rewrite tries thousands of patterns on short texts, where compiling one takes longer than
//! all its matches. What is proposed in the end is compiled and run like any other rewrite.

use smallvec::{SmallVec, smallvec};
use std::fmt::Write as _;
use unicode_normalization::char::is_combining_mark;

/// A class of characters.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) enum Class {
    /// A decimal digit.
    Digit,
    /// A letter of upper case.
    Upper,
    /// A letter of lower case.
    Lower,
    /// A letter.
    Letter,
    /// A letter, a digit or `_`.
    Word,
    /// No white space.
    Dense,
    /// White space.
    Blank,
    /// A letter, a digit, `_`, or one of these characters, sorted.
    WordAnd(Vec<char>),
    /// A digit, or one of these characters, sorted.
    DigitAnd(Vec<char>),
    /// One of these characters, sorted.
    Set(Vec<char>),
    /// None of these characters, sorted.
    Not(Vec<char>),
    /// Any character.
    Any,
}

impl Class {
    /// True if `c` belongs to it.
    pub fn holds(&self, c: char) -> bool {
        match self {
            Self::Digit => c.is_ascii_digit(),
            Self::Upper => c.is_uppercase(),
            Self::Lower => c.is_lowercase(),
            Self::Letter => c.is_alphabetic(),
            Self::Word => c.is_alphanumeric() || c == '_' || !c.is_ascii() && is_combining_mark(c),
            Self::Dense => !c.is_whitespace(),
            Self::Blank => c.is_whitespace(),
            Self::WordAnd(set) => Self::Word.holds(c) || set.binary_search(&c).is_ok(),
            Self::DigitAnd(set) => c.is_ascii_digit() || set.binary_search(&c).is_ok(),
            Self::Set(set) => set.binary_search(&c).is_ok(),
            Self::Not(set) => set.binary_search(&c).is_err(),
            Self::Any => c != '\n',
        }
    }

    /// The class as a pattern; `ascii` where only letters of ASCII are about.
    fn push_source(&self, ascii: bool, out: &mut String) {
        let of_set = |out: &mut String, set: &[char]| {
            for &c in set.iter().filter(|c| **c != '-') {
                if matches!(c, '\\' | ']' | '[' | '^' | '&' | '~') {
                    out.push('\\');
                }
                push_char(out, c);
            }
            // At the end it needs no backslash.
            if set.contains(&'-') {
                out.push('-');
            }
        };
        match self {
            Self::Digit => out.push_str(r"\d"),
            Self::Upper => out.push_str(if ascii { "[A-Z]" } else { r"\p{Lu}" }),
            Self::Lower => out.push_str(if ascii { "[a-z]" } else { r"\p{Ll}" }),
            Self::Letter => out.push_str(if ascii { "[A-Za-z]" } else { r"\p{L}" }),
            Self::Word => out.push_str(r"\w"),
            Self::Dense => out.push_str(r"\S"),
            Self::Blank => out.push_str(r"\s"),
            Self::WordAnd(set) | Self::DigitAnd(set) => {
                let is_word = matches!(self, Self::WordAnd(_));
                out.push_str(if is_word { r"[\w" } else { r"[\d" });
                of_set(out, set);
                out.push(']');
            }
            Self::Set(set) if set.len() == 1 && !set[0].is_control() => {
                push_text(out, &set[0].to_string());
            }
            Self::Set(set) => {
                out.push('[');
                of_set(out, set);
                out.push(']');
            }
            Self::Not(set) => {
                out.push_str("[^");
                of_set(out, set);
                out.push(']');
            }
            Self::Any => out.push('.'),
        }
    }
}

/// A part of a pattern.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) enum Piece {
    /// This text.
    Text(String),
    /// A run of characters of a class.
    Run {
        /// The class.
        class: Class,
        /// At least this many.
        least: u32,
        /// At most this many.
        most: Option<u32>,
        /// As few as possible.
        lazy: bool,
    },
    /// One of several texts, the first that fits; in any letter case, where that is said.
    OneOf(Vec<String>, bool),
    /// These pieces, or nothing.
    Maybe(Vec<Piece>),
    /// A capturing group.
    Group(Vec<Piece>),
    /// The start of the unit.
    Start,
    /// The end of the unit.
    End,
    /// A word boundary.
    Edge,
}

impl Piece {
    /// A run of a class.
    pub fn run(class: Class, least: u32, most: Option<u32>) -> Self {
        Self::Run {
            class,
            least,
            most,
            lazy: false,
        }
    }
}

fn push_char(out: &mut String, c: char) {
    match c {
        '\t' => out.push_str(r"\t"),
        '\n' => out.push_str(r"\n"),
        '\r' => out.push_str(r"\r"),
        c if c.is_control() => {
            // Writing to a String cannot fail.
            let _ = write!(out, "\\x{{{:X}}}", c as u32);
        }
        c => out.push(c),
    }
}

/// A text as a pattern.
fn push_text(out: &mut String, text: &str) {
    for c in text.chars() {
        if "\\.+*?()|[]{}^$".contains(c) {
            out.push('\\');
        }
        push_char(out, c);
    }
}

/// Pieces as the source of a pattern; `ascii` where only letters of ASCII are about.
pub(super) fn source(pieces: &[Piece], ascii: bool) -> String {
    let mut out = String::new();
    push_pieces(&mut out, pieces, ascii);
    out
}

fn push_pieces(out: &mut String, pieces: &[Piece], ascii: bool) {
    for piece in pieces {
        match piece {
            Piece::Text(text) => push_text(out, text),
            Piece::Run {
                class,
                least,
                most,
                lazy,
            } => {
                class.push_source(ascii, out);
                push_count(out, *least, *most);
                if *lazy {
                    out.push('?');
                }
            }
            Piece::OneOf(texts, any_case) => {
                out.push_str(if *any_case { "(?i:" } else { "(?:" });
                push_alternatives(out, texts);
                out.push(')');
            }
            Piece::Maybe(inner) => {
                let single = match &inner[..] {
                    [Piece::Text(text)] => text.chars().count() == 1,
                    [
                        Piece::Run {
                            least: 1,
                            most: Some(1),
                            ..
                        },
                    ] => true,
                    [Piece::OneOf(..)] => true,
                    _ => false,
                };
                if !single {
                    out.push_str("(?:");
                }
                push_pieces(out, inner, ascii);
                out.push_str(if single { "?" } else { ")?" });
            }
            Piece::Group(inner) => {
                out.push('(');
                match &inner[..] {
                    // The group is the bracket of the alternation.
                    [Piece::OneOf(texts, false)] => push_alternatives(out, texts),
                    inner => push_pieces(out, inner, ascii),
                }
                out.push(')');
            }
            Piece::Start => out.push('^'),
            Piece::End => out.push('$'),
            Piece::Edge => out.push_str(r"\b"),
        }
    }
}

fn push_alternatives(out: &mut String, texts: &[String]) {
    for (index, text) in texts.iter().enumerate() {
        if index > 0 {
            out.push('|');
        }
        push_text(out, text);
    }
}

fn push_count(out: &mut String, least: u32, most: Option<u32>) {
    // Writing to a String cannot fail.
    let _ = match (least, most) {
        (1, Some(1)) => Ok(()),
        (0, None) => write!(out, "*"),
        (1, None) => write!(out, "+"),
        (0, Some(1)) => write!(out, "?"),
        (n, None) => write!(out, "{{{n},}}"),
        (n, Some(m)) if n == m => write!(out, "{{{n}}}"),
        (n, Some(m)) => write!(out, "{{{n},{m}}}"),
    };
}

/// The spans of the groups of a match, the whole match first, in characters; `None` took no part.
pub(super) type Spans = SmallVec<[Option<(usize, usize)>; 4]>;

/// Steps after which the search in one text ends: the pattern is of no use then.
const STEPS_MOST: u32 = 40_000;

#[derive(Clone, Debug)]
enum Op {
    Char(char),
    Run(Class, u32, u32, bool),
    OneOf(Vec<Vec<char>>, bool),
    /// Goes on here, or at that operation.
    Or(usize),
    Open(usize),
    Close(usize),
    Start,
    End,
    Edge,
}

/// The same with texts that follow each other as one.
pub(super) fn joined(pieces: Vec<Piece>) -> Vec<Piece> {
    let mut all: Vec<Piece> = Vec::new();
    for piece in pieces {
        match (all.last_mut(), piece) {
            (Some(Piece::Text(last)), Piece::Text(text)) => last.push_str(&text),
            (_, piece) => all.push(piece),
        }
    }
    all
}

/// Pieces made ready for matching.
#[derive(Clone, Debug)]
pub(super) struct Matcher {
    ops: Vec<Op>,
    groups: usize,
}

impl Matcher {
    /// The matcher of some pieces.
    pub fn new(pieces: &[Piece]) -> Self {
        let mut matcher = Self {
            ops: Vec::new(),
            groups: 1,
        };
        matcher.push(pieces);
        matcher
    }

    fn push(&mut self, pieces: &[Piece]) {
        for piece in pieces {
            match piece {
                Piece::Text(text) => self.ops.extend(text.chars().map(Op::Char)),
                Piece::Run {
                    class,
                    least,
                    most,
                    lazy,
                } => {
                    let most = most.unwrap_or(u32::MAX);
                    self.ops.push(Op::Run(class.clone(), *least, most, *lazy));
                }
                Piece::OneOf(texts, any_case) => {
                    let texts = texts.iter().map(|text| text.chars().collect()).collect();
                    self.ops.push(Op::OneOf(texts, *any_case));
                }
                Piece::Maybe(inner) => {
                    let at = self.ops.len();
                    self.ops.push(Op::Or(0));
                    self.push(inner);
                    self.ops[at] = Op::Or(self.ops.len());
                }
                Piece::Group(inner) => {
                    let group = self.groups;
                    self.groups += 1;
                    self.ops.push(Op::Open(group));
                    self.push(inner);
                    self.ops.push(Op::Close(group));
                }
                Piece::Start => self.ops.push(Op::Start),
                Piece::End => self.ops.push(Op::End),
                Piece::Edge => self.ops.push(Op::Edge),
            }
        }
    }

    /// The first place at which a match may begin, by its first character alone; `None` where there is none.
    fn next_start(&self, text: &[char]) -> Option<usize> {
        let mut ops = self.ops.iter();
        match ops.find(|op| !matches!(op, Op::Open(_) | Op::Edge)) {
            Some(Op::Char(first)) => text.iter().position(|c| c == first),
            Some(Op::Run(class, least, ..)) if *least > 0 => {
                text.iter().position(|c| class.holds(*c))
            }
            _ => Some(0),
        }
    }

    /// All matches that do not overlap, from left to right; `None` where the search took too long.
    pub fn all(&self, text: &[char]) -> Option<Vec<Spans>> {
        let mut found: Vec<Spans> = Vec::new();
        let mut from = 0;
        let mut search = Search {
            ops: &self.ops,
            text,
            spans: smallvec![None; self.groups],
            steps: 0,
        };
        while from <= text.len() {
            match self.next_start(&text[from..]) {
                Some(skip) => from += skip,
                None => break,
            }
            search.spans.fill(None);
            let end = search.go(0, from);
            if search.steps > STEPS_MOST {
                return None;
            }
            match end {
                Some(end) => {
                    let last = found.last().and_then(|last| last[0]);
                    let is_empty_behind = end == from && last.is_some_and(|last| last.1 == end);
                    if !is_empty_behind {
                        search.spans[0] = Some((from, end));
                        found.push(search.spans.clone());
                    }
                    from = if end == from { end + 1 } else { end };
                }
                None if matches!(self.ops.first(), Some(Op::Start)) => break,
                None => from += 1,
            }
        }
        Some(found)
    }
}

struct Search<'s> {
    ops: &'s [Op],
    text: &'s [char],
    spans: Spans,
    steps: u32,
}

impl Search<'_> {
    /// The end of a match of the operations from `at` on, that begins at `pos`.
    fn go(&mut self, mut at: usize, mut pos: usize) -> Option<usize> {
        let ops = self.ops;
        loop {
            self.steps += 1;
            if self.steps > STEPS_MOST {
                return None;
            }
            let Some(op) = ops.get(at) else {
                return Some(pos);
            };
            match op {
                Op::Char(c) => {
                    if self.text.get(pos) != Some(c) {
                        return None;
                    }
                    pos += 1;
                }
                Op::Run(class, least, most, lazy) => {
                    let (least, most) = (*least as usize, *most as usize);
                    let room = self.text[pos..].iter().take(most);
                    let there = room.take_while(|&&c| class.holds(c)).count();
                    if there < least {
                        return None;
                    }
                    if ops.len() == at + 1 {
                        return Some(pos + if *lazy { least } else { there });
                    }
                    let mut tried = |count: usize| self.go(at + 1, pos + count);
                    return match lazy {
                        true => (least..=there).find_map(&mut tried),
                        false => (least..=there).rev().find_map(&mut tried),
                    };
                }
                Op::OneOf(texts, any_case) => {
                    return texts.iter().find_map(|text| {
                        let end = pos + text.len();
                        let there = self.text.get(pos..end)?;
                        let same = match any_case {
                            true => there.iter().zip(text).all(|(a, b)| same_letter(*a, *b)),
                            false => there == &text[..],
                        };
                        if same { self.go(at + 1, end) } else { None }
                    });
                }
                Op::Or(other) => {
                    let before = self.spans.clone();
                    if let Some(end) = self.go(at + 1, pos) {
                        return Some(end);
                    }
                    self.spans = before;
                    at = *other;
                    continue;
                }
                Op::Open(group) => self.spans[*group] = Some((pos, pos)),
                Op::Close(group) => {
                    if let Some(span) = &mut self.spans[*group] {
                        span.1 = pos;
                    }
                }
                Op::Start => {
                    if pos != 0 {
                        return None;
                    }
                }
                Op::End => {
                    if pos != self.text.len() {
                        return None;
                    }
                }
                Op::Edge => {
                    let word = |at: Option<&char>| at.is_some_and(|c| Class::Word.holds(*c));
                    let before = pos.checked_sub(1).and_then(|at| self.text.get(at));
                    if word(before) == word(self.text.get(pos)) {
                        return None;
                    }
                }
            }
            at += 1;
        }
    }
}

fn same_letter(a: char, b: char) -> bool {
    a == b || a.to_lowercase().eq(b.to_lowercase())
}
