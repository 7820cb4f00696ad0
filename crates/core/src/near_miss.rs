//! Near misses: units that would match if one part of the pattern were not demanded.
//!
//! Each part of a pattern's [`Outline`] is replaced in turn by a short gap, and the form that is left is
//! searched for. All forms are as regular as the pattern, so the time is linear in the unit; there is one
//! for each part, and one for each beginning of the pattern.

use crate::pattern::matches::Matches;
use crate::pattern::options::MatchOptions;
use crate::pattern::outline::{Leaf, Outline, OutlinePart, RepeatOf, is_word};
use crate::pattern::{Finder, Pattern};
use crate::span::Span;

/// Parts beyond these are not tried.
const PARTS_MOST: usize = 32;
/// The most characters that may stand where a part is wanted.
const GAP_MOST: usize = 32;
/// The name of the group of the gap.
const GAP: &str = "bquill_gap";
/// What is left of a pattern must weigh so many percent of all of it.
const WEIGHT_LEFT: u32 = 50;
/// Bytes of a unit that are looked at.
const UNIT_MOST: usize = 64 << 10;

/// Explains why units do not match a pattern.
///
/// ```
/// use brisk_quill_core::near_miss::{NearMisses, WhyNot};
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_core::span::Span;
/// let pattern = Pattern::new(r"Berth (\d+)", &MatchOptions::default()).expect("a pattern");
/// let mut misses = NearMisses::new(&pattern).expect("more than one part");
/// assert_eq!(misses.parts()[1].text, " ");
/// // `-` stands where ` ` is wanted.
/// let WhyNot::Part(miss) = misses.why(b"at Berth-8") else { panic!("a near miss") };
/// assert_eq!((miss.part, miss.stands), (1, Span::new(8, 9)));
/// assert_eq!(misses.why(b"all closed"), WhyNot::Nothing);
/// ```
#[derive(Debug)]
pub struct NearMisses {
    parts: Vec<WantedPart>,
    forms: Vec<Form>,
    beginnings: Vec<Finder>,
    matches: Matches,
}

/// A part of a pattern.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WantedPart {
    /// The part as it is written; of plain text, that text.
    pub text: String,
    /// Its kind, and its place in the pattern.
    pub outline: OutlinePart,
}

/// The reason for which a unit does not match.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WhyNot {
    /// It would, were one part not demanded.
    Part(Miss),
    /// The pattern begins to match, as far as before a part (its index, from 0), which is wanted at an
    /// offset of the unit.
    Stops {
        /// The index of the part.
        part: usize,
        /// The place of what matches before it.
        reached: Span,
    },
    /// Not even its first part is there.
    Nothing,
}

/// A place at which one part of the pattern is missing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Miss {
    /// The index of the part, from 0.
    pub part: usize,
    /// What stands there, in the unit.
    pub stands: Span,
    /// All that would match.
    pub whole: Span,
}

/// The pattern with a gap for one of its parts.
#[derive(Debug)]
struct Form {
    part: usize,
    finder: Finder,
    /// The number of the group of the gap.
    gap: usize,
}

impl NearMisses {
    /// The forms of `pattern`; `None` where it has one part only, or is not regular.
    pub fn new(pattern: &Pattern) -> Option<Self> {
        let pattern = &with_signs(pattern)?;
        let outline = Outline::new(pattern)?;
        if outline.parts.len() < 2 {
            return None;
        }
        let parts: Vec<OutlinePart> = outline.parts.into_iter().take(PARTS_MOST).collect();
        let weights: Vec<u32> = parts.iter().map(|part| weight(&part.leaf)).collect();
        let all: u32 = weights.iter().sum();
        let forms = (0..parts.len()).filter_map(|part| {
            let left = all - weights[part];
            (left * 100 >= all * WEIGHT_LEFT).then(|| Form::new(pattern, &parts, part))?
        });
        let forms: Vec<Form> = forms.collect();
        let beginnings = (1..parts.len()).map_while(|count| beginning(pattern, &parts, count));
        Some(Self {
            forms,
            beginnings: beginnings.collect(),
            matches: Matches::default(),
            parts: (parts.into_iter())
                .map(|outline| WantedPart {
                    text: match &outline.leaf {
                        Leaf::Text(text) => text.clone(),
                        _ => pattern.source()[outline.span.range()].to_owned(),
                    },
                    outline,
                })
                .collect(),
        })
    }

    /// The parts, in order.
    pub fn parts(&self) -> &[WantedPart] {
        &self.parts
    }

    /// The reason for which `unit` does not match; only its first 64 KiB are looked at.
    pub fn why(&mut self, unit: &[u8]) -> WhyNot {
        let unit = &unit[..unit.len().min(UNIT_MOST)];
        if let Some(miss) = self.near(unit) {
            return WhyNot::Part(miss);
        }
        for (index, finder) in self.beginnings.iter_mut().enumerate().rev() {
            let found = finder.collect(unit, false, &mut self.matches);
            if found.is_ok() && !self.matches.is_empty() {
                return WhyNot::Stops {
                    part: index + 1,
                    reached: self.matches.span(0),
                };
            }
        }
        WhyNot::Nothing
    }

    /// The place at which the least stands where a part is wanted.
    pub fn near(&mut self, unit: &[u8]) -> Option<Miss> {
        let unit = &unit[..unit.len().min(UNIT_MOST)];
        let mut best: Option<Miss> = None;
        for form in &mut self.forms {
            let found = form.finder.collect(unit, true, &mut self.matches);
            if found.is_err() || self.matches.is_empty() {
                continue;
            }
            let Some(stands) = self.matches.groups(0).get(form.gap) else {
                continue;
            };
            let miss = Miss {
                part: form.part,
                stands,
                whole: self.matches.span(0),
            };
            if best.is_none_or(|best| stands.len() < best.stands.len()) {
                best = Some(miss);
            }
        }
        best
    }
}

impl Form {
    fn new(pattern: &Pattern, parts: &[OutlinePart], part: usize) -> Option<Self> {
        let is_at_end = part == 0 || part + 1 == parts.len();
        let gap = match is_at_end {
            // What stands at an end of the pattern is a word.
            true => format!(r"(?<{GAP}>\S{{0,{GAP_MOST}}})"),
            false => format!("(?<{GAP}>.{{0,{GAP_MOST}}}?)"),
        };
        // A form that begins with a word begins where a word does.
        let edge = match &parts[0].leaf {
            Leaf::Text(text) if part > 0 && text.starts_with(is_word) => r"\b",
            _ => "",
        };
        let (source, at) = (pattern.source(), parts[part].span);
        let (before, after) = (&source[..at.from], &source[at.to..]);
        let form = format!("{edge}{before}{gap}{after}");
        let form = Pattern::new(&form, pattern.options()).ok()?;
        Some(Self {
            part,
            gap: form.groups().number_of(GAP)?,
            finder: form.finder(),
        })
    }
}

/// A pattern that is plain text, written as one that is not.
fn with_signs(pattern: &Pattern) -> Option<Pattern> {
    if !pattern.options().literal {
        return Some(pattern.clone());
    }
    let options = MatchOptions {
        literal: false,
        ..*pattern.options()
    };
    Pattern::new(&regex_syntax::escape(pattern.source()), &options).ok()
}

/// The first `count` parts of the pattern alone.
fn beginning(pattern: &Pattern, parts: &[OutlinePart], count: usize) -> Option<Finder> {
    let source = pattern.source();
    // Flags in front hold for all of it. Parentheses around several parts are left out.
    let head = &source[..parts[0].span.from];
    let flags = if head.ends_with(')') { head } else { "" };
    let part = |part: &OutlinePart| format!("(?:{})", &source[part.span.range()]);
    let text: String = parts[..count].iter().map(part).collect();
    let options = MatchOptions {
        entire: false,
        ..*pattern.options()
    };
    let form = Pattern::new(&format!("{flags}{text}"), &options).ok()?;
    Some(form.finder())
}

/// The weight of a part: how much a text that holds it looks as the pattern asks.
fn weight(leaf: &Leaf) -> u32 {
    match leaf {
        Leaf::Text(text) => 2 * u32::try_from(text.chars().count()).unwrap_or(u32::MAX / 64),
        Leaf::Choice => 4,
        Leaf::AnyChar
        | Leaf::Start
        | Leaf::End
        | Leaf::Boundary
        | Leaf::Repeat {
            of: RepeatOf::AnyChar,
            ..
        } => 0,
        Leaf::Class(_) | Leaf::Repeat { .. } => 1,
    }
}
