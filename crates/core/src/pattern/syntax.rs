//! From the text of a pattern to its meaning, and what can be wrong with it.

use crate::fault::Fault;
use crate::pattern::messages::{class_message, parse_message, parse_remedy};
use crate::pattern::options::MatchOptions;
use crate::span::Span;
use regex_syntax::ast;
use regex_syntax::hir::{Hir, Look};

/// Nesting of parentheses allowed in a pattern.
const NEST_LIMIT: u32 = 250;

/// Why a pattern was refused.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PatternError {
    /// The pattern does not parse.
    #[error("{message}")]
    Syntax {
        /// The fault.
        message: String,
        /// The place.
        span: Span,
        /// The text to write instead, where that is known.
        remedy: Option<String>,
    },
    /// Compiled, it would take more memory than a pattern may.
    #[error("the pattern is too large: compiled, it would take more than {} MiB", limit >> 20)]
    TooLarge {
        /// The limit in bytes.
        limit: usize,
    },
    /// The pattern holds something that means one thing on one engine and another on the other.
    #[error("{what} {} not available here", if *plural { "are" } else { "is" })]
    NotHere {
        /// The kind.
        what: &'static str,
        /// True if that is a plural.
        plural: bool,
        /// The place.
        span: Span,
        /// The text to write instead.
        remedy: &'static str,
    },
    /// The text behind `(?<=` or `(?<!` may be of several lengths.
    #[error("look-behind takes text of one length")]
    LookBehind,
    /// The engine cannot run it for another reason.
    #[error("no engine can run this pattern")]
    Unusable,
}

impl Fault for PatternError {
    fn span(&self) -> Option<Span> {
        match self {
            Self::Syntax { span, .. } | Self::NotHere { span, .. } => Some(*span),
            Self::TooLarge { .. } | Self::LookBehind | Self::Unusable => None,
        }
    }

    fn remedy(&self) -> Option<String> {
        match self {
            Self::Syntax { remedy, .. } => remedy.clone(),
            Self::NotHere { remedy, .. } => Some((*remedy).to_owned()),
            Self::TooLarge { .. } => Some("use smaller repeat counts, or `+` and `*`".into()),
            Self::LookBehind => Some(
                "write each length apart, as in `(?:(?<=a)|(?<=bc))`, or put that text in a group and \
                 write it back with `$1`"
                    .into(),
            ),
            Self::Unusable => Some("take look-around or references out of it".into()),
        }
    }
}

/// A pattern after parsing.
pub(super) enum Parsed {
    /// Regular; this is its meaning, options included.
    Regular(Hir, Vec<PatternNote>),
    /// The pattern holds look-around, or a reference to one of its groups; all else in it is read the
    /// same by both engines.
    NeedsBacktracking(Vec<PatternNote>),
}

/// A range such as `A-z` in a pattern, which takes the signs between capital and small letters.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PatternNote {
    /// The place of the range in the pattern.
    pub span: Span,
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
        Ok(hir) => {
            let notes = examine(source, text)?;
            Ok(Parsed::Regular(wrap(hir, options), notes))
        }
        Err(error) if special(text, &error).is_none() => Err(describe(source, &error)),
        Err(_) => check_backtracking(source, options).map(Parsed::NeedsBacktracking),
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
    /// The places of look-around and references, and the group of a reference.
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
/// is never given a sign that we do not have, and each reference must be to a group that is there.
fn check_backtracking(
    source: &str,
    options: &MatchOptions,
) -> Result<Vec<PatternNote>, PatternError> {
    let neutral = neutral_or_error(source, options).map_err(|error| describe(source, &error))?;
    let notes = examine(source, &neutral.text)?;
    let groups = parse_regular(&neutral.text, options)
        .map(|hir| hir.properties().explicit_captures_len())
        .unwrap_or_default();
    for (span, group) in &neutral.specials {
        let Some(group) = group else { continue };
        let is_there = match group.parse::<usize>() {
            Ok(number) => (1..=groups).contains(&number),
            Err(_) => ["(?<", "(?P<"]
                .iter()
                .any(|open| source.contains(&format!("{open}{group}>"))),
        };
        if !is_there {
            return Err(PatternError::Syntax {
                message: format!("the pattern has no group {group}"),
                span: *span,
                remedy: Some(match groups {
                    0 => "put parentheses around what is to come again, or write `\\\\` for the sign itself".into(),
                    1 => "there is one group: write `\\1`".into(),
                    n => format!("there are groups 1 to {n}"),
                }),
            });
        }
    }
    Ok(notes)
}

/// The place where the parser stopped at look-around or at a reference, and what to write over it.
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

/// Refuses what would mean one thing here and another elsewhere, and notes what is often not meant.
fn examine(source: &str, text: &str) -> Result<Vec<PatternNote>, PatternError> {
    let parser = ast::parse::ParserBuilder::new()
        .nest_limit(NEST_LIMIT)
        .build()
        .parse(text);
    let Ok(tree) = parser else {
        return Ok(Vec::new());
    };
    ast::visit(&tree, Examiner::default()).map_err(|error| match error {
        PatternError::NotHere {
            what,
            plural,
            span,
            remedy,
        } => PatternError::NotHere {
            what,
            plural,
            span: pointing(source, span),
            remedy,
        },
        other => other,
    })
}

#[derive(Default)]
struct Examiner {
    notes: Vec<PatternNote>,
}

impl Examiner {
    fn flags(flags: &ast::Flags) -> Result<(), PatternError> {
        let is_crlf =
            |item: &&ast::FlagsItem| item.kind == ast::FlagsItemKind::Flag(ast::Flag::CRLF);
        match flags.items.iter().find(is_crlf) {
            Some(flag) => Err(PatternError::NotHere {
                what: "patterns that call themselves, as `(?R)` does elsewhere,",
                plural: true,
                span: offsets(&flag.span),
                remedy: "write out as many levels as there are",
            }),
            None => Ok(()),
        }
    }
}

impl ast::Visitor for Examiner {
    type Output = Vec<PatternNote>;
    type Err = PatternError;

    fn finish(self) -> Result<Vec<PatternNote>, PatternError> {
        Ok(self.notes)
    }

    fn visit_pre(&mut self, tree: &ast::Ast) -> Result<(), PatternError> {
        match tree {
            ast::Ast::Repetition(outer) if matches!(*outer.ast, ast::Ast::Repetition(_)) => {
                Err(PatternError::NotHere {
                    what: "possessive repeats, and repeats of repeats,",
                    plural: true,
                    span: offsets(&outer.op.span),
                    remedy: "leave the second sign out, or put parentheses around the first repeat",
                })
            }
            ast::Ast::Flags(flags) => Self::flags(&flags.flags),
            ast::Ast::Group(group) => group.flags().map_or(Ok(()), Self::flags),
            _ => Ok(()),
        }
    }

    fn visit_class_set_item_pre(&mut self, item: &ast::ClassSetItem) -> Result<(), PatternError> {
        if let ast::ClassSetItem::Range(range) = item
            && range.start.c.is_ascii_uppercase()
            && range.end.c.is_ascii_lowercase()
        {
            let span = offsets(&range.span);
            self.notes.push(PatternNote { span });
        }
        Ok(())
    }
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
        regex_syntax::Error::Parse(e) => {
            let span = faulty(source, e);
            (
                parse_message(e.kind(), source.get(span.range()).unwrap_or_default()),
                span,
                parse_remedy(e.kind(), source, span),
            )
        }
        regex_syntax::Error::Translate(e) => {
            let (message, remedy) = class_message(e.kind());
            (
                message.to_owned(),
                offsets(e.span()),
                Some(remedy.to_owned()),
            )
        }
        _ => return PatternError::Unusable,
    };
    PatternError::Syntax {
        message,
        span: pointing(source, span),
        remedy,
    }
}

/// The place of a fault: of an escape that is cut short by the end, all of it.
fn faulty(source: &str, error: &ast::Error) -> Span {
    match (error.kind(), source.rfind('\\')) {
        (ast::ErrorKind::EscapeUnexpectedEof, Some(from)) => Span::new(from, source.len()),
        _ => offsets(error.span()),
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
