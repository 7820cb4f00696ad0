//! Our sentence, and our remedy, for each mistake in a pattern.

use crate::span::Span;
use regex_syntax::{ast, hir};

/// The fault.
pub(super) fn parse_message(kind: &ast::ErrorKind, found: &str) -> String {
    use ast::ErrorKind as K;
    let text = match kind {
        K::CaptureLimitExceeded => "there are too many groups",
        K::ClassEscapeInvalid => "this escape has no meaning between brackets",
        K::ClassRangeInvalid => "this range runs backwards",
        K::ClassRangeLiteral => "a range runs from one character to another",
        K::ClassUnclosed => "this bracket is never closed",
        K::DecimalEmpty | K::RepetitionCountDecimalEmpty => {
            "a number is missing in this repeat count"
        }
        K::DecimalInvalid => "this number is too large",
        K::EscapeHexEmpty => "the code of a character is missing",
        K::EscapeHexInvalid => "no character has this code",
        K::EscapeHexInvalidDigit => "the code of a character is written in hexadecimal digits",
        K::EscapeUnexpectedEof if is_class(found) => "the name of this Unicode class is missing",
        K::EscapeUnexpectedEof if found.len() > 1 => "the code of a character is missing",
        K::EscapeUnexpectedEof => "a backslash at the end escapes nothing",
        K::EscapeUnrecognized => "this escape has no meaning here",
        K::FlagDanglingNegation => "no flag follows this hyphen",
        K::FlagDuplicate { .. } => "this flag is there twice",
        K::FlagRepeatedNegation { .. } => "there are two hyphens among these flags",
        K::FlagUnexpectedEof => "these flags are never closed",
        K::FlagUnrecognized if matches!(found, "R" | "&" | "P") => "a pattern cannot call itself",
        K::FlagUnrecognized => return format!("`{found}` is not a flag"),
        K::GroupNameDuplicate { .. } => "there is another group of this name",
        K::GroupNameEmpty => "the name of this group is missing",
        K::GroupNameInvalid => {
            "a name is made of letters, digits and underscores, and begins with no digit"
        }
        K::GroupNameUnexpectedEof => "the name of this group is never closed",
        K::GroupUnclosed => "this parenthesis is never closed",
        K::GroupUnopened => "this parenthesis closes nothing",
        K::NestLimitExceeded(n) => return format!("parentheses lie more than {n} deep"),
        K::RepetitionCountInvalid => "this repeat count runs backwards",
        K::RepetitionCountUnclosed => "this repeat count is never closed",
        K::RepetitionMissing => "there is nothing before this repeat to be repeated",
        K::SpecialWordBoundaryUnclosed | K::SpecialWordOrRepetitionUnexpectedEof => {
            "this brace is never closed"
        }
        K::SpecialWordBoundaryUnrecognized => "there is no such word boundary",
        K::UnicodeClassInvalid => "this Unicode class is not written as one",
        K::UnsupportedBackreference => "this reference cannot stand here",
        K::UnsupportedLookAround => "this look-around cannot stand here",
        _ => "this cannot be read as a pattern",
    };
    text.to_owned()
}

/// True for the beginning of a Unicode class.
fn is_class(found: &str) -> bool {
    found.starts_with("\\p") || found.starts_with("\\P")
}

/// The text to write instead.
pub(super) fn parse_remedy(kind: &ast::ErrorKind, source: &str, span: Span) -> Option<String> {
    use ast::ErrorKind as K;
    let text = match kind {
        K::ClassRangeInvalid => return backwards_remedy(source.get(span.range())?),
        K::ClassRangeLiteral => {
            "write the hyphen first or last, as in `[-\\w]`, for the character itself"
        }
        K::ClassEscapeInvalid => {
            "write the character itself, or put the sign outside of the brackets"
        }
        K::GroupUnclosed => "close it with `)`, or write `\\(` for the character itself",
        K::GroupUnopened => "write `\\)` for the character itself, or open it before",
        K::ClassUnclosed => "close it with `]`, or write `\\[` for the character itself",
        K::RepetitionMissing => "put a backslash before it for the character itself",
        K::RepetitionCountUnclosed
        | K::RepetitionCountDecimalEmpty
        | K::DecimalEmpty
        | K::DecimalInvalid
        | K::RepetitionCountInvalid => {
            "write a count such as `{2}`, `{2,}` or `{2,4}`, or `\\{` for the character itself"
        }
        K::EscapeHexEmpty | K::EscapeHexInvalid | K::EscapeHexInvalidDigit => {
            "write it as `\\x2D` or `\\u{2013}`"
        }
        K::EscapeUnexpectedEof if is_class(source.get(span.range())?) => {
            "write `\\pL`, `\\p{Greek}` or `\\p{Script=Greek}`"
        }
        K::EscapeUnexpectedEof if span.len() > 1 => "write it as `\\x2D` or `\\u{2013}`",
        K::EscapeUnexpectedEof => "write `\\\\` for the character itself",
        K::EscapeUnrecognized => return escape_remedy(source.get(span.range())?),
        K::FlagUnrecognized if source[..span.to].ends_with('>') => {
            "atomic groups are not available: use a plain group `(?:…)`"
        }
        K::FlagUnrecognized if matches!(source.get(span.range())?, "R" | "&" | "P") => {
            "write out as many levels as there are"
        }
        K::FlagUnrecognized
        | K::FlagDanglingNegation
        | K::FlagDuplicate { .. }
        | K::FlagRepeatedNegation { .. }
        | K::FlagUnexpectedEof => {
            "the flags are i, m, s, x, R, U and u, as in `(?i)` or `(?i-s:…)`; `(?:…)` is a group without number"
        }
        K::GroupNameDuplicate { .. } | K::GroupNameInvalid => "choose another name",
        K::GroupNameEmpty | K::GroupNameUnexpectedEof => {
            "write `(?<name>…)`, or `(…)` without a name"
        }
        K::SpecialWordBoundaryUnclosed
        | K::SpecialWordBoundaryUnrecognized
        | K::SpecialWordOrRepetitionUnexpectedEof => {
            "write `\\b{start}`, `\\b{end}`, `\\b{start-half}` or `\\b{end-half}`"
        }
        K::UnicodeClassInvalid => "write `\\pL`, `\\p{Greek}` or `\\p{Script=Greek}`",
        K::UnsupportedLookAround => "write `(?=…)`, `(?!…)`, `(?<=…)` or `(?<!…)`",
        K::UnsupportedBackreference => "write the number of a group, as in `\\1`",
        K::CaptureLimitExceeded | K::NestLimitExceeded(_) => "use `(?:…)`, or a simpler pattern",
        _ => return None,
    };
    Some(text.to_owned())
}

/// The fault in a class, and what to write instead.
pub(super) fn class_message(kind: &hir::ErrorKind) -> (&'static str, &'static str) {
    use hir::ErrorKind as K;
    match kind {
        K::UnicodePropertyNotFound => (
            "there is no such Unicode class",
            "write a category or a script, such as `\\p{L}`, `\\p{Lu}`, `\\p{Nd}` or `\\p{Greek}`",
        ),
        K::UnicodePropertyValueNotFound => (
            "there is no such value of this Unicode property",
            "write a value that it has, as in `\\p{Script=Greek}`",
        ),
        K::UnicodeNotAllowed => (
            "a Unicode class cannot stand where Unicode is turned off",
            "leave `(?-u)` out",
        ),
        K::InvalidUtf8 => (
            "this can match bytes that are not UTF-8, and no match holds such bytes",
            "leave `(?-u)` out; `\\x41` up to `\\x7F`, or `\\u{E9}`, are characters",
        ),
        _ => (
            "this class cannot be used",
            "write its characters between brackets",
        ),
    }
}

/// The range with its ends the right way round.
fn backwards_remedy(range: &str) -> Option<String> {
    let (from, to) = range.split_once('-')?;
    Some(format!(
        "write `{to}-{from}`; a hyphen that is meant as such stands first or last between the brackets"
    ))
}

/// Our way to write what an unknown escape means elsewhere.
fn escape_remedy(escape: &str) -> Option<String> {
    let ours = match escape.chars().nth(1)? {
        'Z' => "write `\\z` for the end of the unit".to_owned(),
        'h' => "write `[ \\t]` for a blank".to_owned(),
        'R' => "write `\\r?\\n` for a line end".to_owned(),
        'K' | 'G' => "put what must come before in a group and write it back with `$1`".to_owned(),
        'Q' | 'E' => "use `--literal` for a pattern that is plain text".to_owned(),
        'k' => "write `\\k<name>` for what the group of that name matched".to_owned(),
        c => format!("write `{c}` alone for the character itself"),
    };
    Some(ours)
}
