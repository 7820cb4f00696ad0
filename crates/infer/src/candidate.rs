//! A candidate: a pattern and a template that make all examples, and what they make of any text.

use crate::filters::Filters;
use crate::form::{Matcher, Piece, source};
use crate::readings::padded;
use crate::tokens::text_of;
use brisk_quill_core::span::Span;

/// A part of the template of a candidate.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) enum Written {
    /// This text.
    Text(Vec<char>),
    /// A group, from 1, passed through the filter of this number.
    Group {
        group: usize,
        filter: usize,
        /// The texts before and behind it where the group took part.
        optional: Option<(Vec<char>, Vec<char>)>,
    },
    /// This word in the letter case of the match.
    CaseOf(String),
    /// The number of the line, filled with zeros to this many characters.
    Line(usize),
    /// The number of the match, filled likewise.
    Number(usize),
}

/// One step in the making.
#[derive(Clone, Debug)]
pub(super) struct Candidate {
    pub pieces: Vec<Piece>,
    pub matcher: Matcher,
    pub template: Vec<Written>,
    pub cost: f64,
    /// Only units that hold, or do not hold, these pieces.
    pub condition: Option<Condition>,
}

/// A test of the whole unit.
#[derive(Clone, Debug)]
pub(super) struct Condition {
    pub pieces: Vec<Piece>,
    pub matcher: Matcher,
    /// True if the unit must hold a match, false if it must hold none.
    pub holds: bool,
}

/// A text after a candidate.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) enum Made {
    /// There was no match.
    Nothing,
    /// This text, which may be the same as before.
    Text(Vec<char>),
    /// A filter could not work on its value, or the search took too long.
    Failed,
}

impl Made {
    /// The same, but nothing where it is the text as it was before.
    pub fn of_change(self, before: &[char]) -> Self {
        match self {
            Self::Text(same) if same == before => Self::Nothing,
            made => made,
        }
    }
}

/// The text that a pattern and a template make of one; `line` from 1, and `number` the matches before it. With a part,
/// only matches that touch it are replaced.
pub(super) fn rewritten(
    (matcher, template): (&Matcher, &[Written]),
    (text, part): (&[char], Option<Span>),
    (line, number): (u64, u64),
    filters: &Filters,
) -> Made {
    let Some(matches) = matcher.all(text) else {
        return Made::Failed;
    };
    if matches.is_empty() {
        return Made::Nothing;
    }
    let mut out = Vec::with_capacity(text.len() + 16);
    let mut done = 0;
    for (nth, spans) in (number + 1..).zip(&matches) {
        let (from, to) = spans[0].unwrap_or((done, done));
        if part.is_some_and(|part| to < part.from || part.to < from) {
            continue;
        }
        out.extend_from_slice(&text[done..from]);
        for part in template {
            match part {
                Written::Text(text) => out.extend_from_slice(text),
                Written::CaseOf(word) => {
                    match filters.in_case_of(word, &text_of(&text[from..to])) {
                        Some(made) => out.extend(made.chars()),
                        None => return Made::Failed,
                    }
                }
                Written::Line(pad) => out.extend(padded(line, *pad)),
                Written::Number(pad) => out.extend(padded(nth, *pad)),
                Written::Group {
                    group,
                    filter,
                    optional,
                } => {
                    let span = spans.get(*group).copied().flatten();
                    let value = span.map_or(&[][..], |(a, b)| &text[a..b]);
                    let lead_and_tail = optional.as_ref().filter(|_| span.is_some());
                    out.extend(lead_and_tail.iter().flat_map(|(lead, _)| lead));
                    match filter {
                        0 => out.extend_from_slice(value),
                        filter => match filters.apply(*filter, &text_of(value)) {
                            Some(made) => out.extend(made.chars()),
                            None => return Made::Failed,
                        },
                    }
                    out.extend(lead_and_tail.iter().flat_map(|(_, tail)| tail));
                }
            }
        }
        done = to;
    }
    out.extend_from_slice(&text[done..]);
    Made::Text(out)
}

/// True if a template writes the number of the match.
pub(super) fn counts(template: &[Written]) -> bool {
    template
        .iter()
        .any(|part| matches!(part, Written::Number(_)))
}

impl Candidate {
    /// The text that comes of one; `line` from 1, and `number` the matches before it.
    pub fn rewrite(&self, text: &[char], line: u64, number: u64, filters: &Filters) -> Made {
        if let Some(condition) = &self.condition {
            let Some(found) = condition.matcher.all(text) else {
                return Made::Failed;
            };
            if found.is_empty() == condition.holds {
                return Made::Nothing;
            }
        }
        rewritten(
            (&self.matcher, &self.template),
            (text, None),
            (line, number),
            filters,
        )
    }

    /// Number of matches in a text.
    pub fn matches(&self, text: &[char]) -> usize {
        self.matcher.all(text).map_or(0, |all| all.len())
    }

    /// True if it writes the number of the match.
    pub fn counts(&self) -> bool {
        counts(&self.template)
    }

    /// True if it writes the number of the line or of the match.
    pub fn tells_place(&self) -> bool {
        let is_number = |part: &Written| matches!(part, Written::Line(_) | Written::Number(_));
        self.template.iter().any(is_number)
    }

    /// True if it writes anything of the old text, or a number.
    pub fn refers(&self) -> bool {
        !self
            .template
            .iter()
            .all(|part| matches!(part, Written::Text(_)))
    }

    /// The pattern and its template as they are written; `ascii` where only letters of ASCII are about.
    pub fn written(&self, ascii: bool, filters: &Filters) -> (String, String) {
        let (pieces, whole) = without_whole_group(&self.pieces);
        let pattern = source(&pieces, ascii);
        let mut template = String::new();
        for (at, part) in self.template.iter().enumerate() {
            match part {
                Written::Text(text) => push_text(&mut template, text),
                Written::CaseOf(word) => {
                    template.push_str(&format!("${{{word:?} | case-of $0}}"));
                }
                Written::Line(pad) => push_number(&mut template, "@line", *pad),
                Written::Number(pad) => push_number(&mut template, "@number", *pad),
                Written::Group {
                    group,
                    filter,
                    optional,
                } => {
                    let group = if whole { 0 } else { *group };
                    let next = self.template.get(at + 1);
                    let (lead, tail) = optional.clone().unwrap_or_default();
                    push_if(&mut template, group, &lead);
                    push_reference(&mut template, group, filters.words(*filter), next, &tail);
                    push_if(&mut template, group, &tail);
                }
            }
        }
        (pattern, template)
    }
}

/// The pieces without a group that spans the whole match, and true if there was one.
fn without_whole_group(pieces: &[Piece]) -> (Vec<Piece>, bool) {
    let is_anchor = |piece: &Piece| matches!(piece, Piece::Start | Piece::End | Piece::Edge);
    let mut inner = pieces.iter().filter(|piece| !is_anchor(piece));
    match (inner.next(), inner.next()) {
        (Some(Piece::Group(_)), None) => {
            let open = |piece: &Piece| match piece {
                // An alternation needs a bracket of its own.
                Piece::Group(inner) => inner.clone(),
                other => vec![other.clone()],
            };
            (pieces.iter().flat_map(open).collect(), true)
        }
        _ => (pieces.to_vec(), false),
    }
}

fn push_text(out: &mut String, text: &[char]) {
    for &c in text {
        match c {
            '$' => out.push_str("$$"),
            '\\' => out.push_str(r"\\"),
            '\n' => out.push_str(r"\n"),
            '\r' => out.push_str(r"\r"),
            '\t' => out.push_str(r"\t"),
            c => out.push(c),
        }
    }
}

fn push_number(out: &mut String, subject: &str, pad: usize) {
    out.push_str("${");
    out.push_str(subject);
    if pad > 0 {
        out.push_str(&format!(" | pad {pad}"));
    }
    out.push('}');
}

/// A text that is written where a group took part.
fn push_if(out: &mut String, group: usize, text: &[char]) {
    if !text.is_empty() {
        out.push_str(&format!("${{{group} | if {:?}}}", text_of(text)));
    }
}

fn push_reference(
    out: &mut String,
    group: usize,
    filter: &str,
    next: Option<&Written>,
    tail: &[char],
) {
    // A name or number takes as many characters as fit.
    let goes_on = match next {
        _ if !tail.is_empty() => false,
        Some(Written::Text(text)) => text
            .first()
            .is_some_and(|c| c.is_alphanumeric() || *c == '_'),
        _ => false,
    };
    match (filter.is_empty(), goes_on) {
        (true, false) => out.push_str(&format!("${group}")),
        (true, true) => out.push_str(&format!("${{{group}}}")),
        (false, _) => out.push_str(&format!("${{{group} | {filter}}}")),
    }
}
