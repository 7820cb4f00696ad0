//! Matches found in many lines at once, each as it is in its line alone.
//!
//! Note to the maintainer. Searching each line costs a call for the match and one more that fails; searching a
//! piece of many lines costs one call a match. For both to find the same, the pattern is built anew so that
//! no match leaves a line: a literal that holds `\n` can match nowhere, a class loses its `\n`, and the ends of
//! the text become those of lines. What may be empty, must end a line, or is in a piece with `\r`, whose
//! part in a line end depends on what follows, is searched for line by line.

use crate::pattern::exact::settings;
use crate::pattern::matches::Matches;
use crate::pattern::without::without;
use crate::span::Span;
use regex_automata::Input;
use regex_automata::meta::{self, Regex};
use regex_automata::util::primitives::NonMaxUsize;
use regex_syntax::hir::{Capture, Hir, Look};

/// Searches pieces of whole lines; one thread's scratch memory.
#[derive(Debug)]
pub(crate) struct PieceFinder {
    regex: Regex,
    cache: meta::Cache,
    slots: Vec<Option<NonMaxUsize>>,
    /// True if it looks at what is beside a match, which must be characters.
    needs_utf8: bool,
}

/// The form of a pattern that finds in a piece what it finds in each line, with the same groups as `exact`; `None` where there
/// is none.
pub(super) fn in_pieces(hir: &Hir, exact: &Regex) -> Option<Regex> {
    let properties = hir.properties();
    let ends = properties.look_set();
    let end = [Look::End, Look::EndLF, Look::EndCRLF];
    if properties.minimum_len().unwrap_or(0) == 0 || end.iter().any(|look| ends.contains(*look)) {
        return None;
    }
    let kept = |capture: &Capture, inner| {
        Hir::capture(Capture {
            sub: Box::new(inner),
            ..capture.clone()
        })
    };
    let regex = Regex::builder()
        .configure(settings())
        .build_from_hir(&without(hir, b'\n', of_lines, kept))
        .ok()?;
    let slots = |regex: &Regex| regex.group_info().slot_len();
    (slots(&regex) == slots(exact)).then_some(regex)
}

/// The same look, where it is at the start of the line instead of that of the text.
fn of_lines(look: Look) -> Hir {
    Hir::look(match look {
        Look::Start | Look::StartCRLF => Look::StartLF,
        other => other,
    })
}

impl PieceFinder {
    pub(super) fn new(regex: &Regex, needs_utf8: bool) -> Self {
        Self {
            regex: regex.clone(),
            cache: regex.create_cache(),
            slots: vec![None; regex.group_info().slot_len()],
            needs_utf8,
        }
    }

    /// True if a piece may be searched as a whole.
    pub fn fits(&self, text: &[u8]) -> bool {
        memchr::memchr(b'\r', text).is_none()
            && !(self.needs_utf8 && std::str::from_utf8(text).is_err())
    }

    /// The next match at `from` or after it, in whatever line.
    pub fn next(&mut self, text: &[u8], from: usize, groups: bool) -> Option<Span> {
        let wanted = if groups { self.slots.len() } else { 2 };
        let slots = &mut self.slots[..wanted];
        let input = Input::new(text).range(from..);
        self.regex
            .search_slots_with(&mut self.cache, &input, slots)?;
        Some(Span::new(slots[0]?.get(), slots[1]?.get()))
    }

    /// Adds the match that was found last to those of the line that begins at `start`.
    pub fn push_to(&self, matches: &mut Matches, start: usize, groups: bool) {
        let wanted = if groups { self.slots.len() } else { 2 };
        matches.stride = wanted / 2;
        matches.push_slots(&self.slots[..wanted], start);
    }
}
