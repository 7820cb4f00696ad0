//! Sets of characters, for swapping and removing them one by one.
//!
//! ```text
//! SET  = (CHAR | CHAR "-" CHAR | "[:" CLASS ":]" | ESCAPE)+
//! ```
//!
//! Classes are the POSIX ones, in ASCII. Escapes are `\n \t \r \\ \- \[ \u{…}`.

use crate::fault::Fault;
use crate::span::Span;
use std::collections::BTreeMap;

/// Why a set of characters was refused.
///
/// ```
/// use brisk_quill_core::chars::set;
/// assert_eq!(set("a-c").expect("a set"), ['a', 'b', 'c']);
/// assert!(set("c-a").is_err());
/// ```
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{kind}")]
pub struct CharsError {
    kind: CharsErrorKind,
    span: Span,
}

/// The exact mistake in a set of characters.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum CharsErrorKind {
    /// The text holds nothing.
    #[error("there is no character here")]
    Empty,
    /// A class that POSIX does not have.
    #[error("there is no class `{0}`")]
    UnknownClass(String),
    /// An escape that stands for nothing.
    #[error("`{0}` is not an escape of a character")]
    UnknownEscape(String),
    /// A range whose end lies before its start.
    #[error("this range runs backwards")]
    Reversed,
    /// FROM and TO have different lengths.
    #[error("FROM holds {from} and TO {to} of the characters that go in pairs")]
    Unequal {
        /// Characters in FROM.
        from: usize,
        /// Characters in TO.
        to: usize,
    },
    /// A character stands twice in FROM, for two different ones.
    #[error("`{0}` would become two different characters")]
    Twice(char),
}

impl CharsError {
    /// The exact mistake.
    pub fn kind(&self) -> &CharsErrorKind {
        &self.kind
    }
}

impl Fault for CharsError {
    fn span(&self) -> Option<Span> {
        Some(self.span)
    }

    fn remedy(&self) -> Option<String> {
        Some(match &self.kind {
            CharsErrorKind::Empty => "write at least one character".into(),
            CharsErrorKind::UnknownClass(_) => {
                let names: Vec<&str> = CLASSES.iter().map(|(name, _)| *name).collect();
                format!("there are {}", names.join(", "))
            }
            CharsErrorKind::UnknownEscape(_) => {
                "write `\\\\` for a backslash; the escapes are \\n \\t \\r \\\\ \\- \\[ \\u{…}"
                    .into()
            }
            CharsErrorKind::Reversed => "write the smaller end first, or `\\-` for a hyphen".into(),
            CharsErrorKind::Unequal { from, to } if from > to => lacks("TO", from - to),
            CharsErrorKind::Unequal { from, to } => lacks("FROM", to - from),
            CharsErrorKind::Twice(_) => "leave one of the two out".into(),
        })
    }
}

fn lacks(what: &str, missing: usize) -> String {
    let plural = if missing == 1 { "" } else { "s" };
    format!("{what} lacks {missing} character{plural}")
}

/// The name of a class, and what belongs to it.
type Class = (&'static str, fn(&char) -> bool);

/// The ASCII members of each POSIX class.
const CLASSES: &[Class] = &[
    ("alnum", char::is_ascii_alphanumeric),
    ("alpha", char::is_ascii_alphabetic),
    ("blank", |c| matches!(c, ' ' | '\t')),
    ("cntrl", char::is_ascii_control),
    ("digit", char::is_ascii_digit),
    ("graph", char::is_ascii_graphic),
    ("lower", char::is_ascii_lowercase),
    ("print", |c| *c == ' ' || c.is_ascii_graphic()),
    ("punct", char::is_ascii_punctuation),
    ("space", |c| matches!(c, ' ' | '\t'..='\r')),
    ("upper", char::is_ascii_uppercase),
    ("xdigit", char::is_ascii_hexdigit),
];

/// The characters of a set, in the order in which it names them.
///
/// # Errors
///
/// When the set does not parse or is empty.
pub fn set(text: &str) -> Result<Vec<char>, CharsError> {
    let mut reader = Reader { text, at: 0 };
    let mut chars = Vec::new();
    while reader.at < text.len() {
        reader.item(&mut chars)?;
    }
    if chars.is_empty() {
        let (kind, span) = (CharsErrorKind::Empty, Span::new(0, 0));
        return Err(CharsError { kind, span });
    }
    Ok(chars)
}

/// Which character becomes which.
///
/// # Errors
///
/// When a set does not parse, they differ in length, or a character would become two; the
/// error says whether it lies in `to`.
pub fn swaps(from: &str, to: &str) -> Result<BTreeMap<char, char>, (CharsError, bool)> {
    let (olds, news) = (
        set(from).map_err(|error| (error, false))?,
        set(to).map_err(|error| (error, true))?,
    );
    let whole = |kind, text: &str| CharsError {
        kind,
        span: Span::new(0, text.len()),
    };
    if olds.len() != news.len() {
        let kind = CharsErrorKind::Unequal {
            from: olds.len(),
            to: news.len(),
        };
        let short_to = news.len() < olds.len();
        return Err((whole(kind, if short_to { to } else { from }), short_to));
    }
    let mut swaps = BTreeMap::new();
    for (old, new) in olds.into_iter().zip(news) {
        if swaps.insert(old, new).is_some_and(|other| other != new) {
            return Err((whole(CharsErrorKind::Twice(old), from), false));
        }
    }
    Ok(swaps)
}

/// The pattern that matches one of these characters.
pub fn class_of(chars: impl IntoIterator<Item = char>) -> String {
    let each = chars.into_iter().map(|c| format!("\\u{{{:X}}}", c as u32));
    format!("[{}]", each.collect::<String>())
}

struct Reader<'t> {
    text: &'t str,
    at: usize,
}

impl Reader<'_> {
    fn error(&self, kind: CharsErrorKind, from: usize) -> CharsError {
        CharsError {
            kind,
            span: Span::new(from, self.at),
        }
    }

    /// A class, a range or a character.
    fn item(&mut self, chars: &mut Vec<char>) -> Result<(), CharsError> {
        let start = self.at;
        let rest = &self.text[start..];
        if let Some((name, _)) = rest
            .strip_prefix("[:")
            .and_then(|rest| rest.split_once(":]"))
        {
            self.at += name.len() + 4;
            let class = CLASSES.iter().find(|(known, _)| *known == name);
            let Some((_, holds)) = class else {
                return Err(self.error(CharsErrorKind::UnknownClass(name.to_owned()), start));
            };
            chars.extend(('\0'..='\x7F').filter(holds));
            return Ok(());
        }
        let first = self.char()?;
        // A hyphen at the end is itself.
        if self.text[self.at..].starts_with('-') && self.at + 1 < self.text.len() {
            self.at += 1;
            let last = self.char()?;
            if last < first {
                return Err(self.error(CharsErrorKind::Reversed, start));
            }
            chars.extend(first..=last);
        } else {
            chars.push(first);
        }
        Ok(())
    }

    fn char(&mut self) -> Result<char, CharsError> {
        let start = self.at;
        let rest = &self.text[start..];
        let mut signs = rest.chars();
        let first = signs.next().unwrap_or_default();
        self.at += first.len_utf8();
        if first != '\\' {
            return Ok(first);
        }
        let sign = signs.next();
        self.at += sign.map_or(0, char::len_utf8);
        let code = || {
            let hex = rest.strip_prefix("\\u{")?.split_once('}')?.0;
            let c = char::from_u32(u32::from_str_radix(hex, 16).ok()?)?;
            Some((c, hex.len() + 2))
        };
        match sign {
            Some('n') => Ok('\n'),
            Some('t') => Ok('\t'),
            Some('r') => Ok('\r'),
            Some(c @ ('\\' | '-' | '[')) => Ok(c),
            Some('u') if code().is_some() => {
                let (c, more) = code().unwrap_or_default();
                self.at += more;
                Ok(c)
            }
            _ => {
                let shown = self.text[start..self.at].to_owned();
                Err(self.error(CharsErrorKind::UnknownEscape(shown), start))
            }
        }
    }
}

/// True for letters, digits and `_`.
pub(crate) fn is_word(c: char) -> bool {
    c.is_alphanumeric() || c == '_'
}
