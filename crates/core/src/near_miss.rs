//! Near misses: units that would match if one part of the pattern were not demanded.
//!
//! Each part of a pattern's [`Outline`] is replaced in turn by a short gap, and the form that is left is
//! searched for. All forms are as regular as the pattern, so the time is linear in the unit; there is one
//! for each part, and one for each beginning of the pattern, each made when it is first needed.

use crate::chars::is_word;
use crate::pattern::matches::Matches;
use crate::pattern::options::MatchOptions;
use crate::pattern::outline::{Leaf, Outline, OutlinePart, RepeatOf};
use crate::pattern::{Finder, Pattern};
use crate::span::Span;
use memchr::memmem;

/// Parts beyond these are not tried.
const PARTS_MOST: usize = 32;
/// The most characters that may stand where a part is wanted.
const GAP_MOST: usize = 24;
/// The name of the group of the gap.
const GAP: &str = "bquill_gap";
/// The rest of a pattern without a part must weigh this many percent of all of it.
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
    pattern: Pattern,
    parts: Vec<WantedPart>,
    /// The texts among the parts, which are there where a part besides them is not.
    texts: Vec<(usize, memmem::Finder<'static>)>,
    /// One for each part, made when it is first needed.
    forms: Vec<Lazy<Form>>,
    /// One for each number of parts, made when it is first needed.
    beginnings: Vec<Lazy<Finder>>,
    matches: Matches,
}

/// Something that is made when it is first needed; `None` within cannot be made.
type Lazy<T> = Option<Option<T>>;

/// A part of a pattern.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WantedPart {
    /// The part as it is written; of plain text, that text.
    pub text: String,
    /// The kind, and its place in the pattern.
    pub outline: OutlinePart,
}

/// The reason for which a unit does not match.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WhyNot {
    /// The unit would, were one part not demanded.
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
    /// The place in the unit of the text that is there.
    pub stands: Span,
    /// All that would match.
    pub whole: Span,
}

/// The pattern with a gap for one of its parts.
#[derive(Debug)]
struct Form {
    finder: Finder,
    /// The number of the group of the gap.
    gap: usize,
}

impl NearMisses {
    /// The forms of `pattern`; `None` where it has one part only, or is not regular.
    pub fn new(pattern: &Pattern) -> Option<Self> {
        let pattern = with_signs(pattern)?;
        let parts = wanted_parts(&pattern)?;
        if parts.len() < 2 {
            return None;
        }
        let is_exact = !pattern.options().ignore_case && !pattern.source().contains("(?");
        let texts = parts.iter().enumerate().filter_map(|(index, part)| {
            let is_text = is_exact && matches!(part.outline.leaf, Leaf::Text(_));
            is_text.then(|| (index, memmem::Finder::new(&part.text).into_owned()))
        });
        Some(Self {
            texts: texts.collect(),
            forms: parts.iter().map(|_| None).collect(),
            beginnings: parts.iter().map(|_| None).collect(),
            matches: Matches::default(),
            pattern,
            parts,
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
        let (pattern, parts) = (&self.pattern, &self.parts);
        for (count, finder) in self.beginnings.iter_mut().enumerate().skip(1).rev() {
            let made = finder.get_or_insert_with(|| beginning(pattern, &parts[..count]));
            let Some(finder) = made else { continue };
            let found = finder.collect(unit, false, &mut self.matches);
            if found.is_ok() && !self.matches.is_empty() {
                return WhyNot::Stops {
                    part: count,
                    reached: self.matches.span(0),
                };
            }
        }
        WhyNot::Nothing
    }

    /// The place at which the least stands where a part is wanted.
    pub fn near(&mut self, unit: &[u8]) -> Option<Miss> {
        let unit = &unit[..unit.len().min(UNIT_MOST)];
        // All texts but one must be there, and that one is the part.
        let absent = self
            .texts
            .iter()
            .filter(|(_, text)| text.find(unit).is_none());
        let mut absent = absent.map(|(part, _)| *part);
        let wanted = match (absent.next(), absent.next()) {
            (None, _) => 0..self.parts.len(),
            (Some(part), None) => part..part + 1,
            (Some(_), Some(_)) => return None,
        };
        let mut best: Option<Miss> = None;
        for part in wanted {
            let Some(miss) = self.miss(part, unit) else {
                continue;
            };
            let is_weak =
                |miss: &Miss| miss.stands.is_empty() && is_end(miss.part, self.parts.len());
            let rank = |miss: &Miss| (is_weak(miss), miss.stands.len());
            if best.is_none_or(|best| rank(&miss) < rank(&best)) {
                best = Some(miss);
            }
        }
        best
    }

    /// The first place at which one part is missing.
    fn miss(&mut self, part: usize, unit: &[u8]) -> Option<Miss> {
        let (pattern, parts) = (&self.pattern, &self.parts);
        let form = self.forms[part].get_or_insert_with(|| Form::new(pattern, parts, part));
        let form = form.as_mut()?;
        let found = form.finder.collect(unit, true, &mut self.matches);
        if found.is_err() || self.matches.is_empty() {
            return None;
        }
        Some(Miss {
            part,
            stands: self.matches.groups(0).get(form.gap)?,
            whole: self.matches.span(0),
        })
    }
}

/// The parts of a pattern, each with the text that it takes in the first match in `unit`; `None` where there is no match, or the
/// pattern is not regular.
///
/// ```
/// use brisk_quill_core::near_miss::taken;
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// let pattern = Pattern::new(r"Berth (\d+)", &MatchOptions::default()).expect("a pattern");
/// let parts = taken(&pattern, b"at Berth 8").expect("a match");
/// let spans: Vec<_> = parts.iter().map(|(_, span)| span.expect("taken").range()).collect();
/// assert_eq!(spans, [3..8, 8..9, 9..10]);
/// ```
pub fn taken(pattern: &Pattern, unit: &[u8]) -> Option<Vec<(WantedPart, Option<Span>)>> {
    let pattern = with_signs(pattern)?;
    let parts = wanted_parts(&pattern)?;
    let mut source = pattern.source().to_owned();
    for (number, part) in parts.iter().enumerate().rev() {
        let span = part.outline.span;
        let own = &source[span.range()];
        let group = format!("(?<{GAP}{number}>{own})");
        source.replace_range(span.range(), &group);
    }
    let form = Pattern::new(&source, pattern.options()).ok()?;
    let mut matches = Matches::default();
    form.finder().collect(unit, true, &mut matches).ok()?;
    if matches.is_empty() {
        return None;
    }
    let groups = matches.groups(0);
    let of_part = |number: usize| {
        let group = form.groups().number_of(&format!("{GAP}{number}"))?;
        groups.get(group)
    };
    let parts = parts.into_iter().enumerate();
    Some(
        parts
            .map(|(number, part)| (part, of_part(number)))
            .collect(),
    )
}

/// The parts of a pattern that is not plain text.
fn wanted_parts(pattern: &Pattern) -> Option<Vec<WantedPart>> {
    let part = |outline: OutlinePart| WantedPart {
        text: match &outline.leaf {
            Leaf::Text(text) => text.clone(),
            _ => pattern.source()[outline.span.range()].to_owned(),
        },
        outline,
    };
    let parts = Outline::new(pattern)?.parts.into_iter();
    Some(parts.take(PARTS_MOST).map(part).collect())
}

/// True for the first and the last of this many parts. Where nothing is there, little more is known than
/// that the rest matches.
fn is_end(part: usize, parts: usize) -> bool {
    part == 0 || part + 1 == parts
}

impl Form {
    /// `None` where little would be left of the pattern.
    fn new(pattern: &Pattern, parts: &[WantedPart], part: usize) -> Option<Self> {
        let weight = |part: &WantedPart| weight(&part.outline.leaf);
        let all: u32 = parts.iter().map(weight).sum();
        if (all - weight(&parts[part])) * 100 < all * WEIGHT_LEFT {
            return None;
        }
        let at = parts[part].outline.span;
        let (source, few) = (pattern.source(), format!("(?<{GAP}>.{{0,{GAP_MOST}}}?)"));
        let own = &source[at.range()];
        let gap = match parts[part].outline.leaf {
            // Up to an anchor, the gap may be filled.
            Leaf::Start => format!("{own}{few}"),
            Leaf::End => format!("{few}{own}"),
            // What stands at an end of the pattern is a word.
            _ if is_end(part, parts.len()) => format!(r"(?<{GAP}>[^ \t\r\n]{{0,{GAP_MOST}}})"),
            _ => few,
        };
        // A form that begins with a word begins where a word does.
        let edge = match &parts[0].outline.leaf {
            Leaf::Text(text) if part > 0 && text.starts_with(is_word) => r"\b",
            _ => "",
        };
        let (before, after) = (&source[..at.from], &source[at.to..]);
        let form = Pattern::new(&format!("{edge}{before}{gap}{after}"), pattern.options()).ok()?;
        Some(Self {
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

/// The first parts of a pattern alone.
fn beginning(pattern: &Pattern, parts: &[WantedPart]) -> Option<Finder> {
    let source = pattern.source();
    // Flags in front hold for all of it. Parentheses around several parts are left out.
    let head = &source[..parts.first()?.outline.span.from];
    let flags = if head.ends_with(')') { head } else { "" };
    let part = |part: &WantedPart| format!("(?:{})", &source[part.outline.span.range()]);
    let text: String = parts.iter().map(part).collect();
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
