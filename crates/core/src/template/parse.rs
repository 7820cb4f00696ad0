//! The grammar of templates.
//!
//! ```text
//! TEMPLATE  = (TEXT | "$$" | "$" DIGITS | "$" NAME | REFERENCE | "\" DIGITS | ESCAPE)*
//! REFERENCE = "${" SUBJECT ("|" FILTER ARGUMENT*)* "}"
//! SUBJECT   = DIGITS | NAME | QUOTED | "@line" | "@file" | "@stem" | "@number" | "@row"
//!           | "@cell" COLUMN
//! COLUMN    = ARGUMENT
//! ARGUMENT  = WORD | "$" (DIGITS | NAME) | QUOTED
//! QUOTED    = "'" (TEXT | ESCAPE)* "'" | '"' (TEXT | ESCAPE)* '"'
//! ESCAPE    = "\n" | "\t" | "\r" | "\\" | "\u{" HEX "}"; within quotes also the quotes
//! ```

use crate::columns::list::{Column, ColumnsError};
use crate::pattern::groups::Groups;
use crate::span::Span;
use crate::template::error::{
    TemplateError, TemplateErrorKind, group_remedy, refused_call, unclosed,
};
use crate::template::filters::Call;
use crate::template::filters::argument::Argument;
use crate::template::part::{Part, Subject, TemplateNote, push_text};
use crate::template::tables::Tables;
use std::fmt;

pub(super) fn template(
    text: &str,
    groups: &Groups,
    tables: &mut dyn Tables,
) -> Result<Parsed, TemplateError> {
    let mut parser = Parser {
        text,
        groups,
        tables,
        at: 0,
        parts: Vec::new(),
        notes: Vec::new(),
        of_row: None,
    };
    while parser.at < text.len() {
        parser.part()?;
    }
    Ok(Parsed {
        parts: parser.parts,
        notes: parser.notes,
        of_row: parser.of_row,
    })
}

/// A template that has been parsed.
pub(crate) struct Parsed {
    pub parts: Vec<Part>,
    pub notes: Vec<TemplateNote>,
    /// The place of the first reference to a row or a cell.
    pub of_row: Option<Span>,
}

struct Parser<'t> {
    text: &'t str,
    groups: &'t Groups,
    tables: &'t mut dyn Tables,
    at: usize,
    parts: Vec<Part>,
    notes: Vec<TemplateNote>,
    of_row: Option<Span>,
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
                self.push_group(group);
                self.at = span.to;
                Ok(())
            }
            _ => Err(TemplateError {
                kind: TemplateErrorKind::LoneDollar,
                span: Span::new(self.at, self.at + 1),
                remedy: match after.starts_with('&') {
                    true => "write `$0` for the whole match, or `$$` for the sign itself".into(),
                    false => "write `$$` for the sign itself".into(),
                },
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
        self.push_group(group);
        self.at = start + 1 + length;
        Ok(())
    }

    fn push_group(&mut self, group: usize) {
        self.parts.push(Part::Reference {
            subject: Subject::Group(group),
            calls: Vec::new(),
        });
    }

    /// `${…}`: a subject and its filters.
    fn braces(&mut self) -> Result<(), TemplateError> {
        let start = self.at;
        self.at += 2;
        let subject = self.subject(start)?;
        let mut calls = Vec::new();
        loop {
            self.blanks();
            match self.rest().chars().next() {
                Some('}') => break,
                Some('|') => calls.push(self.call(start)?),
                Some(_) => return Err(self.bad_reference(start)),
                None => return Err(unclosed(start)),
            }
        }
        self.at += 1;
        self.parts.push(Part::Reference { subject, calls });
        Ok(())
    }

    fn subject(&mut self, start: usize) -> Result<Subject, TemplateError> {
        self.blanks();
        if let Some(quote @ ('\'' | '"')) = self.rest().chars().next() {
            return Ok(Subject::Text(self.quoted(quote)?.text));
        }
        let from = self.at;
        let word = leading(self.rest(), |c| !c.is_whitespace() && !"|}".contains(c));
        self.at += word.len();
        if self.rest().is_empty() {
            return Err(unclosed(start));
        }
        let span = Span::new(from, self.at);
        if let Some(name) = word.strip_prefix('@') {
            return self.at_reference(name, span);
        }
        match word.parse::<usize>() {
            Ok(number) if number < self.groups.len() => Ok(Subject::Group(number)),
            Ok(_) => Err(self.unknown(word, span)),
            Err(_) if word.starts_with(is_name_start) => self.named(word, span).map(Subject::Group),
            Err(_) => Err(self.bad_reference(start)),
        }
    }

    fn at_reference(&mut self, name: &str, span: Span) -> Result<Subject, TemplateError> {
        if matches!(name, "row" | "cell") {
            self.of_row.get_or_insert(span);
        }
        Ok(match name {
            "line" => Subject::Line,
            "file" => Subject::File,
            "stem" => Subject::Stem,
            "number" => Subject::Number,
            "row" => Subject::Row,
            "cell" => Subject::Cell(self.column(span)?),
            _ => {
                return Err(TemplateError {
                    kind: TemplateErrorKind::BadReference(format!("@{name}")),
                    span,
                    remedy: "there are `@line`, `@file`, `@stem`, `@number`, `@row` and \
                             `@cell COLUMN`"
                        .into(),
                });
            }
        })
    }

    /// The column behind `@cell`.
    fn column(&mut self, cell: Span) -> Result<Column, TemplateError> {
        self.blanks();
        let from = self.at;
        if let Some(quote @ ('\'' | '"')) = self.rest().chars().next() {
            return Ok(Column::Name(self.quoted(quote)?.text));
        }
        let word = leading(self.rest(), |c| !c.is_whitespace() && !"|}".contains(c));
        self.at += word.len();
        word.parse().map_err(|error: ColumnsError| TemplateError {
            kind: TemplateErrorKind::Argument(error.to_string()),
            span: if word.is_empty() {
                cell
            } else {
                Span::new(from, from + word.len())
            },
            remedy: "write the name or the number of one column, as in `${@cell berth}`; a name \
                     with blanks stands in quotes"
                .into(),
        })
    }

    fn bad_reference(&self, start: usize) -> TemplateError {
        let length = self.text[start..].find('}').map_or(2, |at| at + 1);
        let inside = self.text[start..start + length].trim_start_matches("${");
        let inside = inside.trim_end_matches('}').trim();
        TemplateError {
            kind: TemplateErrorKind::BadReference(inside.to_owned()),
            span: Span::new(start, start + length),
            remedy: "write the number or the name of a group, as in `${1}`; filters follow \
                     behind `|`, as in `${1 | upper}`"
                .into(),
        }
    }

    /// `| FILTER ARGUMENT…`
    fn call(&mut self, start: usize) -> Result<Call, TemplateError> {
        self.at += 1;
        self.blanks();
        let from = self.at;
        let name = leading(self.rest(), |c| c.is_alphanumeric() || c == '-' || c == '_');
        self.at += name.len();
        let mut arguments = Vec::new();
        loop {
            self.blanks();
            match self.rest().chars().next() {
                None => return Err(unclosed(start)),
                Some('|' | '}') => break,
                Some(quote @ ('\'' | '"')) => arguments.push(self.quoted(quote)?),
                Some(_) => {
                    let word = leading(self.rest(), |c| !c.is_whitespace() && !"|}".contains(c));
                    self.at += word.len();
                    arguments.push(Argument {
                        text: word.to_owned(),
                        quoted: false,
                    });
                }
            }
        }
        let end = from + self.text[from..self.at].trim_end().len();
        let spans = (Span::new(from, from + name.len()), Span::new(from, end));
        Call::new(name, arguments, self.groups, self.tables)
            .map_err(|error| refused_call(error, name, spans, self.groups))
    }

    /// An argument between quotes.
    fn quoted(&mut self, quote: char) -> Result<Argument, TemplateError> {
        let start = self.at;
        self.at += 1;
        let mut text = String::new();
        loop {
            let rest = self.rest();
            match rest.chars().next() {
                None => {
                    return Err(TemplateError {
                        kind: TemplateErrorKind::UnclosedQuote,
                        span: Span::new(start, start + 1),
                        remedy: format!("close it with `{quote}`"),
                    });
                }
                Some('\\') if rest[1..].starts_with(['\'', '"']) => {
                    text.push_str(&rest[1..2]);
                    self.at += 2;
                }
                Some('\\') => self.character(&mut text)?,
                Some(c) if c == quote => {
                    self.at += 1;
                    return Ok(Argument { text, quoted: true });
                }
                Some(c) => {
                    text.push(c);
                    self.at += c.len_utf8();
                }
            }
        }
    }

    fn blanks(&mut self) {
        self.at += self.rest().len() - self.rest().trim_start().len();
    }

    fn named(&self, name: &str, span: Span) -> Result<usize, TemplateError> {
        self.groups
            .number_of(name)
            .ok_or_else(|| self.unknown(name, span))
    }

    fn escape(&mut self) -> Result<(), TemplateError> {
        if self.rest()[1..].starts_with(|c: char| c.is_ascii_digit()) {
            return self.number();
        }
        let mut text = String::new();
        self.character(&mut text)?;
        push_text(&mut self.parts, &text);
        Ok(())
    }

    /// An escape that stands for one character.
    fn character(&mut self, text: &mut String) -> Result<(), TemplateError> {
        let after = &self.rest()[1..];
        let c = match after.chars().next() {
            Some('n') => '\n',
            Some('t') => '\t',
            Some('r') => '\r',
            Some('\\') => '\\',
            Some('u') => return self.code_point(text),
            other => return Err(self.unknown_escape(other)),
        };
        text.push(c);
        self.at += 2;
        Ok(())
    }

    fn unknown_escape(&self, sign: Option<char>) -> TemplateError {
        let length = 1 + sign.map_or(0, char::len_utf8);
        let remedy = match sign {
            Some('$') => "write `$$` for a dollar sign".to_owned(),
            Some('U' | 'L' | 'E') => "letter case is changed by a filter, as in `${1 | upper}` or \
                                      `${1 | lower}`; write `\\\\` for a backslash"
                .to_owned(),
            Some('g' | 'k') => "write a group as `$1`, or `${1}` before a digit".to_owned(),
            Some(c) if !c.is_alphanumeric() => {
                format!("write `{c}` alone, or `\\\\` for a backslash")
            }
            _ => "write `\\\\` for a backslash; \
                  the escapes are \\n \\t \\r \\\\ \\u{…} and \\1 for a group"
                .to_owned(),
        };
        TemplateError {
            kind: TemplateErrorKind::UnknownEscape(self.rest()[..length].to_owned()),
            span: Span::new(self.at, self.at + length),
            remedy,
        }
    }

    /// `\u{2013}`: a character by its code in hexadecimal.
    fn code_point(&mut self, text: &mut String) -> Result<(), TemplateError> {
        let after = &self.rest()[2..];
        let inner = after
            .strip_prefix('{')
            .and_then(|s| Some(&s[..s.find('}')?]));
        let c = inner
            .and_then(|hex| u32::from_str_radix(hex, 16).ok())
            .and_then(char::from_u32);
        let length = 2 + inner.map_or(0, |hex| hex.len() + 2);
        let Some(c) = c else {
            let remedy = match after.starts_with('$') {
                true => "a capital is written by a filter, as in `${1 | capital}`",
                false => "write the code in hexadecimal between braces, as in `\\u{2013}`",
            };
            return Err(TemplateError {
                kind: TemplateErrorKind::NoSuchCharacter,
                span: Span::new(self.at, self.at + length),
                remedy: remedy.into(),
            });
        };
        text.push(c);
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

/// A column as it follows `@cell`.
pub(super) struct ColumnWord<'c>(pub &'c Column);

impl fmt::Display for ColumnWord<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let bare = |c: char| c.is_alphanumeric() || "_-/.~".contains(c);
        match self.0 {
            Column::Name(name) => {
                let same = name.parse::<Column>().as_ref() == Ok(self.0);
                if same && name.chars().all(bare) {
                    return f.write_str(name);
                }
                f.write_str("'")?;
                for c in name.chars() {
                    match c {
                        '\'' | '\\' => write!(f, "\\{c}")?,
                        c if c.is_control() => write!(f, "\\u{{{:X}}}", c as u32)?,
                        c => write!(f, "{c}")?,
                    }
                }
                f.write_str("'")
            }
            other => write!(f, "{other}"),
        }
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
