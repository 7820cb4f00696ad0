//! `near-miss`: units that would match if one part of the pattern were not demanded.

use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::Example;
use crate::hints::second_look::SecondLook;
use crate::hints::spot::Spot;
use crate::hints::wider::escaped;
use brisk_quill_core::inventory::Inventory;
use brisk_quill_core::near_miss::{NearMisses, WantedPart};
use brisk_quill_core::nearest::alike;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::pattern::outline::{ClassOf, Leaf, RepeatOf};
use brisk_quill_core::pattern::{Finder, Pattern};
use brisk_quill_core::query::Query;
use brisk_quill_core::query::unit_view::Unmatched;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::span::Span;
use brisk_quill_core::template::Template;
use brisk_quill_files::read::Reader;
use brisk_quill_files::source::Source;
use std::ops::ControlFlow;
use std::sync::Arc;

/// The name of the hint.
pub const NAME: &str = "near-miss";
/// When it speaks.
pub const SPEAKS: &str = "units would match if one part of the pattern were not demanded: at least one to twenty \
                          matches; `find --missing --why` shows them all";
/// A request for which it speaks.
pub const EXAMPLE: Example = Example {
    words: &[r"Berth (\d+)", "--with", "B-$1"],
    file: "notice.txt",
    text: b"Berth 4 is free\nBerth-8 is closed\n",
};
/// Units without a match that are looked at.
pub const UNITS_MOST: u64 = 10_000;
/// Reasons that are distinguished.
const ROWS_MOST: usize = 1000;
/// A reason is reported where it stands for one unit to this many matches.
const PER_MATCHES: u64 = 20;

/// The hint, after a search that found this many `matches`.
pub fn judge(
    reader: &Reader,
    (query, template): (&Query, Option<&Template>),
    sources: &[Source],
    matches: u64,
) -> Option<Hint> {
    let mut misses = NearMisses::new(&query.pattern)?;
    let mut any_case = any_case(&query.pattern);
    let mut rows: Inventory<(usize, Vec<u8>), Spot> = Inventory::new(ROWS_MOST);
    let mut units = 0;
    let options = RunOptions {
        missing: Unmatched::Shown,
        ..RunOptions::default()
    };
    let look = SecondLook::new(reader, query, sources);
    let is_all = look.run(options, &mut |source, unit| {
        if !unit.found.is_empty() {
            return ControlFlow::Continue(());
        }
        units += 1;
        let bytes = unit.unit.bytes();
        if let Some(miss) = misses.near(bytes)
            && !any_case
                .as_mut()
                .is_some_and(|finder| finder.is_match(bytes) == Ok(true))
        {
            let stands = bytes[miss.stands.range()].to_vec();
            rows.add((miss.part, stands), || {
                Spot::new(&Arc::new(source.clone()), unit.unit, miss.whole)
            });
        }
        match units < UNITS_MOST {
            true => ControlFlow::Continue(()),
            false => ControlFlow::Break(()),
        }
    });
    let parts = misses.parts();
    let mut rows = rows.into_rows().into_iter();
    let row = rows.find(|((part, stands), count, _)| {
        let is_often = count * PER_MATCHES >= matches;
        // The same sign with the blanks that the template writes is the form that is wished for.
        let is_new = std::str::from_utf8(stands).is_ok_and(|stands| {
            let same = !stands.trim().is_empty() && stands.trim() == parts[*part].text.trim();
            same && template.is_some_and(|template| template.source().contains(stands))
        });
        // A number without its minus is another number.
        let is_minus = *part == 0 && stands.is_empty() && parts[*part].text == "-";
        let is_number = is_of_number(query.pattern.source(), parts, *part);
        is_often && !is_new && !is_minus && !is_number && is_slip(&parts[*part], stands)
    });
    let ((part, stands), count, first) = row?;
    let wanted = &parts[part];
    let unit = query.unit.name();
    let message = format!(
        "{}{} would match {}: {}",
        if is_all { "" } else { "at least " },
        counted(count, unit),
        instead(wanted, &stands),
        shown(first.text()),
    );
    let keeps_own = matches > 0;
    let remedy = amended(&query.pattern, wanted, (&stands, keeps_own));
    let remedy = remedy.filter(|source| takes(query, source, &first));
    let remedy = remedy.map(Remedy::Pattern);
    Some(Hint::at(NAME, (count, &first), message).cured_by(remedy))
}

/// "with ` ` instead of `-`"
fn instead(wanted: &WantedPart, stands: &[u8]) -> String {
    let wanted = shown(wanted.text.as_bytes());
    match stands {
        [] => format!("with {wanted} added"),
        text => format!("with {wanted} instead of {}", shown(text)),
    }
}

/// A finder in any letter case, for what another hint is about.
fn any_case(pattern: &Pattern) -> Option<Finder> {
    let options = MatchOptions {
        ignore_case: true,
        ..*pattern.options()
    };
    Some(Pattern::new(pattern.source(), &options).ok()?.finder())
}

/// True for characters of a class, one or a run of them.
fn is_of_class(leaf: &Leaf, class: ClassOf) -> bool {
    match leaf {
        Leaf::Class(own)
        | Leaf::Repeat {
            of: RepeatOf::Class(own),
            ..
        } => *own == class,
        Leaf::Repeat { .. }
        | Leaf::Text(_)
        | Leaf::Start
        | Leaf::End
        | Leaf::AnyChar
        | Leaf::Boundary
        | Leaf::Choice => false,
    }
}

/// True if a part takes digits right beside digits of another part: together they are a number of a certain length, and one of
/// another length is another number.
fn is_of_number(source: &str, parts: &[WantedPart], part: usize) -> bool {
    let is_digits = |part: &WantedPart| is_of_class(&part.outline.leaf, ClassOf::Digits);
    let is_beside = |one: &WantedPart, next: &WantedPart| {
        let between = source.get(one.outline.span.to..next.outline.span.from);
        let is_group = |between: &str| between.chars().all(|c| "()?:".contains(c));
        is_digits(one) && is_digits(next) && between.is_some_and(is_group)
    };
    let before = part
        .checked_sub(1)
        .is_some_and(|before| is_beside(&parts[before], &parts[part]));
    before || (parts.get(part + 1)).is_some_and(|next| is_beside(&parts[part], next))
}

/// True if what is there looks like a slip, and not like another thing.
fn is_slip(wanted: &WantedPart, stands: &[u8]) -> bool {
    let text = String::from_utf8_lossy(stands);
    let is_sign = |c: char| !c.is_alphanumeric();
    let is_separator = |c: char| c.is_whitespace() || "-_.,:/–".contains(c);
    let few_signs = text.chars().count() <= 3 && text.chars().all(is_separator);
    match &wanted.outline.leaf {
        // The same signs with other blanks around them.
        Leaf::Text(wanted) if !wanted.trim().is_empty() && wanted.trim() == text.trim() => true,
        Leaf::Text(wanted) if wanted.chars().all(is_sign) => {
            // Twice the sign, as `::`, is another sign.
            let is_more = text.contains(wanted.as_str()) && !wanted.trim().is_empty();
            // A sign that is missing altogether makes it another thing; a blank that is, does not.
            let blanks: String = wanted.chars().filter(|c| c.is_whitespace()).collect();
            let is_less = *text == blanks && !blanks.is_empty() && blanks != *wanted;
            // Without its `_` a name is another one.
            let joins = text.is_empty() && wanted.contains('_');
            few_signs && wanted.chars().all(is_separator) && !is_more && !is_less && !joins
        }
        Leaf::Text(wanted) => {
            wanted.chars().count() > 2 && alike(wanted, std::iter::once(&*text)).is_some()
        }
        // Who anchors a pattern at the start often means just that.
        Leaf::End => !text.is_empty() && text.chars().all(char::is_whitespace),
        leaf if is_of_class(leaf, ClassOf::Blanks) => few_signs,
        leaf if is_of_class(leaf, ClassOf::Digits) => {
            !text.is_empty() && text.chars().all(|c| c.is_ascii_digit())
        }
        Leaf::Start
        | Leaf::AnyChar
        | Leaf::Boundary
        | Leaf::Class(_)
        | Leaf::Repeat { .. }
        | Leaf::Choice => false,
    }
}

/// True if a pattern takes what was missed, all of it at once.
fn takes(query: &Query, source: &str, missed: &Spot) -> bool {
    let Ok(pattern) = Pattern::new(source, query.pattern.options()) else {
        return false;
    };
    let mut matches = Matches::default();
    let found = pattern
        .finder()
        .collect(&missed.window, false, &mut matches);
    let meets = |span: Span| span.from <= missed.span.from && span.to >= missed.span.to;
    found.is_ok() && (0..matches.len()).any(|index| meets(matches.span(index)))
}

/// True for one character that is not a letter and no digit, and needs no backslash.
fn is_sign_alone(text: &str) -> bool {
    let mut chars = text.chars();
    let first = chars.next();
    first.is_some_and(|c| !c.is_alphanumeric() && !r"\]^".contains(c)) && chars.next().is_none()
}

/// One of two signs; a `-` goes first, where it is not a range.
fn class_of(one: &str, other: &str) -> String {
    match other {
        "-" => format!("[-{one}]"),
        other => format!("[{one}{other}]"),
    }
}

/// The pattern that takes what is there too; or instead, where the part as it is written has no match to keep.
fn amended(
    pattern: &Pattern,
    wanted: &WantedPart,
    (stands, keeps_own): (&[u8], bool),
) -> Option<String> {
    if pattern.options().literal {
        return None;
    }
    let source = pattern.source();
    let own = &source[wanted.outline.span.range()];
    let is_blank = !stands.is_empty() && stands.iter().all(u8::is_ascii_whitespace);
    let is_several = stands.len() > 1;
    let stands = escaped(std::str::from_utf8(stands).ok()?);
    let is_single = |leaf: &Leaf| matches!(leaf, Leaf::Text(text) if text.chars().count() == 1);
    let new = match &wanted.outline.leaf {
        Leaf::Start => format!(r"{own}\s*"),
        Leaf::End => format!(r"\s*{own}"),
        Leaf::Text(text) if !keeps_own && !text.trim().is_empty() => stands,
        leaf if stands.is_empty() && is_single(leaf) => format!("{own}?"),
        _ if stands.is_empty() => format!("(?:{own})?"),
        Leaf::Repeat { .. } if own.ends_with('}') => {
            format!("{}+", &own[..own.rfind('{').unwrap_or(own.len())])
        }
        Leaf::Class(ClassOf::Digits) => format!("{own}+"),
        Leaf::Class(ClassOf::Blanks) if is_blank => format!("{own}+"),
        Leaf::Text(text) if text == " " && stands.trim().is_empty() => " +".to_owned(),
        Leaf::Text(text) if text == " " && is_blank => match is_several {
            true => r"\s+".to_owned(),
            false => r"\s".to_owned(),
        },
        Leaf::Text(text) if is_sign_alone(text) && is_sign_alone(&stands) => {
            class_of(text, &stands)
        }
        _ => format!("(?:{own}|{stands})"),
    };
    let mut amended = source.to_owned();
    amended.replace_range(wanted.outline.span.range(), &new);
    Some(amended)
}
