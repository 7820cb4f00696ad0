//! The grammar of templates.
//!
//! ```text
//! TEMPLATE = (TEXT | "$$" | "$" DIGITS | "$" NAME | "${" REF "}" | "\" DIGITS | ESCAPE)*
//! ESCAPE   = "\n" | "\t" | "\r" | "\\" | "\u{" HEX "}"
//! ```
//!
//! Note to the maintainer: filters will stand between REF and the closing brace, each after a
//! `|`; that sign is therefore refused there today.

use super::{Part, Template, TemplateNote, push_text};
use crate::{Fault, Groups, Span};

/// Why a template was refused, and where.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{kind}")]
pub struct TemplateError {
    kind: TemplateErrorKind,
    span: Span,
    remedy: String,
}

/// The exact mistake in a template.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum TemplateErrorKind {
    /// A group the pattern does not have.
    #[error("the pattern has no group {0}")]
    UnknownGroup(String),
    /// A `$` that begins no reference.
    #[error("a `$` must be followed by a group")]
    LoneDollar,
    /// A backslash and a sign that mean nothing together.
    #[error("`{0}` is no escape of a template")]
    UnknownEscape(String),
    /// `\u{…}` without a character of that code.
    #[error("this is no character")]
    NoSuchCharacter,
    /// `${` without `}`.
    #[error("this brace is never closed")]
    Unclosed,
    /// Braces around something that is no reference.
    #[error("`{0}` is no reference")]
    BadReference(String),
}

impl TemplateError {
    /// The exact mistake.
    pub fn kind(&self) -> &TemplateErrorKind {
        &self.kind
    }
}

impl Fault for TemplateError {
    fn span(&self) -> Option<Span> {
        Some(self.span)
    }

    fn remedy(&self) -> Option<String> {
        Some(self.remedy.clone())
    }
}

pub(super) fn template(text: &str, groups: &Groups) -> Result<Template, TemplateError> {
    let mut parser = Parser {
        text,
        groups,
        at: 0,
        parts: Vec::new(),
        notes: Vec::new(),
    };
    while parser.at < text.len() {
        parser.part()?;
    }
    Ok(Template {
        source: text.to_owned(),
        parts: parser.parts,
        notes: parser.notes,
    })
}

struct Parser<'t> {
    text: &'t str,
    groups: &'t Groups,
    at: usize,
    parts: Vec<Part>,
    notes: Vec<TemplateNote>,
}

impl<'t> Parser<'t> {
    fn rest(&self) -> &'t str {
        &self.text[self.at..]
    }

    fn part(&mut self) -> Result<(), TemplateError> {
        let rest = self.rest();
        let plain = rest.find(['$', '\\']).unwrap_or(rest.len());
        push_text(&mut self.parts, &rest[..plain]);
        self.at += plain;
        match self.rest().as_bytes() {
            [] => Ok(()),
            [b'$', ..] => self.dollar(),
            _ => self.escape(),
        }
    }

    fn dollar(&mut self) -> Result<(), TemplateError> {
        let after = &self.rest()[1..];
        match after.chars().next() {
            Some('$') => {
                push_text(&mut self.parts, "$");
                self.at += 2;
                Ok(())
            }
            Some('{') => self.braces(),
            Some(c) if c.is_ascii_digit() => self.number(),
            Some(c) if is_name_start(c) => {
                let name = leading(after, is_name_char);
                let span = Span::new(self.at, self.at + 1 + name.len());
                let group = self.named(name, span)?;
                self.parts.push(Part::Group(group));
                self.at = span.to;
                Ok(())
            }
            _ => Err(TemplateError {
                kind: TemplateErrorKind::LoneDollar,
                span: Span::new(self.at, self.at + 1),
                remedy: "write `$$` for the sign itself".into(),
            }),
        }
    }

    /// `$12` or `\12`: as many digits as make a group that exists.
    fn number(&mut self) -> Result<(), TemplateError> {
        let start = self.at;
        let digits = leading(&self.rest()[1..], |c| c.is_ascii_digit());
        // A number has no leading zero, so `$01` is `$0` and a 1.
        let most = if digits.starts_with('0') {
            1
        } else {
            digits.len()
        };
        let found = (1..=most).rev().find_map(|length| {
            let number: usize = digits[..length].parse().ok()?;
            (number < self.groups.len()).then_some((number, length))
        });
        let end = start + 1 + digits.len();
        let Some((group, length)) = found else {
            return Err(self.unknown(digits, Span::new(start, end)));
        };
        if length < digits.len() {
            self.notes.push(TemplateNote {
                group,
                digits: digits[length..].to_owned(),
                span: Span::new(start, end),
            });
        }
        self.parts.push(Part::Group(group));
        self.at = start + 1 + length;
        Ok(())
    }

    fn braces(&mut self) -> Result<(), TemplateError> {
        let start = self.at;
        let Some(length) = self.rest().find('}') else {
            return Err(TemplateError {
                kind: TemplateErrorKind::Unclosed,
                span: Span::new(start, start + 2),
                remedy: "close it with `}`, or write `$$` for a dollar sign".into(),
            });
        };
        let span = Span::new(start, start + length + 1);
        let reference = self.text[start + 2..start + length].trim();
        let group = match reference.parse::<usize>() {
            Ok(number) if number < self.groups.len() => number,
            Ok(_) => return Err(self.unknown(reference, span)),
            Err(_) if reference.starts_with(is_name_start) && !reference.contains('|') => {
                self.named(reference, span)?
            }
            Err(_) => {
                return Err(TemplateError {
                    kind: TemplateErrorKind::BadReference(reference.to_owned()),
                    span,
                    remedy: "write the number or the name of a group, as in `${1}`".into(),
                });
            }
        };
        self.parts.push(Part::Group(group));
        self.at = span.to;
        Ok(())
    }

    fn named(&self, name: &str, span: Span) -> Result<usize, TemplateError> {
        self.groups
            .number_of(name)
            .ok_or_else(|| self.unknown(name, span))
    }

    fn escape(&mut self) -> Result<(), TemplateError> {
        let after = &self.rest()[1..];
        let text = match after.chars().next() {
            Some(c) if c.is_ascii_digit() => return self.number(),
            Some('n') => "\n",
            Some('t') => "\t",
            Some('r') => "\r",
            Some('\\') => "\\",
            Some('u') => return self.code_point(),
            other => {
                let length = 1 + other.map_or(0, char::len_utf8);
                let remedy = match other {
                    Some('$') => "write `$$` for a dollar sign".to_owned(),
                    Some(c) if !c.is_alphanumeric() => {
                        format!("write `{c}` alone, or `\\\\` for a backslash")
                    }
                    _ => "write `\\\\` for a backslash; \
                          the escapes are \\n \\t \\r \\\\ \\u{…} and \\1 for a group"
                        .to_owned(),
                };
                return Err(TemplateError {
                    kind: TemplateErrorKind::UnknownEscape(self.rest()[..length].to_owned()),
                    span: Span::new(self.at, self.at + length),
                    remedy,
                });
            }
        };
        push_text(&mut self.parts, text);
        self.at += 2;
        Ok(())
    }

    /// `\u{2013}`: a character by its code in hexadecimal.
    fn code_point(&mut self) -> Result<(), TemplateError> {
        let after = &self.rest()[2..];
        let inner = after
            .strip_prefix('{')
            .and_then(|s| Some(&s[..s.find('}')?]));
        let c = inner
            .and_then(|hex| u32::from_str_radix(hex, 16).ok())
            .and_then(char::from_u32);
        let length = 2 + inner.map_or(0, |hex| hex.len() + 2);
        let Some(c) = c else {
            return Err(TemplateError {
                kind: TemplateErrorKind::NoSuchCharacter,
                span: Span::new(self.at, self.at + length),
                remedy: "write the code in hexadecimal between braces, as in `\\u{2013}`".into(),
            });
        };
        push_text(&mut self.parts, c.encode_utf8(&mut [0; 4]));
        self.at += length;
        Ok(())
    }

    fn unknown(&self, wanted: &str, span: Span) -> TemplateError {
        TemplateError {
            kind: TemplateErrorKind::UnknownGroup(wanted.to_owned()),
            span,
            remedy: group_remedy(wanted, self.groups),
        }
    }
}

/// What to do about a group that is not there.
fn group_remedy(wanted: &str, groups: &Groups) -> String {
    let near = groups
        .names()
        .map(|name| (strsim::osa_distance(name, wanted), name))
        .filter(|(distance, _)| *distance <= 2)
        .min();
    if let Some((_, name)) = near {
        return format!("did you mean `${name}`?");
    }
    match groups.len() - 1 {
        0 => "put parentheses in the pattern around what you want back, \
              or use `$0` for the whole match"
            .into(),
        1 => "there is one group: use `$1`, or `$0` for the whole match".into(),
        n => format!("there are groups 1 to {n}, and `$0` for the whole match"),
    }
}

fn leading(text: &str, wanted: impl Fn(char) -> bool) -> &str {
    let length = text.find(|c| !wanted(c)).unwrap_or(text.len());
    &text[..length]
}

fn is_name_start(c: char) -> bool {
    c == '_' || c.is_alphabetic()
}

fn is_name_char(c: char) -> bool {
    c == '_' || c.is_alphanumeric()
}
