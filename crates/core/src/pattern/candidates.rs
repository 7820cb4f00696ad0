//! Lines that may hold a match, found by searching many lines at once.
//!
//! Note to the maintainer. A pattern is exact only on a line alone: searched for in several
//! lines at once, `\A`, `\b` or a `\n` in it would mean something else. So a *relaxed* form is
//! made of it, which finds a place in every line that the pattern matches, and perhaps in
//! others, and whose matches never leave a line:
//!
//! * a literal that holds `\n` can match in no line, and a class loses its `\n`;
//! * the start of the line follows every `\n`, its end before every `\n` and `\r\n`;
//! * word boundaries always hold.
//!
//! The exact pattern then runs on the line alone. If the parser learns another kind of
//! assertion, `relaxed_look` must say what becomes of it.

use crate::pattern::automaton::Automaton;
use crate::pattern::exact::settings;
use crate::pattern::without::without;
use crate::unit::{Line, line_at, line_ends};
use regex_automata::Input;
use regex_automata::meta::{self, Regex};
use regex_syntax::hir::{Hir, Look};

/// Finds lines that may hold a match; one thread's scratch memory.
#[derive(Debug)]
pub(crate) struct Candidates(By);

#[derive(Debug)]
enum By {
    Pattern(Regex, Box<meta::Cache>),
    Texts(Automaton),
}

impl Candidates {
    pub(super) fn new(regex: &Regex) -> Self {
        Self(By::Pattern(regex.clone(), Box::new(regex.create_cache())))
    }

    /// For lines that may hold one of several texts, none of which holds a line end.
    pub(super) fn of_texts(texts: Automaton) -> Self {
        Self(By::Texts(texts))
    }

    /// An offset within, or at the end of, the first line at `from` or behind it that may hold
    /// a match; `from` is the start of a line.
    pub fn next(&mut self, text: &[u8], from: usize) -> Option<usize> {
        match &mut self.0 {
            By::Pattern(regex, cache) => {
                let input = Input::new(text).range(from..).earliest(true);
                Some(regex.search_half_with(cache, &input)?.offset())
            }
            By::Texts(texts) => Some(texts.find(text, from)?.to),
        }
    }

    /// The first line at `from` or behind it that may hold a match, with the number of lines before it; `from` is the
    /// start of a line.
    pub fn next_line(&mut self, text: &[u8], from: usize) -> Option<(u64, Line)> {
        let line = line_at(text, from, self.next(text, from)?)?;
        Some((line_ends(&text[from..line.content.from]), line))
    }
}

/// The relaxed form of a pattern; `None` where searching for it would be of no use, or slow.
pub(super) fn relaxed_regex(hir: &Hir) -> Option<Regex> {
    let properties = hir.properties();
    // What may be empty is found everywhere; what must end a line is tried at every place.
    let ends = properties.look_set_suffix_any();
    let end = [Look::End, Look::EndLF, Look::EndCRLF];
    if !has_length(hir) || end.iter().any(|look| ends.contains(*look)) {
        return None;
    }
    built(&relaxed(hir, relaxed_look))
}

/// The relaxed form of several patterns of which any may match, without regard to what must end a
/// line. Those that may be empty are left out; `None` where that leaves nothing.
pub(super) fn joined_regex(forms: &[Hir]) -> Option<Regex> {
    let look = |look| match look {
        Look::End | Look::EndLF | Look::EndCRLF => Hir::empty(),
        other => relaxed_look(other),
    };
    let forms = forms.iter().filter(|form| has_length(form));
    let forms: Vec<Hir> = forms.map(|hir| relaxed(hir, look)).collect();
    match forms.is_empty() {
        true => None,
        false => built(&Hir::alternation(forms)),
    }
}

/// True if no match is empty.
pub(super) fn has_length(hir: &Hir) -> bool {
    hir.properties().minimum_len().unwrap_or(0) > 0
}

fn built(hir: &Hir) -> Option<Regex> {
    let builder = Regex::builder().configure(settings()).build_from_hir(hir);
    builder.ok()
}

/// Without its groups, which are not needed.
fn relaxed(hir: &Hir, look: fn(Look) -> Hir) -> Hir {
    without(hir, b'\n', look, |_, inner| inner)
}

fn relaxed_look(look: Look) -> Hir {
    match look {
        Look::Start | Look::StartLF => Hir::look(Look::StartLF),
        Look::StartCRLF => Hir::look(Look::StartCRLF),
        Look::End | Look::EndLF | Look::EndCRLF => Hir::look(Look::EndCRLF),
        Look::WordAscii
        | Look::WordAsciiNegate
        | Look::WordUnicode
        | Look::WordUnicodeNegate
        | Look::WordStartAscii
        | Look::WordEndAscii
        | Look::WordStartUnicode
        | Look::WordEndUnicode
        | Look::WordStartHalfAscii
        | Look::WordEndHalfAscii
        | Look::WordStartHalfUnicode
        | Look::WordEndHalfUnicode => Hir::empty(),
    }
}
