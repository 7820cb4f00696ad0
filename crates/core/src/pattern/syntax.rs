//! From the text of a pattern to its meaning, and what can be wrong with it.

use super::MatchOptions;
use crate::{Fault, Span};
use regex_syntax::ast;
use regex_syntax::hir::{Hir, Look};

/// Nesting of parentheses allowed in a pattern.
const NEST_LIMIT: u32 = 250;

/// Why a pattern was refused.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PatternError {
    /// It does not parse.
    #[error("{message}")]
    Syntax {
        /// What is wrong.
        message: String,
        /// Where.
        span: Span,
        /// What to write instead, where that is known.
        remedy: Option<String>,
    },
    /// Compiled, it would take more memory than a pattern may.
    #[error("the pattern is too large: compiled, it would take more than {} MiB", limit >> 20)]
    TooLarge {
        /// The limit in bytes.
        limit: usize,
    },
    /// The engine cannot run it for another reason.
    #[error("the pattern cannot be used: {0}")]
    Unusable(String),
}

impl Fault for PatternError {
    fn span(&self) -> Option<Span> {
        match self {
            Self::Syntax { span, .. } => Some(*span),
            Self::TooLarge { .. } | Self::Unusable(_) => None,
        }
    }

    fn remedy(&self) -> Option<String> {
        match self {
            Self::Syntax { remedy, .. } => remedy.clone(),
            Self::TooLarge { .. } => Some("use smaller repeat counts, or `+` and `*`".into()),
            Self::Unusable(_) => None,
        }
    }
}

/// Parses `source` into the meaning of the whole pattern, options included.
pub(super) fn parse(source: &str, options: &MatchOptions) -> Result<Hir, PatternError> {
    let escaped;
    let text = if options.literal {
        escaped = regex_syntax::escape(source);
        &escaped
    } else {
        source
    };
    let hir = regex_syntax::ParserBuilder::new()
        .utf8(true)
        .case_insensitive(options.ignore_case)
        .nest_limit(NEST_LIMIT)
        .build()
        .parse(text)
        .map_err(|error| describe(source, &error))?;
    Ok(wrap(hir, options))
}

/// Adds what the options ask around the pattern.
fn wrap(hir: Hir, options: &MatchOptions) -> Hir {
    let around = |before, hir, after| Hir::concat(vec![Hir::look(before), hir, Hir::look(after)]);
    let mut hir = hir;
    if options.whole_word {
        // Half boundaries, so that a pattern that begins with a sign keeps its meaning.
        hir = around(Look::WordStartHalfUnicode, hir, Look::WordEndHalfUnicode);
    }
    if options.entire {
        hir = around(Look::Start, hir, Look::End);
    }
    hir
}

fn describe(source: &str, error: &regex_syntax::Error) -> PatternError {
    let (message, span, remedy) = match error {
        regex_syntax::Error::Parse(e) => (
            parse_message(e.kind()),
            e.span(),
            parse_remedy(e.kind(), source, offsets(e.span())),
        ),
        regex_syntax::Error::Translate(e) => (e.kind().to_string(), e.span(), None),
        other => return PatternError::Unusable(other.to_string()),
    };
    PatternError::Syntax {
        message,
        span: pointing(source, offsets(span)),
        remedy,
    }
}

/// The span within `source`; an empty one is widened to the character behind it.
fn pointing(source: &str, span: Span) -> Span {
    let from = span.from.min(source.len());
    let next = source[from..].chars().next().map_or(0, char::len_utf8);
    let to = if span.is_empty() {
        from + next
    } else {
        span.to
    };
    Span::new(from, to.min(source.len()))
}

fn offsets(span: &ast::Span) -> Span {
    Span::new(span.start.offset, span.end.offset)
}

/// The parser's own words, but for those that speak of its making rather than of the pattern.
fn parse_message(kind: &ast::ErrorKind) -> String {
    use ast::ErrorKind as K;
    match kind {
        K::GroupUnclosed => "this parenthesis is never closed".into(),
        K::GroupUnopened => "this parenthesis closes nothing".into(),
        K::ClassUnclosed => "this bracket is never closed".into(),
        K::RepetitionMissing => "there is nothing before this repeat to be repeated".into(),
        K::RepetitionCountUnclosed => "this repeat count is never closed".into(),
        K::EscapeUnrecognized => "this escape has no meaning here".into(),
        K::EscapeUnexpectedEof => "a backslash at the end escapes nothing".into(),
        K::NestLimitExceeded(n) => format!("parentheses lie more than {n} deep"),
        other => other.to_string(),
    }
}

fn parse_remedy(kind: &ast::ErrorKind, source: &str, span: Span) -> Option<String> {
    use ast::ErrorKind as K;
    let text = match kind {
        K::GroupUnclosed => "close it with `)`, or write `\\(` for the sign itself",
        K::GroupUnopened => "write `\\)` for the sign itself, or open it before",
        K::ClassUnclosed => "close it with `]`, or write `\\[` for the sign itself",
        K::RepetitionMissing => "put a backslash before it for the sign itself",
        K::RepetitionCountUnclosed
        | K::RepetitionCountDecimalEmpty
        | K::DecimalEmpty
        | K::RepetitionCountInvalid => {
            "write a count such as `{2}`, `{2,}` or `{2,4}`, or `\\{` for the sign itself"
        }
        K::EscapeUnexpectedEof => "write `\\\\` for the sign itself",
        K::EscapeUnrecognized => return escape_remedy(source.get(span.range())?),
        K::UnsupportedBackreference => {
            "a reference to a group inside the pattern is not available on this engine"
        }
        K::UnsupportedLookAround => "look-around is not available on this engine",
        _ => return None,
    };
    Some(text.to_owned())
}

/// Our way to write what an unknown escape means elsewhere.
fn escape_remedy(escape: &str) -> Option<String> {
    let ours = match escape.chars().nth(1)? {
        'Z' => "write `\\z` for the end of the unit".to_owned(),
        'h' => "write `[ \\t]` for a blank".to_owned(),
        'R' => "write `\\r?\\n` for a line end".to_owned(),
        'K' | 'G' => "put what must come before in a group and write it back with `$1`".to_owned(),
        'Q' | 'E' => "use --literal for a pattern that is plain text".to_owned(),
        c => format!("write `{c}` alone for the character itself"),
    };
    Some(ours)
}
