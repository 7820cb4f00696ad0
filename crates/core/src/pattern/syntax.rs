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
    /// It holds something that means one thing on one engine and another on the other.
    #[error("{what} {} not available here", if *plural { "are" } else { "is" })]
    NotHere {
        /// What it is.
        what: &'static str,
        /// Whether that is a plural.
        plural: bool,
        /// Where.
        span: Span,
        /// What to write instead.
        remedy: &'static str,
    },
    /// The engine cannot run it for another reason.
    #[error("the pattern cannot be used: {0}")]
    Unusable(String),
}

impl Fault for PatternError {
    fn span(&self) -> Option<Span> {
        match self {
            Self::Syntax { span, .. } | Self::NotHere { span, .. } => Some(*span),
            Self::TooLarge { .. } | Self::Unusable(_) => None,
        }
    }

    fn remedy(&self) -> Option<String> {
        match self {
            Self::Syntax { remedy, .. } => remedy.clone(),
            Self::NotHere { remedy, .. } => Some((*remedy).to_owned()),
            Self::TooLarge { .. } => Some("use smaller repeat counts, or `+` and `*`".into()),
            Self::Unusable(_) => None,
        }
    }
}

/// What a pattern turned out to be.
pub(super) enum Parsed {
    /// Regular; this is its meaning, options included.
    Regular(Hir),
    /// It holds look-around, or a reference to one of its groups; all else in it is read the
    /// same by both engines.
    NeedsBacktracking,
}

/// Parses `source`.
pub(super) fn parse(source: &str, options: &MatchOptions) -> Result<Parsed, PatternError> {
    let escaped;
    let text = if options.literal {
        escaped = regex_syntax::escape(source);
        &escaped
    } else {
        source
    };
    match parse_regular(text, options) {
        Ok(hir) => Ok(Parsed::Regular(wrap(hir, options))),
        Err(error) if special(text, &error).is_none() => Err(describe(source, &error)),
        Err(_) => check_backtracking(source, options).map(|()| Parsed::NeedsBacktracking),
    }
}

#[expect(
    clippy::result_large_err,
    reason = "the parser's own error, soon described"
)]
fn parse_regular(text: &str, options: &MatchOptions) -> Result<Hir, regex_syntax::Error> {
    regex_syntax::ParserBuilder::new()
        .utf8(true)
        .case_insensitive(options.ignore_case)
        .multi_line(options.multi_line)
        .crlf(options.multi_line)
        .nest_limit(NEST_LIMIT)
        .build()
        .parse(text)
}

/// A pattern with its special signs overwritten by regular ones of the same length.
pub(crate) struct Neutral {
    pub text: String,
    /// Where signs of look-around and references stand, and the group of a reference.
    specials: Vec<(Span, Option<String>)>,
}

impl Neutral {
    /// The special sign that begins at `at`, and its group where it is a reference.
    pub fn special_at(&self, at: usize) -> Option<&(Span, Option<String>)> {
        self.specials.iter().find(|(span, _)| span.from == at)
    }
}

/// Overwrites each sign of look-around, and each reference, where the parser finds it. `None`
/// where what is left does not parse.
pub(crate) fn neutralised(source: &str, options: &MatchOptions) -> Option<Neutral> {
    neutral_or_error(source, options).ok()
}

fn neutral_or_error(
    source: &str,
    options: &MatchOptions,
) -> Result<Neutral, Box<regex_syntax::Error>> {
    let mut neutral = Neutral {
        text: source.to_owned(),
        specials: Vec::new(),
    };
    loop {
        let error = match parse_regular(&neutral.text, options) {
            Ok(_) => return Ok(neutral),
            Err(error) => error,
        };
        let Some((span, filler)) = special(&neutral.text, &error) else {
            return Err(Box::new(error));
        };
        neutral.text.replace_range(span.range(), &filler);
        let sign = &source[span.range()];
        let is_group = filler.starts_with('(');
        let digits = sign.trim_start_matches(['\\', 'k', '<', '(', '?', 'P', '=']);
        let group = (!is_group).then(|| digits.trim_end_matches(['>', ')']).to_owned());
        neutral.specials.push((span, group));
    }
}

/// Looks at a pattern that is not regular: whether all else in it is in our dialect.
///
/// What is left of it without look-around and references must parse, so that the other engine
/// is never given a sign that we do not have; and no repeat may be repeated at once, which would
/// be possessive there.
fn check_backtracking(source: &str, options: &MatchOptions) -> Result<(), PatternError> {
    let neutral = neutral_or_error(source, options).map_err(|error| describe(source, &error))?;
    let parser = ast::parse::ParserBuilder::new()
        .nest_limit(NEST_LIMIT)
        .build()
        .parse(&neutral.text);
    match parser.ok().and_then(|tree| doubled_repeat(&tree)) {
        Some(span) => Err(PatternError::NotHere {
            what: "possessive repeats",
            plural: true,
            span: pointing(source, span),
            remedy: "leave the second sign out, or put parentheses around the first repeat",
        }),
        None => Ok(()),
    }
}

/// Where the parser stopped at look-around or at a reference, and what to write over it.
fn special(text: &str, error: &regex_syntax::Error) -> Option<(Span, String)> {
    let regex_syntax::Error::Parse(error) = error else {
        return None;
    };
    let mut span = offsets(error.span());
    // `(?P=name)` is refused at its `P`, as if that were a flag.
    let named = text.get(..span.from)?.ends_with("(?") && text[span.from..].starts_with("P=");
    if named {
        span.from -= "(?".len();
    }
    let rest = text.get(span.from..)?;
    let length = match error.kind() {
        ast::ErrorKind::UnsupportedLookAround => {
            let opening = ["(?<=", "(?<!", "(?=", "(?!"];
            let opening = opening.into_iter().find(|sign| rest.starts_with(sign))?;
            let filler = if opening.len() == 4 { "(?u:" } else { "(?:" };
            let span = Span::new(span.from, span.from + opening.len());
            return Some((span, filler.to_owned()));
        }
        ast::ErrorKind::FlagUnrecognized if named => rest.find(')')? + 1,
        ast::ErrorKind::UnsupportedBackreference => {
            1 + rest[1..].bytes().take_while(u8::is_ascii_digit).count()
        }
        ast::ErrorKind::EscapeUnrecognized if rest.starts_with("\\k<") => rest.find('>')? + 1,
        _ => return None,
    };
    // `\d` is an atom like a reference; the rest of the length is filled with letters.
    let filler = format!("\\d{}", "d".repeat(length.checked_sub(2)?));
    Some((Span::new(span.from, span.from + length), filler))
}

/// The first repeat that repeats a repeat without parentheses.
fn doubled_repeat(tree: &ast::Ast) -> Option<Span> {
    struct Seeker;
    impl ast::Visitor for Seeker {
        type Output = ();
        type Err = Span;
        fn finish(self) -> Result<(), Span> {
            Ok(())
        }
        fn visit_pre(&mut self, tree: &ast::Ast) -> Result<(), Span> {
            match tree {
                ast::Ast::Repetition(outer) if matches!(*outer.ast, ast::Ast::Repetition(_)) => {
                    Err(offsets(&outer.op.span))
                }
                _ => Ok(()),
            }
        }
    }
    ast::visit(tree, Seeker).err()
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
        K::FlagUnrecognized if source[..span.to].ends_with('>') => {
            "atomic groups are not available: use a plain group `(?:…)`"
        }
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
